"""What a report tells: a study's parts, or those of segments made in Python, made again where they are not given."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import replace
from os import PathLike
from pathlib import Path

import numpy as np
import pandas as pd

from gauger.campaigns import Outcome
from gauger.choosing import CountStudy, RadiusStudy, study_counts, study_radius
from gauger.errors import SettingError
from gauger.models import load_model
from gauger.monitoring import Migration
from gauger.profiling import Comparison, Profile
from gauger.profiling import profile as profile_of
from gauger.report import Contents, Provenance
from gauger.segmentation import Segmentation
from gauger.study.comparing import compared
from gauger.study.finding import counts_around, find_segments, tree_of
from gauger.study.movement import migration_between
from gauger.study.opening import Study, open_study
from gauger.study.plan_files import PLAN_FILE, from_environment, text_of
from gauger.study.plan_parts import DensityPart, KmeansPart, LevelsPart, Plan, TreePart
from gauger.study.sources import shown_place
from gauger.study.studies_in_place import rows_of
from gauger.study.study_files import MODEL
from gauger.tables import standing_in

_ADDRESS = re.compile(r"[^@\s]+@[^@\s]+\.\w+|\+[\d ()/.-]{8,}\d")
"""What an e-mail address, or a telephone number with its country, looks like: neither is ever in a report."""

_LOOKED_AT = 1_000
"""Keys that are looked at to see what they are."""


def contents_of(
    study: Study | Segmentation | str | PathLike[str],
    *,
    profile: Profile | None = None,
    counts: CountStudy | RadiusStudy | None = None,
    comparisons: Iterable[Comparison] = (),
    earlier: Sequence[str | PathLike[str]] = (),
    outcomes: Iterable[Outcome] = (),
    title: str | None = None,
    with_keys: bool = False,
    sample: int = 2_000,
    provenance: Provenance | None = None,
) -> Contents:
    """What a report of a study or of segments tells; what is not given is made as the study's plan says."""
    opened = study if isinstance(study, (Study, Segmentation)) else open_study(study)
    whole = opened if isinstance(opened, Segmentation) else opened.segmentation
    seg = whole.sample
    if not seg.count:
        raise SettingError("nobody is in a segment: there is nothing to report.")
    if profile is not None:
        _refuse_others(profile, seg)
    if isinstance(opened, Study) and opened.plan.report is not None:
        title = opened.plan.report.title if title is None else title
        with_keys = with_keys or opened.plan.report.with_keys
    if with_keys:
        _refuse_addresses(seg)
    if isinstance(opened, Study):
        seg = _with_hierarchy(opened, seg)
    own = [*comparisons]
    migrations: dict[str, Migration] = {}
    if isinstance(opened, Study):
        profile = profile or opened.profile
        counts = counts or study_again(opened)
        own += [compared(seg, opened.table, part, opened.plan, opened.folder) for part in opened.plan.compare]
        migrations = moves_since(opened.folder, [*earlier_of(opened.plan, opened.folder), *earlier])
    elif earlier:
        raise SettingError("who moved since an earlier study is known of a study: save_study(seg, folder) keeps one.")
    return Contents(
        seg,
        profile_of(whole) if profile is None else profile,
        *parted(counts),
        tuple(own),
        migrations,
        tuple(outcomes),
        _provenance(opened, provenance or Provenance(), with_keys=with_keys),
        title,
        with_keys,
        sample,
        _everyone(opened),
    )


def _everyone(opened: Study | Segmentation) -> int | None:
    """How many were segmented, where no more than a sample of them is at hand."""
    if isinstance(opened, Study):
        return opened.model.customers if opened.by_sample else None
    return None if opened.everyone is None else opened.customers


def _provenance(opened: Study | Segmentation, given: Provenance, *, with_keys: bool) -> Provenance:
    """Where the segments come from: what is given, and what a study knows."""
    if isinstance(opened, Segmentation):
        return given
    known = provenance_of(opened.plan, opened.folder, _rows_of(opened), with_keys=with_keys)
    return replace(known, source=given.source or known.source, period=given.period or known.period)


def _rows_of(study: Study) -> int:
    """How many rows its source has."""
    return (rows_of(study.plan) or 0) if study.in_database or study.by_sample else len(study.table)


