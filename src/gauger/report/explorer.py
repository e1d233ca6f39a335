"""What the explorer of a page shows: a seeded sample in which every segment is seen, its measures and components."""

from itertools import combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms import Stream
from gauger.appearance import segment_colour
from gauger.errors import SettingError
from gauger.features import Transform
from gauger.profiling import components_of, numbered_name, share_placed
from gauger.report.contents import Contents
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME, Segmentation
from gauger.wording import visible

_LEAST_OF_EACH = 30
"""Of each segment so many are shown, or all it has: below that a share says nothing (Newcombe 1998)."""

_MOST_VALUES = 30_000
"""Values that a page carries: about a sixth of a megabyte; judgement."""

_MOST_AXES = 24
"""Features that can be chosen between, those that tell segments apart best; judgement."""

_MOST_PAIRED = 6
"""Features among which the first pair is looked for: fifteen pairs; judgement."""

_CURVED_FROM = 10.0
"""The largest value from which log(1 + x) is a curve worth the name."""

_FIGURES = 4
"""Figures of each value that are kept: no fewer than a reader tells apart in the picture; judgement."""

Rows = NDArray[np.intp]


def explorer_of(contents: Contents) -> dict[str, Any]:
    """Segments, axes and the sampled rows, as data for the page's script."""
    seg = contents.seg
    axes = _axes(contents) if contents.at_hand else []
    most = max(min(contents.sample, _MOST_VALUES // max(len(axes), 1)), 1)
    rows = sampled_rows(seg.codes, most)
    codes = seg.codes[rows]
    groups = sorted({int(code) for code in codes}, key=lambda code: (code == UNASSIGNED, code))
    shown: dict[str, Any] = {
        "noun": [seg.noun.one, seg.noun.many],
        "everyone": len(seg.codes),
        "segments": [
            {
                "number": number,
                "name": visible(_name(contents, number)),
                "size": int(np.count_nonzero(seg.codes == number)),
                "shown": int(np.count_nonzero(codes == number)),
                "colour": segment_colour(number),
            }
            for number in groups
        ],
        "axes": [
            {"name": visible(name), "curved": curved, "values": _rounded(values[rows])} for name, values, curved in axes
        ],
        "measures": sum(1 for name, _, _ in axes if name in seg.features.names),
        "codes": codes.tolist(),
    }
    if contents.with_keys:
        shown["key"] = visible(seg.features.key)
        shown["keys"] = [visible(str(key)) for key in seg.features.keys[rows]]
    return shown


def sampled_rows(codes: NDArray[np.int32], most: int) -> Rows:
    """Rows in a random order, at most about `most`: 30 of each group or all it has, the rest in proportion to size.

    A random order lets no group lie on top of another, and tells nothing of the table's own.
    """
    rng = Stream.EXPLORED_SAMPLE.generator(0)
    order = rng.permutation(len(codes))
    if len(codes) <= most:
        return order
    groups, sizes = np.unique(codes, return_counts=True)
    least = np.minimum(sizes, min(_LEAST_OF_EACH, max(most // len(groups), 1)))
    rest = sizes - least
    wanted = least + np.floor(rest * max(most - int(least.sum()), 0) / max(int(rest.sum()), 1)).astype(np.intp)
    kept = [order[codes[order] == group][:many] for group, many in zip(groups, wanted, strict=True)]
    chosen = np.zeros(len(codes), dtype=np.bool_)
    chosen[np.concatenate(kept)] = True
    return order[chosen[order]]


def _axes(contents: Contents) -> list[tuple[str, NDArray[np.float64], bool]]:
    """The features, those that tell segments apart best first, then the components or the segment itself: name, values
    of everyone, and whether a logarithmic axis suits it."""
    seg = contents.seg
    features = seg.features
    best = _best_pair_first(seg)
    axes = [
        (str(name), features.original[name].to_numpy(dtype=np.float64), _is_curved(contents, str(name)))
        for name in best
    ]
    try:
        points = components_of(seg).points
    except SettingError:
        return [*axes, ("segment", seg.codes.astype(np.float64), False)]
    return [*axes, ("first component", points[:, 0], False), ("second component", points[:, 1], False)]


def _best_pair_first(seg: Segmentation) -> list[str]:
    """Features by what they tell apart, but first the two that together place most."""
    names = list(seg.explained_by_feature.sort_values(ascending=False, kind="stable").index[:_MOST_AXES])
    if len(names) < 2 or seg.count < 2:
        return names
    pair = max(combinations(names[:_MOST_PAIRED], 2), key=lambda two: share_placed(seg, *two))
    return [*pair, *(name for name in names if name not in pair)]


def _is_curved(contents: Contents, name: str) -> bool:
    """Whether a feature was transformed or has a long tail, and is not so small that log(1 + x) changes nothing."""
    steps = contents.features.treatments[name]
    leads = contents.profile.measures["leads"].to_dict()
    largest = float(np.nanmax(np.abs(contents.features.original[name].to_numpy(dtype=np.float64)), initial=0.0))
    if largest < _CURVED_FROM:
        return False
    return leads.get(name) == "median" or any(isinstance(step, Transform) for step in steps)


def _name(contents: Contents, number: int) -> str:
    return numbered_name(contents.profile, number) if number else UNASSIGNED_NAME


def _rounded(values: NDArray[np.float64]) -> list[float | int | None]:
    """Values to four figures, whole ones as such; None where there is none."""
    told: list[float | int | None] = []
    for value in values.tolist():
        if not np.isfinite(value):
            told.append(None)
            continue
        short = float(f"{value:.{_FIGURES}g}")
        told.append(int(short) if short.is_integer() and abs(short) < 1e15 else short)
    return told
