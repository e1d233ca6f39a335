"""Segments by bands of each feature: fifths, fixed edges or quadrants, the baseline that clustering has to beat."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.clustering.method_words import words_of
from gauger.clustering.segment_cautions import tiny_segments
from gauger.errors import SettingError, UnknownColumnError
from gauger.features import FeatureSet
from gauger.remarks import Remark
from gauger.segmentation import AssignmentRule, Codes, Refit, Segmentation, number_by_size, segmentation_from_codes
from gauger.wording import listed, plural, short_number

COMBINATIONS = ("cells", "score")

_MANY_CELLS, _MOST_BANDS = 12, 20
"""From so many segments a word on small ones is about all of them; the most bands of a feature that people tell apart:
judgement."""

_WORDS = {2: ("low", "high"), 3: ("low", "middle", "high")}
"""What two and three bands are called; more are numbered."""

Bands = Mapping[str, int | Sequence[float]]
Rows = NDArray[np.intp]
Values = NDArray[np.float64]


def segment_by_bands(
    features: FeatureSet,
    bands: Bands,
    *,
    combine: str = "cells",
    low_is_good: Sequence[str] = (),
    score_bands: int | None = None,
) -> Segmentation:
    """Segment by cutting each feature into bands, as people do without clustering: a baseline to compare with.

    Parameters
    ----------
    features : FeatureSet
        Customers, from `prepare`; bands are of the values recorded, a gap counts as what it was filled with.
    bands : mapping
        For each feature how many bands of about equally many customers it has (2 to 20), or where all but the first
        begin, in original units: `{"visits": 5, "spend_mean": [8, 15]}` has fifths of visits, and spend_mean below 8,
        from 8 to below 15, and from 15. Two features of two bands each are the four quadrants of the medians.
    combine : {"cells", "score"}
        A segment for every combination of bands that anyone has; or for every sum of bands, from 1 for the lowest of
        each feature.
    low_is_good : sequence of str
        Features whose lowest values get the highest band, such as recency_days.
    score_bands : int, optional
        With "score": how many bands of scores are the segments.

    Returns
    -------
    Segmentation
        Numbered from the largest, or by score from the best, and named after their bands. `.assignments` has each
        customer's bands, and the score; `.edges` has for each feature where each band but the first begins. A remark
        says where equal values, which are always in the same band, leave fewer bands than asked for.

    Raises
    ------
    SettingError
        For bands that are none or more than 20, edges that do not rise or leave everyone in one band, and an unknown
        word.
    UnknownColumnError
        For a feature that is not there.

    Notes
    -----
    O(n d log n).

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcdef"), "visits": [1, 2, 3, 8, 9, 9], "spend": [5, 40, 6, 50, 7, 60]})
    >>> seg = gauger.segment_by_bands(gauger.prepare(table, key="who"), {"visits": [5], "spend": 2})
    >>> [seg.names[code] for code in seg.codes]  # doctest: +NORMALIZE_WHITESPACE
    ['visits low, spend low', 'visits low, spend high', 'visits low, spend low', 'visits high, spend high',
     'visits high, spend low', 'visits high, spend high']
    """
    features = features.at_hand()
    _refuse_bad_settings(features, bands, combine, low_is_good, score_bands)
    recorded = {name: features.recorded(name) for name in bands}
    edges = {name: _edges(recorded[name], asked) for name, asked in bands.items()}
    alike = [name for name, of in edges.items() if not of.size]
    if alike:
        raise SettingError(f"{listed(map(repr, alike))} cannot be cut into bands: the same for everyone.")
    details, groups, names = _grouped(recorded, edges, combine, low_is_good, score_bands)
    codes, order = _best_first(groups) if combine == "score" else _numbered(features, groups)
    settings = {
        "method": "bands",
        "bands": {name: asked if isinstance(asked, int) else list(asked) for name, asked in bands.items()},
        "combine": combine,
        "low_is_good": list(low_is_good),
        "score_bands": score_bands,
    }
    seg = replace(
        segmentation_from_codes(features, codes, method=words_of(settings)),
        details=details,
        edges={name: tuple(float(edge) for edge in of) for name, of in edges.items()},
        refit=bands_refit(bands, combine, low_is_good, score_bands),
        assignment_rule=AssignmentRule("bands"),
        own_names={index: names[group] for index, group in enumerate(order.tolist(), 1)},
        settings=settings,
    )
    small = _many_cells(seg) if seg.count > _MANY_CELLS else tiny_segments(seg.sizes, len(seg.codes))
    return seg.with_remarks((*_fewer_bands(bands, edges), *small))


def _grouped(
    recorded: Mapping[str, Values],
    edges: Mapping[str, Values],
    combine: str,
    low_is_good: Sequence[str],
    score_bands: int | None,
) -> tuple[pd.DataFrame, Rows, list[str]]:
    """Each customer's bands, the group that they make (n,), from 0, and what each group is called."""
    indices = {name: np.searchsorted(edges[name], values, side="right") for name, values in recorded.items()}
    number = {name: len(edges[name]) - of if name in low_is_good else of for name, of in indices.items()}
    details = pd.DataFrame({f"{name}_band": own + 1 for name, own in number.items()})
    if combine == "score":
        score = np.asarray(details.sum(axis=1))
        details["score"] = score
        groups, names = _by_score(score, score_bands)
    else:
        groups, names = _by_cell(number, {name: len(own) + 1 for name, own in edges.items()})
    return details, groups, names