def _refuse_addresses(seg: Segmentation) -> None:
    """Raise where keys are what people are reached by, which are never in a report."""
    if any(_ADDRESS.fullmatch(str(key).strip()) for key in seg.features.keys[:_LOOKED_AT].tolist()):
        raise SettingError(
            f"the keys in {seg.features.key!r} look like addresses, which are never in a report: leave with_keys out."
        )


def _with_hierarchy(study: Study, seg: Segmentation) -> Segmentation:
    """Segments by density levels with their hierarchy, found again where it is of the same segments."""
    if not isinstance(study.plan.segments, LevelsPart) or study.plan.segments.not_repeatable is not None:
        return seg
    again = find_segments(study.features, study.plan.segments).seg
    same = np.array_equal(again.codes, seg.codes)
    return replace(seg, branches=again.branches, departures=again.departures) if same else seg


def parted(study: CountStudy | RadiusStudy | None) -> tuple[CountStudy | None, RadiusStudy | None]:
    """A study as one of the count or one of the radius."""
    return (study, None) if isinstance(study, CountStudy) else (None, study)


def _refuse_others(profile: Profile, seg: Segmentation) -> None:
    """Raise for a profile of other segments, or of other customers."""
    told = [int(profile.sizes["customers"].to_dict()[number]) for number in profile.numbers]
    keys = profile.exemplars[seg.features.key] if seg.features.key in profile.exemplars else pd.Series(dtype=object)
    if told != seg.sizes.tolist() or not np.isin(keys.to_numpy(), seg.features.keys).all():
        raise SettingError(
            f"the profile is of other {seg.noun.many} than these segments: make it with profile(seg, table)."
        )


def study_again(study: Study) -> CountStudy | RadiusStudy | None:
    """The study of the count or of the radius, made again as the plan says; None for methods that have none, and where
    no customer is at hand."""
    wanted, seg = study.plan.segments, study.segmentation
    if wanted.not_repeatable is not None or not len(seg.codes):
        return None
    if isinstance(wanted, KmeansPart):
        asked = study.plan.counts
        return study_counts(
            study.features,
            counts=counts_around(asked, study.features, seg.count),
            starts=asked.starts,
            max_iterations=asked.max_iterations,
            seed=asked.seed,
        )
    if isinstance(wanted, TreePart):
        tree = tree_of(study.features, wanted)
        counts = counts_around(study.plan.counts, study.features, seg.count)
        tried = [count for count in counts if count <= tree.leaves]
        return study_counts(study.features, counts=tried, method="tree", tree=tree, seed=wanted.seed)
    if isinstance(wanted, DensityPart):
        return study_radius(study.features, min_points=wanted.min_points, metric=wanted.metric)
    return None


def earlier_of(plan: Plan, beside: Path) -> list[Path]:
    """The folders of the studies that a plan in the folder `beside` compares with."""
    return [beside / from_environment(part.study) for part in plan.compare if part.study is not None]


def moves_since(folder: Path, earlier: Iterable[str | PathLike[str]]) -> dict[str, Migration]:
    """Who moved between each earlier study and the one in a folder, by the earlier one's name."""
    return {Path(before).resolve().name: migration_between(before, folder) for before in dict.fromkeys(earlier)}


def provenance_of(plan: Plan, folder: Path, rows: int, *, with_keys: bool) -> Provenance:
    """Where the segments of a study's folder come from, with the SHA-256 of its sources and of what its model learned
    from."""
    part = plan.events or plan.source
    prints = {
        Path(shown_place(one)).name: one.sha256
        for one in (plan.source, plan.events)
        if one is not None and one.sha256 is not None
    }
    there = standing_in(folder)
    if there.path(MODEL).is_file():
        prints["what the model learned from"] = load_model(there.path(MODEL)).fingerprint
    told = there.path(PLAN_FILE).read_text(encoding="utf-8")
    if plan.figures.label and not with_keys:
        told = text_of(plan.model_copy(update={"figures": plan.figures.model_copy(update={"label": []})}))
    period = None if plan.events is None or plan.events.period is None else plan.events.period
    return Provenance(
        source=None if part is None else shown_place(part),
        period=None if period is None else (period[0], period[1]),
        made_at=plan.made_at,
        made_by=plan.made_by,
        fingerprints=prints,
        rows=rows,
        plan=told,
    )
