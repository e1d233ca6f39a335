"""The figure that stands beside a result's table in a notebook."""

import os
from collections.abc import Callable
from typing import Any

from matplotlib.figure import Figure

from gauger import draw
from gauger.campaigns import Outcome
from gauger.choosing import CountStudy, LinkageStudy, MetricStudy, RadiusStudy
from gauger.clustering import MergeTree
from gauger.errors import GaugerError
from gauger.features import FeatureSet
from gauger.monitoring import Migration
from gauger.profiling import Comparison, Profile
from gauger.segmentation import Segmentation
from gauger.study import Study, segments_figure

_PLACE = "flex:1 1 30em;max-width:48em;min-width:0"

_SWITCH = "GAUGER_NOTEBOOK_FIGURES"
"""The environment variable that turns figures off where it is 0."""


def figure_of_result(result: object) -> str:
    """The figure of a result as an HTML image with its words for who cannot see it; empty where there is none."""
    if os.environ.get(_SWITCH) == "0":
        return ""
    draws = next((one for kind, one in _FIGURES.items() if isinstance(result, kind)), None)
    if draws is None:
        return ""
    try:
        figure = draws(result)
    except GaugerError:
        return ""  # too little to draw: the table says what there is
    return f'<div style="{_PLACE}">{figure._repr_html_()}</div>'


def _of_tree(tree: MergeTree) -> Figure:
    return draw.feature_tree(tree) if tree.of == "features" else draw.dendrogram(tree)


_FIGURES: dict[type, Callable[[Any], Figure]] = {
    FeatureSet: draw.treatments,
    CountStudy: draw.count_study,
    RadiusStudy: draw.radius_study,
    LinkageStudy: draw.linkage_study,
    MetricStudy: draw.metric_study,
    MergeTree: _of_tree,
    Segmentation: segments_figure,
    Study: lambda study: segments_figure(study.segmentation, study.plan.figures),
    Profile: draw.profile_bars,
    Comparison: draw.flow,
    Migration: draw.migration_flow,
    Outcome: draw.campaign_outcome,
}