def bands_refit(bands: Bands, combine: str, low_is_good: Sequence[str], score_bands: int | None) -> Refit:
    """The same bands of other customers."""
    return Refit(partial(_refit, bands, combine, low_is_good, score_bands))


def _refit(
    bands: Bands,
    combine: str,
    low_is_good: Sequence[str],
    score_bands: int | None,
    features: FeatureSet,
    _seed: int,
) -> Codes:
    recorded = {name: features.recorded(name) for name in bands}
    edges = {name: _edges(recorded[name], asked) for name, asked in bands.items()}
    _, groups, _ = _grouped(recorded, edges, combine, low_is_good, score_bands)
    return np.asarray(groups + 1, dtype=np.int32)


def _edges(values: Values, asked: int | Sequence[float]) -> Values:
    """Where each band but the first begins, rising; a band holds the value it begins with. None where all are alike."""
    if not isinstance(asked, (int, np.integer)):
        return np.asarray(asked, dtype=np.float64)
    ordered = np.sort(values)
    if ordered[0] == ordered[-1]:
        return np.empty(0)
    found = []
    for band in range(1, asked):
        wanted = band * len(ordered) / asked
        value = ordered[min(int(np.ceil(wanted)), len(ordered) - 1)]
        first, after = (int(np.searchsorted(ordered, value, side)) for side in ("left", "right"))
        later = after < len(ordered) and (first == 0 or after - wanted < wanted - first)
        found.append(float(ordered[after]) if later else float(value))
    return np.array(sorted(set(found)))


def _by_cell(number: Mapping[str, Rows], many: Mapping[str, int]) -> tuple[Rows, list[str]]:
    """The cell of each customer (n,), from 0, and what each cell is called."""
    table = np.column_stack(list(number.values()))
    cells, groups = np.unique(table, axis=0, return_inverse=True)
    names = [
        ", ".join(f"{name} {_word(int(own), many[name])}" for name, own in zip(number, cell, strict=True))
        for cell in cells
    ]
    return np.asarray(groups).reshape(-1), names


def _word(band: int, many: int) -> str:
    return _WORDS[many][band] if many in _WORDS else f"{band + 1} of {many}"


def _by_score(score: Rows, score_bands: int | None) -> tuple[Rows, list[str]]:
    """The group of each customer by score (n,), from 0, and what each group is called."""
    levels, groups = np.unique(score, return_inverse=True)
    if score_bands is not None and len(levels) > 1:
        edges = _edges(score.astype(np.float64), score_bands)
        groups = np.searchsorted(edges, score, side="right")
        ends = [
            (int(score[groups == index].min()), int(score[groups == index].max())) for index in range(len(edges) + 1)
        ]
        return groups, [f"score {low}" if low == high else f"score {low} to {high}" for low, high in ends]
    return groups, [f"score {level}" for level in levels]


