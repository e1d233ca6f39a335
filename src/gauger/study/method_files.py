"""What each method has to show besides its segments: iterations, branches, radii, the tree."""

import pandas as pd
from matplotlib.figure import Figure

from gauger.algorithms.distances import SERIES_METRICS
from gauger.choosing import RadiusStudy
from gauger.clustering import MergeTree
from gauger.draw import (
    dendrogram,
    density_levels,
    iteration_history,
    merge_jumps,
    neighbour_distances,
    radius_study,
    segment_spread,
    series_panels,
)
from gauger.segmentation import Segmentation
from gauger.study.finding import Found
from gauger.study.plan_parts import FiguresPart
from gauger.tables import Results


def add_method_files(results: Results, found: Found, wanted: FiguresPart) -> None:
    """Write what the method of some segments has to show."""
    seg = found.seg
    if seg.history is not None:
        results.add_figure("spread.png", segment_spread(seg))
        results.add_figure("iterations.png", iteration_history(seg))
    if seg.branches is not None:
        results.add_table("branches.csv", seg.branches.reset_index())
        results.add_figure("levels.png", density_levels(seg))
    if found.radius_study is not None:
        add_radius_files(results, found.radius_study)
    if found.tree is not None:
        results.add_table("merges.csv", readable_merges(found.tree))
        results.add_figure("tree.png", dendrogram(found.tree, segments=seg, also=wanted.also))
        if found.count_study is not None:
            results.add_figure("jumps.png", merge_jumps(found.tree, found.count_study.advice))
        if found.tree.metric in SERIES_METRICS:
            results.add_figure("series.png", series_figure(seg, found.tree.metric))


def add_radius_files(results: Results, study: RadiusStudy) -> None:
    """Write the table of a study of the radius, and its two figures."""
    results.add_table("radii.csv", study.table.reset_index())
    results.add_figure("radii.png", radius_study(study))
    results.add_figure("neighbours.png", neighbour_distances(study))


def series_figure(seg: Segmentation, metric: str) -> Figure:
    """The series of each segment, relative to their means where the metric compares shapes."""
    return series_panels(seg, relative=metric != "dtw")


def readable_merges(tree: MergeTree) -> pd.DataFrame:
    """The merges with names: a customer's key, or "step 12" for the branch that step made."""
    table = tree.merges.copy()
    for side in ("left", "right"):
        nodes = table[side].tolist()
        table[side] = [
            str(tree.leaf_names[node]) if node < tree.leaves else f"step {node - tree.leaves + 1}" for node in nodes
        ]
    return table.assign(segments=tree.leaves - table["step"])
