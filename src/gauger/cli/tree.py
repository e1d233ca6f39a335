"""`gauger tree`: who is joined with whom at what height, the segments of a cut, and the advice on where to cut."""

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.counts import tell_advice
from gauger.cli.customers import MaybeSource, Place, customers_of
from gauger.cli.made_study import tell_study, write_study
from gauger.cli.options import MaybeSeed, Preparation, Reading, Replace, asked, option

if TYPE_CHECKING:
    import pandas as pd

    from gauger.cli.customers import Customers
    from gauger.clustering import MergeTree
    from gauger.features import FeatureSet
    from gauger.study import Plan, TreePart
    from gauger.tables import Results

FEATURE_TREE_FILES = ("merges.csv", "groups.csv", "tree.png")


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
    p: Annotated[float | None, typer.Option("--p", metavar="NUMBER", help="The exponent of minkowski. Default: 3.")] = (
        None
    )
    band: Annotated[int | None, option("N", "How many periods dynamic time warping may stretch over.")] = None
    lag: Annotated[int | None, option("N", "The most periods of lagged_correlation.")] = None

    def settings(self) -> dict[str, object]:
        """The settings of a tree that were typed."""
        return {name: value for name, value in asdict(self).items() if name != "of" and value is not False}


def tree(
    *,
    origin: MaybeSource = None,
    preparation: Preparation,
    joining: TreeOptions,
    count: Annotated[int | None, option("K", "Cut into so many. Default: the advised count.")] = None,
    height: Annotated[float | None, option("H", "Cut at this height, in the tree's own units.")] = None,
    also: Annotated[int | None, option("K", "A second cut to draw.")] = None,
    out: Annotated[Path, option("FOLDER", "The study's folder.")],
    seed: MaybeSeed = None,
    replace: Replace = False,
    place: Place,
    reading: Reading,
) -> None:
    """Join customers (or features) two by two into a tree, and cut it.

    Writes a study as `gauger segment` does, with merges.csv, tree.png (the dendrogram) and jumps.png (how high the
    last merges are). With a metric for series also series.png. Of features: merges.csv, groups.csv and tree.png.
    """
    if count is not None and height is not None:
        raise typer.BadParameter("say either --count or --height.", param_hint="--height")
    customers = customers_of(origin, place, reading, preparation, anew=True)
    wanted = _wanted(customers.plan, {**joining.settings(), "count": count, "height": height, "seed": seed})
    if joining.of == "features":
        _of_features(customers, joining, wanted, out, replace=replace)
    else:
        _of_customers(customers, joining, wanted, also, out, replace=replace)


def _wanted(plan: "Plan | None", typed: dict[str, object]) -> "TreePart":
    """The tree and its cut: what was typed over what a plan says of a tree."""
    from gauger.study import TreePart

    known = plan.segments if plan is not None and isinstance(plan.segments, TreePart) else TreePart(method="tree")
    if typed["count"] is not None or typed["height"] is not None:
        known = known.model_copy(update={"count": None, "height": None})
    return asked(known, typed)


def _of_customers(
    customers: "Customers", joining: TreeOptions, wanted: "TreePart", also: int | None, out: Path, *, replace: bool
) -> None:
    from gauger.study import cut_tree, study_results

    with study_results(out, replace=replace, sources=customers.files) as results:
        table = customers.read()
        made = _built(customers.prepare(table), joining, wanted)
        for asked_for in (wanted.count, also):
            if asked_for is not None:
                made.height_of(asked_for)
        if wanted.height is not None:
            made.groups(height=wanted.height)
        _tell_tree(made)
        found = cut_tree(made, wanted)
        assert found.count_study is not None
        tell_advice(found.count_study.advice)
        found = write_study(results, customers, table, found, out, {"also": also})
    assert found.count_study is not None
    tell_study(found.seg, results.paths, out, customers, found.count_study.remarks)


def _of_features(customers: "Customers", joining: TreeOptions, wanted: "TreePart", out: Path, *, replace: bool) -> None:
    from gauger.cli import console
    from gauger.study import readable_merges
    from gauger.tables import result_folder

    with result_folder(out, FEATURE_TREE_FILES, replace=replace, sources=customers.files) as results:
        made = _built(customers.prepare(customers.read()), joining, wanted)
        if wanted.count is not None:
            made.height_of(wanted.count)
        _tell_tree(made)
        _write_groups(made, wanted.count, wanted.height, results)
        results.add_table("merges.csv", readable_merges(made))
    console.wrote(results.paths)


def _built(features: "FeatureSet", joining: TreeOptions, wanted: "TreePart") -> "MergeTree":
    from gauger.clustering import build_tree

    settings = wanted.model_dump(exclude={"method", "count", "height", "not_repeatable"})
    return build_tree(features, of=joining.of, **settings)  # type: ignore[arg-type]


def _tell_tree(made: "MergeTree") -> None:
    from gauger.cli import console

    console.heading(made.headline())
    console.table(_last_merges(made))
    console.remarks(made.remarks)


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


def _last_merges(tree: "MergeTree") -> "pd.DataFrame":
    """The last ten merges, heights of features as the likeness they stand for."""
    shown = tree.overview()
    if tree.of == "features":
        shown.insert(1, "similarity", [f"{100.0 * (1.0 - height):.0f}%" for height in shown["height"]])
    word = "segments" if tree.of == "customers" else "groups"
    return shown.rename(columns={"segments": f"{word} left", "jump": "jump to the next", "size": f"{tree.of} joined"})