def _best_first(groups: Rows) -> tuple[Codes, Rows]:
    """Groups by score from 0 for the lowest, numbered from 1 for the highest; and which group each segment is."""
    last = int(groups.max())
    return np.asarray(last + 1 - groups, dtype=np.int32), np.arange(last, -1, -1)


def _numbered(features: FeatureSet, groups: Rows) -> tuple[Codes, Rows]:
    """Groups from 0, numbered from 1 for the largest; equal sizes by their first features' means."""
    sizes = np.bincount(groups)
    by_name = sorted(range(len(features.names)), key=lambda index: features.names[index])
    sums = [np.bincount(groups, weights=np.asarray(features.values[:, index])) for index in by_name]
    return number_by_size(groups, np.column_stack(sums) / sizes[:, None])


def _fewer_bands(bands: Bands, edges: Mapping[str, NDArray[np.float64]]) -> Iterator[Remark]:
    fewer = {
        name: (len(edges[name]) + 1, asked)
        for name, asked in bands.items()
        if isinstance(asked, (int, np.integer)) and len(edges[name]) + 1 < asked
    }
    if fewer:
        parts = [f"{name} has {found} of the {asked} asked for" for name, (found, asked) in fewer.items()]
        yield Remark(
            "fewer-bands",
            f"many customers have the same value, and equal values stay together: {listed(parts)} bands.",
            features=tuple(fewer),
        )


def _many_cells(seg: Segmentation) -> Iterator[Remark]:
    yield Remark(
        "many-bands",
        f"{seg.count} segments are more than most campaigns can tell apart: use fewer bands or features, or "
        "combine='score' with score_bands (--combine score, --score-bands).",
    )


def _refuse_bad_settings(
    features: FeatureSet, bands: Bands, combine: str, low_is_good: Sequence[str], score_bands: int | None
) -> None:
    if not isinstance(bands, Mapping) or not bands:
        raise SettingError("say which features have how many bands: bands={'visits': 5, 'spend_mean': [8, 15]}.")
    if any(name not in features.names for name in (*bands, *low_is_good)):
        raise UnknownColumnError.among((*bands, *low_is_good), list(features.names))
    unused = [name for name in low_is_good if name not in bands]
    if unused:
        raise SettingError(f"low_is_good names {listed(unused)}, which has no bands.")
    if combine not in COMBINATIONS:
        raise SettingError.not_one_of("combine", combine, COMBINATIONS)
    if score_bands is not None and combine != "score":
        raise SettingError("score_bands= is for combine='score'.")
    if score_bands is not None and not isinstance(score_bands, (int, np.integer)):
        raise SettingError(f"score_bands={score_bands!r} must be a whole number of bands from 2 to {_MOST_BANDS}.")
    counts = {**bands} if score_bands is None else {**bands, "score_bands": score_bands}
    for name, asked in counts.items():
        if isinstance(asked, (int, np.integer)) and (isinstance(asked, bool) or not 2 <= asked <= _MOST_BANDS):
            raise SettingError(f"{name}: {asked!r} must be a whole number of bands from 2 to {_MOST_BANDS}, or edges.")
        if not isinstance(asked, (int, np.integer)):
            _refuse_bad_edges(features, name, asked)


def _refuse_bad_edges(features: FeatureSet, name: str, asked: object) -> None:
    try:
        edges = np.asarray(asked, dtype=np.float64)
    except (TypeError, ValueError):
        edges = np.empty(0)
    if edges.ndim != 1 or not edges.size or not np.isfinite(edges).all() or not (np.diff(edges) > 0.0).all():
        raise SettingError(f"{name}: {asked!r} must be a number of bands, or edges that rise, such as [8, 15].")
    values = features.recorded(name)
    low, high = float(values.min()), float(values.max())
    outside = [short_number(edge) for edge in edges.tolist() if not low < edge <= high]
    if outside:
        raise SettingError(
            f"{name}: nobody is on one side of the {plural(len(outside), 'edge')} {listed(outside)}; its values run "
            f"from {short_number(low)} to {short_number(high)}."
        )
