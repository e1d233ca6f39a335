"""What a tree's cuts do to the advice: a cut may leave single customers aside instead of showing the groups."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from gauger.choosing.advice import MOST_ALTERNATIVES, CountAdvice
from gauger.choosing.evidence import Evidence
from gauger.choosing.signs import LEAST_SHARE
from gauger.choosing.survey import FAINTEST
from gauger.clustering import MergeTree
from gauger.segmentation import Segmentation
from gauger.wording import listed, plural

WAYS_OUT = "linkage ward (with the Euclidean metric), or k-means"


def advice_on_cuts(
    advice: CountAdvice, evidence: Evidence, segmentations: Mapping[int, Segmentation], tree: MergeTree
) -> CountAdvice:
    """The advice once the tree's cut at the advised count is looked at.

    A cut with segments that are too small to be groups, or two of which have no valley between them while the groups
    have, does not show them: the verdict is then "unclear", the sizes are the first reason, and the first count with as
    many segments of a fair size is an alternative.
    """
    seg = segmentations[advice.count]
    fair = {count: fair_segments(made.sizes.to_numpy()) for count, made in segmentations.items()}
    small = seg.count - fair[advice.count]
    between_valleys = evidence.between_valleys == evidence.count == advice.count
    short = between_valleys and not small and evidence.depth_of(seg.codes) < FAINTEST
    if advice.verdict == "no structure" or seg.count == 1 or not (small or short):
        return advice
    sizes = [f"{size:,}" for size in sorted(seg.sizes, reverse=True)]
    about_small = f", and {small} {plural(small, 'is', 'are')} too small to be one" if small else ""
    reasons = (
        f"Cut at {seg.count}, this tree does not show the groups: its segments have {listed(sizes, most=8)} "
        f"{plural(int(seg.sizes.iloc[0]), 'customer')}{about_small}. Try "
        f"{'k-means' if tree.linkage == 'ward' else WAYS_OUT}.",
        f"The customers themselves do fall into {evidence.count} groups: k-means finds them"
        + (", where two segments of this cut have no valley between them." if short else "."),
        *advice.reasons[1:],
    )
    others = dict(advice.alternatives)
    wanted = next((count for count in sorted(fair) if count > seg.count and fair[count] >= seg.count), None)
    if wanted is not None:
        few = wanted - fair[wanted]
        first = {wanted: f"{fair[wanted]} segments of a fair size and {few} of a few customers"}
        others = first | {count: why for count, why in others.items() if count != wanted}
    kept = dict(list(others.items())[:MOST_ALTERNATIVES])
    return replace(advice, verdict="unclear", reasons=reasons, alternatives=kept)


def fair_segments(sizes: NDArray[np.integer]) -> int:
    """How many segments have more than 1.5 % of the customers, and more than one."""
    return int((sizes > max(1.0, LEAST_SHARE * sizes.sum())).sum())
