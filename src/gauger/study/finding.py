"""Find the segments that a plan asks for: by its method and settings, and by the advice where it leaves them open."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from gauger.choosing import (
    CountAdvice,
    CountStudy,
    RadiusStudy,
    possible_counts,
    study_counts,
    study_radius,
)
from gauger.clustering import MergeTree, build_tree, segment_again
from gauger.errors import NoGroupsError, SettingError
from gauger.features import FeatureSet
from gauger.models import can_be_model
from gauger.remarks import Remark
from gauger.segmentation import Segmentation
from gauger.study.plan_parts import BandsPart, CountsPart, DensityPart, KmeansPart, SegmentsPart, TreePart
from gauger.study.study_files import MODEL

_MOST_COUNT = 10
"""The most segments that a tree is studied for."""

_BESIDE_BANDS = ("heavy-tail", "raw-scales", "extreme-customers", "near-constant")
"""Remarks on features that say nothing of bands, which are cut where values lie, whatever their scale."""

_HALVES = 2
"""Bands of a feature where nobody says: halves, so that two features make quadrants."""


@dataclass(frozen=True, eq=False)
class Found:
    """Segments, and what was studied on the way to them."""

    seg: Segmentation
    count_study: CountStudy | None = None
    radius_study: RadiusStudy | None = None
    tree: MergeTree | None = None

    def with_caution(self) -> "Found":
        """The same, with a remark where these segments cannot place other customers."""
        return replace(self, seg=self.seg.with_remarks(tuple(_about_no_model(self.seg))))


def remarks_with_method(method: str) -> tuple[str, ...]:
    """The codes of remarks on features that do not apply to a method."""
    return _BESIDE_BANDS if method == "bands" else ()


def find_segments(features: FeatureSet, wanted: SegmentsPart) -> Found:
    """Segments as a plan wants them; raises SettingError for what cannot be repeated, and what methods raise."""
    if wanted.not_repeatable is not None:
        raise SettingError(f"these segments cannot be made again: {wanted.not_repeatable}.")
    if isinstance(wanted, TreePart):
        return _by_tree(features, wanted)
    if isinstance(wanted, DensityPart) and wanted.radius is None:
        return _by_advised_radius(features, wanted)
    settings: dict[str, Any] = wanted.model_dump(exclude={"not_repeatable", "coarseness"})
    study = None
    if isinstance(wanted, KmeansPart) and wanted.count == "auto":
        study = study_counts(
            features,
            counts=possible_counts(features),
            starts=wanted.starts,
            max_iterations=wanted.max_iterations,
            seed=wanted.seed,
        )
        settings["count"] = advised(study.advice)
    if isinstance(wanted, BandsPart) and wanted.bands is None:
        settings["bands"] = dict.fromkeys(features.names, _HALVES)
    return Found(segment_again(features, settings), count_study=study).with_caution()


def advised(advice: CountAdvice) -> int:
    """The count that an advice recommends; raises NoGroupsError where it finds one group, which is no segmentation."""
    if advice.count > 1:
        return advice.count
    reasons = " ".join(advice.reasons[:2])
    raise NoGroupsError(
        f"no groups were found: {advice.verdict}. {reasons} Nothing was written. To go on, cut the customers into "
        "bands of your own (--method bands), prepare them in another way (other features, transform or cap), or say "
        "how many segments you want all the same (--count 4)."
    )


def counts_asked(wanted: CountsPart, features: FeatureSet) -> range:
    """The counts that a plan tries, no more than customers differ."""
    return range(wanted.lowest, possible_counts(features, wanted.highest)[-1] + 1)


def counts_around(wanted: CountsPart, features: FeatureSet, count: int) -> range:
    """The counts that a plan tries, stretched so that one fewer and one more than `count` are among them."""
    lowest, highest = min(wanted.lowest, max(count - 1, 1)), max(wanted.highest, count + 1)
    return range(lowest, possible_counts(features, highest)[-1] + 1)


def tree_of(features: FeatureSet, wanted: TreePart) -> MergeTree:
    """The tree that a plan asks for."""
    return build_tree(features, **wanted.model_dump(exclude={"method", "count", "height", "not_repeatable"}))


def _by_tree(features: FeatureSet, wanted: TreePart) -> Found:
    return cut_tree(tree_of(features, wanted), wanted)


def cut_tree(tree: MergeTree, wanted: TreePart) -> Found:
    """A tree's segments at the count or the height that is wanted, else as advised."""
    counts = range(1, min(_MOST_COUNT, tree.leaves) + 1)
    study = study_counts(tree.features, counts=counts, method="tree", tree=tree, seed=wanted.seed)
    count = advised(study.advice) if wanted.count is None and wanted.height is None else wanted.count
    return Found(tree.cut(count=count, height=wanted.height), count_study=study, tree=tree).with_caution()


def _by_advised_radius(features: FeatureSet, wanted: DensityPart) -> Found:
    study = study_radius(features, min_points=wanted.min_points, metric=wanted.metric)
    radius = study.advice.radius if wanted.coarseness is None else study.radius_for(wanted.coarseness)
    settings = {"method": "density", "radius": radius, "min_points": study.min_points, "metric": wanted.metric}
    seg = segment_again(features, settings)
    said = {remark.code for remark in seg.remarks}
    seg = seg.with_remarks(tuple(remark for remark in study.remarks if remark.code not in said))
    return Found(seg, radius_study=study).with_caution()


def _about_no_model(seg: Segmentation) -> Iterator[Remark]:
    rule = seg.assignment_rule
    if seg.count and not can_be_model(seg):
        why = f"by {rule.metric} distances " if rule is not None and rule.metric != "euclidean" else ""
        yield Remark(
            "no-model",
            f"segments {why}cannot place other customers, so there is no {MODEL}: to assign others, begin k-means with "
            "these segments (segment_by_kmeans(features, seeding=segments)).",
        )
