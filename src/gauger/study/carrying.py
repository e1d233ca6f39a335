"""Names carried over from an earlier study: a name follows the centre and the customers that it was given to."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms.statistics import contingency_table, jaccard_overlaps
from gauger.features import FeatureSet
from gauger.profiling import checked_assignments
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, Segmentation, segmentation_from_codes
from gauger.study.finding import Found
from gauger.study.opening import Study, open_study
from gauger.study.plan_parts import NamePart, Plan
from gauger.study.study_files import is_study, read_assignments
from gauger.wording import listed, plural

_SAME = 0.5
"""Shared customers over those of either (Jaccard) from which two segments are the same: below it one counts as
dissolved (Hennig 2007, Computational Statistics & Data Analysis 52, 258-271)."""


def with_names_of(
    seg: Segmentation, names: Sequence[NamePart], assignments: pd.DataFrame | None = None
) -> Segmentation:
    """The segments with the numbers and names of earlier ones, as far as they match.

    Where `assignments` of earlier segments share customers, numbers follow those; a name follows where more than half
    of the customers are the same, or the named centre and the segment's are nearest to each other. A remark says which
    names could not be placed.
    """
    overlaps = _overlaps(seg, assignments)
    if overlaps is not None:
        assert assignments is not None
        seg = seg.aligned_to(_bare(assignments, seg.features.key, names))
        overlaps = _overlaps(seg, assignments)
    seg = replace(seg, given_names={})
    by_centre = _nearest(seg, names)
    placed: dict[int, str] = {}
    for index, one in enumerate(names):
        number = by_centre.get(index)
        if overlaps is not None and one.segment is not None and one.segment < len(overlaps):
            shared = overlaps[one.segment]
            number = int(shared.argmax()) if shared.max(initial=0.0) >= _SAME else number
        if number and number not in placed and one.name not in placed.values():
            placed[number] = one.name
    lost = [one.name for one in names if one.name not in placed.values()]
    return (seg.rename(placed) if placed else seg).with_remarks(tuple(_about_lost(lost)))


def _overlaps(seg: Segmentation, assignments: pd.DataFrame | None) -> NDArray[np.float64] | None:
    """How far each earlier segment (rows, 0 for unassigned) and each of these share customers; None without any."""
    if assignments is None:
        return None
    keys, codes, _ = checked_assignments(assignments, seg.features.key)
    indices = keys.get_indexer(pd.Index(seg.features.keys))
    both = indices >= 0
    if not (both & (seg.codes > 0) & (codes[indices] > 0)).any():
        return None
    table = contingency_table(codes[indices[both]], seg.codes[both], (int(codes.max()) + 1, seg.count + 1))
    found = jaccard_overlaps(table)
    found[UNASSIGNED], found[:, UNASSIGNED] = 0.0, 0.0
    return found


def _bare(assignments: pd.DataFrame, key: str, names: Sequence[NamePart]) -> Segmentation:
    """Earlier segments without the features that they were made of."""
    keys, codes, _ = checked_assignments(assignments, key)
    bare = FeatureSet(key, keys.to_numpy(), (), np.empty((len(keys), 0)), pd.DataFrame(index=keys), {})
    seg = segmentation_from_codes(bare, codes, method="an earlier study")
    return replace(seg, given_names={one.segment: one.name for one in names if one.segment is not None})


def _nearest(seg: Segmentation, names: Sequence[NamePart]) -> dict[int, int]:
    """By place of a name the number of the segment that it belongs to: each is the other's nearest, by centre."""
    comparable = [one for one in names if set(one.centre) == set(seg.features.names)]
    if len(comparable) < len(names) or not names or not seg.count:
        return {}
    rows = pd.DataFrame([one.centre for one in names])
    there = seg.features.treat(rows[list(seg.features.names)])
    apart = np.square(there[:, None, :] - seg.scaled_centres[None, :, :]).sum(axis=2)
    apart[~np.isfinite(apart)] = np.inf
    theirs, ours = apart.argmin(axis=1), apart.argmin(axis=0)
    return {
        index: int(at) + 1 for index, at in enumerate(theirs) if ours[at] == index and np.isfinite(apart[index, at])
    }


def _about_lost(names: Sequence[str]) -> Iterator[Remark]:
    if names:
        yield Remark(
            "names-not-placed",
            f"the {plural(len(names), 'name')} {listed(map(repr, names), most=8)} could not be placed: no segment is "
            f"like the one that {plural(len(names), 'it was', 'they were')} given to. Look at the profile, and name "
            "again (gauger name).",
        )


def with_earlier_names(found: Found, plan: Plan | None, beside: Path, out: Path) -> Found:
    """What was found, with the numbers and names of the study that it replaces in `out`, or that its plan is of."""
    for folder in (out, beside):
        if is_study(folder):
            before = open_study(folder)
            if before.plan.key == found.seg.features.key and (folder == out or before.plan.names):
                return replace(found, seg=_like(found.seg, before))
    if plan is None or not plan.names:
        return found
    return replace(found, seg=with_names_of(found.seg, plan.names))


def _like(seg: Segmentation, before: Study) -> Segmentation:
    keys_are_text = not pd.api.types.is_numeric_dtype(pd.Index(seg.features.keys))
    table = read_assignments(before.folder, keys_as_text=before.plan.key if keys_are_text else None)
    return with_names_of(seg, before.plan.names, table)
