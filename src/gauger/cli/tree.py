"""`gauger tree`: who is joined with whom at what height, the segments of a cut, and the advice on where to cut."""

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.counts import tell_advice
from gauger.cli.options import Preparation, Reading, Replace, Seed, Source, option, typed

if TYPE_CHECKING:
    import pandas as pd

    from gauger.clustering import MergeTree
    from gauger.features import FeatureSet
    from gauger.tables import Results

TREE_FILES = ("merges.csv", "assignments.csv", "centres.csv", "tree.png", "jumps.png")
SERIES_FILES = ("series.png",)
FEATURE_TREE_FILES = ("merges.csv", "groups.csv", "tree.png")

_MOST_COUNT = 10
"""The most segments that a tree is studied for."""


@dataclass(frozen=True)
class TreeOptions:
    """How a command was asked to build its tree."""

    of: Annotated[str, option("WORD", "What is joined: customers, or features by how alike they are.")] = "customers"
    linkage: Annotated[
        str | None,
        option(
            "WORD",
            "single, complete, average, weighted, centroid, median or ward. Default: ward, or average with another "
            "metric than euclidean.",
        ),
    ] = None
    metric: Annotated[
        str | None,
        option(
            "WORD",
            "euclidean (default), squared_euclidean, city_block, chebyshev, minkowski, canberra, cosine, correlation, "
            "mahalanobis or gower; for series dtw, dtw_zscored or lagged_correlation; for features correlation "
            "(default) or absolute_correlation.",
        ),
    ] = None
    condense: Annotated[int | None, option("N", "Gather customers into so many micro-segments first.")] = None
    optimal_order: Annotated[
        bool, typer.Option("--optimal-order", help="Turn branches so that neighbours are most alike.")
    ] = False
    p: Annotated[float, typer.Option("--p", metavar="NUMBER", help="The exponent of minkowski.")] = 3.0
    band: Annotated[int | None, option("N", "How many periods dynamic time warping may stretch over.")] = None
    lag: Annotated[int | None, option("N", "The most periods of lagged_correlation.")] = None

    def build(self, features: "FeatureSet", seed: int) -> "MergeTree":
        """The tree as asked for."""
        from gauger.clustering import build_tree

        return build_tree(features, **asdict(self), seed=seed)

    def files(self) -> tuple[str, ...]:
        """What will be written."""
        from gauger.algorithms.distances import SERIES_METRICS

        if self.of == "features":
            return FEATURE_TREE_FILES
        return TREE_FILES + (SERIES_FILES if self.metric in SERIES_METRICS else ())


def tree(
    *,
    source: Source,
    preparation: Preparation,
    joining: TreeOptions,
    count: Annotated[int | None, option("K", "Cut into so many. Default: the advised count.")] = None,
    height: Annotated[float | None, option("H", "Cut at this height, in the tree's own units.")] = None,
    also: Annotated[int | None, option("K", "A second cut to draw.")] = None,
    out: Annotated[Path, option("FOLDER", "Where the results go.")],
    seed: Seed = 0,
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Join customers (or features) two by two into a tree, and cut it.

    Writes merges.csv, assignments.csv, centres.csv and figures: tree.png (the dendrogram) and jumps.png (how high the
    last merges are). With a metric for series also series.png. Of features: merges.csv, groups.csv and tree.png.
    """
    from gauger.cli import console
    from gauger.tables import result_folder

    if count is not None and height is not None:
        raise typer.BadParameter("say either --count or --height.", param_hint="--height")
    with result_folder(out, joining.files(), replace=replace, sources=[source]) as results:
        made = joining.build(preparation.carry_out(reading.read(source)), seed)
        for asked in (count, also):
            if asked is not None:
                made.height_of(asked)
        if height is not None:
            made.groups(height=height)
        console.heading(made.headline())
        console.table(_last_merges(made))
        console.remarks(made.remarks)
        if made.of == "features":
            _write_groups(made, count, height, results)
        else:
            _write_segments(made, count, height, also, seed, results)
        results.add_table("merges.csv", _readable_merges(made))
    console.wrote(results.paths)
    if made.of == "customers":
        assigned = out / "assignments.csv"
        console.next_step(f"gauger profile {typed(source, reading)} --key {preparation.key} --assignments {assigned}")


def _write_groups(tree: "MergeTree", count: int | None, height: float | None, results: "Results") -> None:
    from gauger.cli import console
    from gauger.draw import feature_tree
    from gauger.features import HIGH_CORRELATION

    told = "of this cut"
    if count is None and height is None:
        count, told = tree.count_at(1.0 - HIGH_CORRELATION), f"that are alike by {HIGH_CORRELATION:.0%} or more"
    groups = tree.groups(count=count, height=height)
    results.add_table("groups.csv", groups.reset_index())
    results.add_figure("tree.png", feature_tree(tree, count=count, height=height))
    several = [number for number in sorted(set(groups)) if (groups == number).sum() > 1]
    console.heading(f"Groups {told}")
    for number in several:
        console.say(f"group {number}: {', '.join(groups.index[groups == number])}")
    if not several:
        console.say("none: each feature says something of its own.")


def _write_segments(
    tree: "MergeTree", count: int | None, height: float | None, also: int | None, seed: int, results: "Results"
) -> None:
    from gauger.algorithms.distances import SERIES_METRICS
    from gauger.choosing import study_counts
    from gauger.cli import console
    from gauger.draw import dendrogram, merge_jumps, series_panels

    counts = range(1, min(_MOST_COUNT, tree.leaves) + 1)
    study = study_counts(tree.features, counts=counts, method="tree", tree=tree, seed=seed)
    tell_advice(study.advice)
    if count is None and height is None:
        count = study.advice.count
    seg = tree.cut(count=count, height=height)
    shown = seg.overview()
    results.add_table("assignments.csv", seg.assignments)
    results.add_table("centres.csv", shown.reset_index())
    results.add_figure("tree.png", dendrogram(tree, count=count, height=height, also=also))
    results.add_figure("jumps.png", merge_jumps(tree, study.advice))
    if tree.metric in SERIES_METRICS:
        results.add_figure("series.png", series_panels(seg, relative=tree.metric != "dtw"))
    console.heading(f"{seg.headline()}, centres in original units")
    console.segments(shown)
    console.remarks([*study.remarks, *seg.remarks])


def _last_merges(tree: "MergeTree") -> "pd.DataFrame":
    """The last ten merges, heights of features as the likeness they stand for."""
    shown = tree.overview()
    if tree.of == "features":
        shown.insert(1, "similarity", [f"{100.0 * (1.0 - height):.0f}%" for height in shown["height"]])
    word = "segments" if tree.of == "customers" else "groups"
    return shown.rename(columns={"segments": f"{word} left", "jump": "jump to the next", "size": f"{tree.of} joined"})


def _readable_merges(tree: "MergeTree") -> "pd.DataFrame":
    """The merges with names: a customer's key, or "step 12" for the branch that step made."""
    table = tree.merges.copy()
    for side in ("left", "right"):
        nodes = table[side].tolist()
        table[side] = [
            str(tree.leaf_names[node]) if node < tree.leaves else f"step {node - tree.leaves + 1}" for node in nodes
        ]
    return table.assign(segments=tree.leaves - table["step"])
