"""k-means: segments around centres (Lloyd 1982), several starts, until nothing moves."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gauger.clustering.seeding import seed_plusplus
from gauger.clustering.sums import SegmentSums, assign
from gauger.errors import SettingError, plural
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.remarks import Remark
from gauger.segmentation import Segmentation, number_by_size, segmentation_from_codes

TINY_SHARE = 0.01

Values = NDArray[np.float64]


def segment_by_kmeans(
    features: FeatureSet, count: int, *, starts: int = 10, max_rounds: int = 300, seed: int = 0
) -> Segmentation:
    """Split customers into `count` segments around centres, so that the within-cluster sum of squares is small.

    Each of `starts` runs begins from k-means++ centres and repeats rounds (assign every customer to the nearest
    centre, move each centre to the mean of its customers) until no customer moves, or `max_rounds` are done; the start
    with the lowest sum of squares wins. A segment that empties takes the customer farthest from its centre. Segments
    are numbered from the largest. Same features, same seed: the same bits, whatever the number of threads.

    `.converged` is False, and a remark says how many customers were still moving, when rounds ran out. Segments of at
    most 1 % of the customers, or of one, are remarked. O(n d count) a round.

    Raises SettingError when a setting is out of range or there are fewer distinct customers than segments.

    Lloyd (1982), IEEE Transactions on Information Theory 28(2), 129-137; Arthur & Vassilvitskii (2007).

    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2).codes.tolist()
    [2, 2, 1, 1, 1]
    """
    _refuse_bad_settings(features, count, starts, max_rounds, seed)
    columns = np.ascontiguousarray(features.values.T)
    streams = np.random.SeedSequence(seed).spawn(starts)
    best: _Run | None = None
    with task(f"k-means, {count} {plural(count, 'segment')}", starts) as advance:
        for stream in streams:
            centres = seed_plusplus(columns, count, np.random.default_rng(stream))
            run = _run(columns, centres, max_rounds)
            if best is None or run.wcss < best.wcss:
                best = run
            advance(1)
    assert best is not None
    return _finish(features, best, max_rounds)


@dataclass(frozen=True)
class _Run:
    codes: NDArray[np.int32]
    centres: Values
    wcss: float
    rounds: int
    moved: int


def _run(columns: Values, centres: Values, max_rounds: int) -> _Run:
    """One start: rounds until nothing moves or `max_rounds` are done."""
    codes = np.full(columns.shape[1], -1, dtype=np.int32)
    done, moved, wcss = 0, len(codes), np.inf
    while moved and done < max_rounds:
        sums = assign(columns, centres, codes)
        if not sums.count.all():
            sums = _refill(columns, centres, codes, sums)
        centres, moved, wcss = sums.means(), sums.moved, float(sums.spread.sum())
        done += 1
    return _Run(codes, centres, wcss, done, moved)


def _refill(columns: Values, centres: Values, codes: NDArray[np.int32], sums: SegmentSums) -> SegmentSums:
    """Move the farthest customers, one each, into the segments left empty, and add up again."""
    distances = ((columns - centres.T[:, codes]) ** 2).sum(axis=0)
    count, total = sums.count.copy(), sums.total.copy()
    farthest = iter(np.argsort(-distances, kind="stable"))
    for empty in np.flatnonzero(sums.count == 0):
        row = next(row for row in farthest if count[codes[row]] > 1)
        count[codes[row]] -= 1
        total[codes[row]] -= columns[:, row]
        codes[row] = empty
        count[empty] = 1
        total[empty] = columns[:, row]
    return SegmentSums(count, total, sums.spread, sums.moved + 1)


def _finish(features: FeatureSet, run: _Run, max_rounds: int) -> Segmentation:
    codes = number_by_size(run.codes, run.centres)
    sizes = np.bincount(codes)[1:]
    remarks = []
    if run.moved:
        remarks.append(
            Remark(
                "not-converged",
                f"stopped after {max_rounds} {plural(max_rounds, 'round')} with {run.moved:,} "
                f"{plural(run.moved, 'customer')} still moving: the segments are not final. Raise max_rounds "
                "(--max-rounds).",
            )
        )
    tiny = [number for number, size in enumerate(sizes, 1) if size <= max(1, TINY_SHARE * len(codes))]
    if tiny and len(sizes) > 1:
        remarks.append(_tiny_remark(features, codes, tiny))
    return segmentation_from_codes(
        features,
        codes,
        method="k-means",
        remarks=tuple(remarks),
        rounds=run.rounds,
        converged=run.moved == 0,
    )


def _tiny_remark(features: FeatureSet, codes: NDArray[np.int32], tiny: list[int]) -> Remark:
    parts = []
    for number in tiny:
        keys = features.keys[codes == number]
        shown = ", ".join(map(str, keys[:3])) + (", …" if len(keys) > 3 else "")
        parts.append(f"segment {number} has {len(keys):,} {plural(len(keys), 'customer')} ({shown})")
    return Remark(
        "tiny-segment",
        f"{'; '.join(parts)}: at most {TINY_SHARE:.0%} of all. Extreme customers often end up so; cap the features "
        "they are extreme in (cap=, --cap), or treat them as a case of their own.",
        segments=tuple(tiny),
    )


def _refuse_bad_settings(features: FeatureSet, count: int, starts: int, max_rounds: int, seed: int) -> None:
    whole = (("count", count, 1), ("starts", starts, 1), ("max_rounds", max_rounds, 1), ("seed", seed, 0))
    for name, value, least in whole:
        if isinstance(value, bool) or not isinstance(value, (int, np.integer)) or value < least:
            raise SettingError(f"{name}={value!r} must be a whole number from {least} up.")
    customers = len(features.keys)
    if count > customers:
        raise SettingError(f"{count} segments asked for, but there are only {customers:,} customers.")
