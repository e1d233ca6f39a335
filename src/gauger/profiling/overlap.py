"""Overlap: which segment is next to each, how many of its customers are nearly as close to that one, and whether the
segment comes back on bootstrap samples."""

from collections.abc import Iterator

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms import map_jobs, order_rows
from gauger.algorithms.statistics import contingency_table, jaccard_overlaps
from gauger.columns import refuse_no_whole_number
from gauger.profiling.closeness import distances_to_segments, lies_around_centres, sample_of
from gauger.progress import task
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, Segmentation
from gauger.wording import plural

NEARLY = 1.25
"""Up to so many times as far from another segment as from the own is nearly as close."""
MUCH = 0.2
"""From this share of customers who are nearly as close to another segment, two overlap: judgement."""

_DISSOLVED = 0.5
"""A Jaccard overlap of no more than this: the segment did not come back (Hennig 2007)."""

_OFTEN = 0.2
"""From this share of bootstrap samples a segment that dissolves is worth a remark: judgement."""

_SAMPLE, _MOST_WHOLE = 2_500, 20_000
"""Customers of a bootstrap sample, and the most for methods that need everyone: judgement."""

Values = NDArray[np.float64]


def overlap_of(seg: Segmentation, *, resamples: int, seed: int) -> pd.DataFrame:
    """A row for each segment: nearest (another's number), near_share, stability, stability_error, dissolved, resamples.

    nearest is the segment that most of its customers would go to next, and near_share the share of its customers that
    are nearly as close to that one: at most a quarter farther than from their own. Close means close to the centre; for
    segments that do not lie around centres, to the fifth nearest of its customers.

    For stability the same method segments `resamples` bootstrap samples: the mean, over them, of the overlap (Jaccard)
    of the segment with the most similar new one, 0 to 1, with its standard error. In dissolved of the resamples it was
    0.5 or less: more of it was lost than kept. On at most 2,500 customers; density needs all of them, and beyond 20,000
    it is not tried. NaN, and 0 resamples, where it is not known how the segments were made.

    Hennig (2007), Computational Statistics & Data Analysis 52(1), 258-271.
    """
    refuse_no_whole_number("resamples", resamples, 0)
    table = pd.DataFrame(index=seg.numbers)
    table["nearest"], table["near_share"] = _next_to(seg)
    likeness = jaccard_of_resamples(seg, resamples, seed)
    done = len(likeness)
    table["stability"] = likeness.mean(axis=0) if done else np.nan
    table["stability_error"] = likeness.std(axis=0, ddof=1) / np.sqrt(done) if done > 1 else np.nan
    table["dissolved"] = (likeness <= _DISSOLVED).sum(axis=0)
    table["resamples"] = done
    return table.astype({"nearest": "Int64"})


def _next_to(seg: Segmentation) -> tuple[list[int | None], list[float]]:
    if seg.count < 2:
        return [None] * seg.count, [np.nan] * seg.count
    rows = sample_of(len(seg.codes))
    rows = rows[seg.codes[rows] != UNASSIGNED]
    own = seg.codes[rows] - 1
    apart = distances_to_segments(seg, rows, around=lies_around_centres(seg))
    home = apart[np.arange(len(rows)), own]
    others = apart.copy()
    others[np.arange(len(rows)), own] = np.inf
    following = others.argmin(axis=1)
    nearest: list[int | None] = []
    shares = []
    for number in range(seg.count):
        mine = own == number
        if not mine.any():
            nearest.append(None)
            shares.append(np.nan)
            continue
        next_one = int(np.bincount(following[mine], minlength=seg.count).argmax())
        nearest.append(next_one + 1)
        shares.append(float((apart[mine, next_one] <= NEARLY * home[mine]).mean()))
    return nearest, shares


def jaccard_of_resamples(seg: Segmentation, resamples: int, seed: int) -> Values:
    """For each resample and segment (resamples, k) the Jaccard overlap with the most similar new segment.

    Without rows where it is not known how the segments were made, or that cannot be tried.
    """
    refit = seg.refit
    n = len(seg.codes)
    if refit is None or not resamples or not seg.count or (not refit.sampled and n > _MOST_WHOLE):
        return np.empty((0, seg.count))
    columns = seg.features.values.T + 0.0
    order = order_rows(columns, np.arange(len(columns))).order  # the same resamples whatever the order of the rows
    base = sample_of(n, _SAMPLE) if refit.sampled else np.arange(n)

    def of_resample(stream: np.random.SeedSequence) -> Values:
        rng = np.random.default_rng(stream)
        drawn = order[np.sort(rng.choice(base, size=len(base)))]
        firsts = np.flatnonzero(np.concatenate([[True], drawn[1:] != drawn[:-1]]))
        codes = np.asarray(refit.segment(seg.features.part(drawn), int(stream.generate_state(1)[0])))
        new = codes[firsts]
        table = contingency_table(seg.codes[drawn[firsts]], new, (seg.count + 1, int(new.max()) + 1))
        return np.asarray(jaccard_overlaps(table)[1:, 1:].max(axis=1, initial=0.0))

    streams = np.random.SeedSequence(seed).spawn(resamples)
    found = []
    with task("bootstrap samples", resamples) as advance:
        for likeness in map_jobs(of_resample, streams):
            found.append(likeness)
            advance(1)
    return np.array(found)


def about_overlap(table: pd.DataFrame) -> Iterator[Remark]:
    """Remarks on segments that overlap with another, and on those that dissolve on bootstrap samples."""
    close = table[table["near_share"] >= MUCH]
    if len(close):
        parts = [
            f"{row['near_share']:.0%} of segment {number} are nearly as close to segment {row['nearest']}"
            for number, row in close.iterrows()
        ]
        yield Remark(
            "overlapping",
            f"{_shown(parts)}: the border between them is a choice, not a gap. Treat customers near it alike, or join "
            "the two.",
            segments=tuple(int(number) for number in close.index),
        )
    often = table[table["dissolved"] > _OFTEN * table["resamples"]]
    if len(often):
        parts = [
            f"segment {number} dissolves in {row['dissolved']:.0f} of {row['resamples']:.0f} resamples"
            for number, row in often.iterrows()
        ]
        yield Remark(
            "dissolving",
            f"{_shown(parts)}: with other customers of the same kind it would not be there. Do not build a campaign on "
            f"{plural(len(often), 'it', 'them')} alone; try fewer segments.",
            segments=tuple(int(number) for number in often.index),
        )


def _shown(parts: list[str], most: int = 4) -> str:
    rest = len(parts) - most
    return "; ".join(parts[:most]) + (f"; and {rest} more {plural(rest, 'segment')} so" if rest > 0 else "")
