"""`gauger segment`: split customers into segments and write who is in which."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.band_options import BandOptions
from gauger.cli.counts import tell_advice
from gauger.cli.customers import MaybeSource, Place, customers_of
from gauger.cli.customers_in_place import Blocks, Database, customers_in_place, knows_its_count
from gauger.cli.density_options import DensityOptions, tell_advice_on_radius, told_radius
from gauger.cli.made_study import tell_study, write_study
from gauger.cli.options import (
    AssignmentFormat,
    MaxIterations,
    MaybeSeed,
    Preparation,
    Reading,
    Replace,
    Starts,
    asked,
    assignment_file,
    refuse_unused,
    split_names,
    two_features,
)
from gauger.cli.segment_in_place import segment_there

if TYPE_CHECKING:
    from collections.abc import Mapping

    from gauger.features import FeatureSet
    from gauger.study import Found, Plan, SegmentsPart

METHODS = ("kmeans", "density", "density-levels", "bands")


def segment(
    *,
    origin: MaybeSource = None,
    preparation: Preparation,
    method: Annotated[
        str | None, typer.Option(metavar="WORD", help="kmeans (default), density, density-levels or bands.")
    ] = None,
    count: Annotated[
        str | None, typer.Option(metavar="K|auto", help="For kmeans: how many segments; auto follows the advice.")
    ] = None,
    density: DensityOptions,
    bands: BandOptions,
    out: Annotated[Path, typer.Option(metavar="FOLDER", help="The study's folder.")],
    over: Annotated[
        str | None,
        typer.Option(metavar="X,Y", help="Two features for the figure. Default: those that tell segments apart best."),
    ] = None,
    outline: Annotated[
        str | None, typer.Option(metavar="WORD", help="Draw a hull or an ellipse around each segment.")
    ] = None,
    label: Annotated[str | None, typer.Option(metavar="KEYS", help="Customers to name in the figure: a,b.")] = None,
    seeding: Annotated[
        str | None,
        typer.Option(
            metavar="WORD",
            help="For kmeans, where starts begin: kmeans++ (default), random, or first (rows of the table).",
        ),
    ] = None,
    learn_on: Annotated[
        float | None,
        typer.Option(
            metavar="N|SHARE", help="For kmeans: learn on that many customers, or that share; everyone is assigned."
        ),
    ] = None,
    starts: Starts = None,
    max_iterations: MaxIterations = None,
    seed: MaybeSeed = None,
    replace: Replace = False,
    assignments: AssignmentFormat = None,
    blocks: Blocks,
    database: Database,
    place: Place,
    reading: Reading,
) -> None:
    """Split customers into segments and write who is in which.

    TABLE may also be a folder of files or a pattern such as 'base/*.parquet'. These, and files that memory may not
    hold, are segmented out of core, by k-means; `--cluster` lets a Dask cluster do it. A database's URL with `--into`
    is segmented inside the database; with `--sample 0` no row of a customer leaves it.

    Writes a study: assignments.csv, centres.csv, segments.png (who is where), remarks.json, plan.toml (how it was
    made) and model.json (for `gauger assign`). By kmeans also spread.png (each segment's centre and the spread around
    it) and iterations.png (how k-means came to rest). By density, without --radius, also radii.csv, radii.png and
    neighbours.png: the study of the radius. By density-levels also branches.csv and levels.png. By bands
    assignments.csv also says in which band of each feature a customer is.
    """
    from gauger.algorithms.first_run import compile_in_background
    from gauger.study import find_segments, remarks_with_method, study_results

    chosen = _checked_method(method, count, place.plan is not None or knows_its_count(origin))
    axes = two_features(over)
    kmeans = {
        "seeding": seeding,
        "learn_on": learn_on,
        "starts": starts,
        "max_iterations": max_iterations,
        "seed": seed,
    }
    figures = {"over": axes or None, "outline": outline, "label": split_names(label) if label else None}
    files = assignment_file(assignments)
    compile_in_background()
    there = customers_in_place(origin, place, reading, preparation, blocks, database)
    if there is not None:
        _refuse_unused(chosen, count, kmeans, density, bands)
        segment_there(there, chosen, count, kmeans, figures, assignments, out, replace=replace)
        return
    customers = customers_of(origin, place, reading, preparation, anew=True)
    if customers.plan is not None:
        chosen = method or customers.plan.segments.method
    _refuse_unused(chosen, count, kmeans, density, bands)
    with study_results(out, replace=replace, sources=customers.files, assignments=(files,)) as results:
        table = customers.read()
        prepared = customers.prepare(table, unsaid=remarks_with_method(chosen))
        wanted = _wanted(customers.plan, chosen, {"count": _number_or_word(count), **kmeans}, density, bands, prepared)
        found = find_segments(prepared, wanted)
        _tell_studies(found, wanted)
        found = write_study(results, customers, table, found, out, figures)
    tell_study(found.seg, results.paths, out, customers)


def _checked_method(method: str | None, count: str | None, known: bool) -> str:
    """The method typed, else k-means; raises wrong usage for another word, and for no count that nobody knows."""
    if method is not None and method not in METHODS:
        raise typer.BadParameter(f"{method!r} must be one of {', '.join(METHODS)}.", param_hint="--method")
    if count is not None and count != "auto" and not count.isdigit():
        raise typer.BadParameter(f"{count!r} is neither a whole number nor auto.", param_hint="--count")
    if (method or "kmeans") == "kmeans" and count is None and not known:
        raise typer.BadParameter("say how many segments: a number, or auto.", param_hint="--count")
    return method or "kmeans"


def _refuse_unused(
    method: str, count: str | None, kmeans: "Mapping[str, object]", density: DensityOptions, bands: BandOptions
) -> None:
    """Raise wrong usage for options that were typed and that the method has no use for."""
    if method not in ("kmeans", "tree"):
        if count is not None:
            raise typer.BadParameter(f"--method {method} finds the count by itself.", param_hint="--count")
        for name in ("learn_on", "seeding"):
            if kmeans[name] is not None:
                flag = f"--{name.replace('_', '-')}"
                raise typer.BadParameter(f"--method {method} has no use for {flag}.", param_hint=flag)
    density.refuse_for(method)
    refuse_unused(bands, ("bands", "combine", "score_bands", "low_is_good") if method == "bands" else (), method)


def _number_or_word(count: str | None) -> int | str | None:
    return int(count) if count is not None and count.isdigit() else count


def _wanted(
    plan: "Plan | None",
    method: str,
    kmeans: "Mapping[str, object]",
    density: DensityOptions,
    bands: BandOptions,
    prepared: "FeatureSet",
) -> "SegmentsPart":
    """The segments asked for: what was typed over what a plan says of the same method."""
    from gauger.study import BandsPart, DensityPart, KmeansPart, LevelsPart, TreePart

    kinds: Mapping[str, type[SegmentsPart]] = {
        "kmeans": KmeansPart,
        "tree": TreePart,
        "density": DensityPart,
        "density-levels": LevelsPart,
        "bands": BandsPart,
    }
    known = (
        kinds[method].model_validate({"method": method})
        if plan is None or plan.segments.method != method
        else plan.segments
    )
    typed: Mapping[str, object] = {
        "kmeans": kmeans,
        "tree": {"count": kmeans["count"]},
        "density": vars(density),
        "density-levels": vars(density),
        "bands": bands.settings(prepared.names),
    }[method]
    if isinstance(known, DensityPart) and (density.radius is not None or density.coarseness is not None):
        known = known.model_copy(update={"radius": None, "coarseness": None})
    fields = type(known).model_fields
    return asked(known, {name: value for name, value in typed.items() if name in fields})


def _tell_studies(found: "Found", wanted: "SegmentsPart") -> None:
    """What was studied on the way to the segments, and what of it was taken."""
    if found.count_study is not None:
        tell_advice(found.count_study.advice)
    if found.radius_study is not None:
        tell_advice_on_radius(found.radius_study)
        told_radius(found.radius_study, getattr(wanted, "coarseness", None))
