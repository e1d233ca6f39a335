"""`gauger segment`: split customers into segments and write who is in which."""

import shlex
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.bands import BandOptions
from gauger.cli.counts import tell_advice
from gauger.cli.density import RADIUS_FILES, DensityOptions
from gauger.cli.options import (
    MaxIterations,
    Preparation,
    Reading,
    Replace,
    Seed,
    Source,
    Starts,
    refuse_unused,
    split_names,
    two_features,
    typed,
)

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from gauger.features import FeatureSet
    from gauger.segmentation import Segmentation
    from gauger.tables import Results

METHODS = ("kmeans", "density", "density-levels", "bands")
KMEANS_SEEDING = "kmeans++"
SEGMENT_FILES = ("assignments.csv", "centres.csv", "segments.png")
KMEANS_FILES = ("spread.png", "iterations.png")
MODEL_FILE = "model.json"
LEVELS_FILES = ("branches.csv", "levels.png")


def segment(
    *,
    source: Source,
    preparation: Preparation,
    method: Annotated[str, typer.Option(metavar="WORD", help="kmeans, density, density-levels or bands.")] = "kmeans",
    count: Annotated[
        str | None, typer.Option(metavar="K|auto", help="For kmeans: how many segments; auto follows the advice.")
    ] = None,
    density: DensityOptions,
    bands: BandOptions,
    out: Annotated[Path, typer.Option(metavar="FOLDER", help="Where the results go.")],
    over: Annotated[
        str | None,
        typer.Option(metavar="X,Y", help="Two features for the figure. Default: those that tell segments apart best."),
    ] = None,
    outline: Annotated[
        str | None, typer.Option(metavar="WORD", help="Draw a hull or an ellipse around each segment.")
    ] = None,
    label: Annotated[str | None, typer.Option(metavar="KEYS", help="Customers to name in the figure: a,b.")] = None,
    seeding: Annotated[
        str,
        typer.Option(
            metavar="WORD", help="For kmeans, where starts begin: kmeans++, random, or first (rows of the table)."
        ),
    ] = KMEANS_SEEDING,
    learn_on: Annotated[
        float | None,
        typer.Option(
            metavar="N|SHARE", help="For kmeans: learn on that many customers, or that share; everyone is assigned."
        ),
    ] = None,
    starts: Starts = 10,
    max_iterations: MaxIterations = 300,
    seed: Seed = 0,
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Split customers into segments and write who is in which.

    Writes assignments.csv, centres.csv, segments.png (who is where) and model.json (for `gauger assign`). By kmeans
    also spread.png (each segment's centre and the spread around it) and iterations.png (how k-means came to rest). By
    density, without --radius, also radii.csv, radii.png and neighbours.png: the study of the radius. By density-levels
    also branches.csv and levels.png. By bands assignments.csv also says in which band of each feature a customer is.
    """
    from gauger.cli import console
    from gauger.tables import result_folder

    if method not in METHODS:
        raise typer.BadParameter(f"{method!r} must be one of {', '.join(METHODS)}.", param_hint="--method")
    _refuse_bad_count(method, count)
    if method != "kmeans":
        _refuse_kmeans_options(method, seeding, learn_on)
    density.refuse_for(method)
    refuse_unused(bands, ("bands", "combine", "score_bands", "low_is_good") if method == "bands" else (), method)
    axes = two_features(over)
    with result_folder(
        out, _files(method, density), optional=(MODEL_FILE,), replace=replace, sources=[source]
    ) as results:
        prepared = preparation.carry_out(reading.read(source))
        if method == "density":
            seg = density.segment(prepared, results)
        elif method == "density-levels":
            seg = density.segment_by_levels(prepared)
            _write_levels(seg, results)
        elif method == "bands":
            seg = bands.segment(prepared)
        else:
            many = _advised_count(prepared, starts, max_iterations, seed) if count == "auto" else int(count or 0)
            from gauger.clustering import segment_by_kmeans

            seg = segment_by_kmeans(
                prepared,
                many,
                seeding=seeding,
                starts=starts,
                max_iterations=max_iterations,
                learn_on=learn_on,
                seed=seed,
            )
            _write_kmeans(seg, results)
        shown = seg.overview()
        results.add_table("assignments.csv", seg.assignments)
        results.add_table("centres.csv", shown.reset_index())
        _write_model(seg, seed, results)
        results.add_figure("segments.png", _draw(seg, axes, outline, split_names(label or "")))
    console.heading(f"{seg.headline()}{', centres in original units' if seg.count else ''}")
    if seg.count:
        console.segments(shown)
    console.remarks(seg.remarks)
    console.wrote(results.paths)
    table = typed(source, reading, preparation)
    if not seg.count:
        console.next_step(f"gauger radius {table}")
    else:
        console.next_step(f"gauger profile {table} --assignments {shlex.quote(str(out / 'assignments.csv'))}")


def _refuse_bad_count(method: str, count: str | None) -> None:
    if method != "kmeans" and count is not None:
        raise typer.BadParameter(f"--method {method} finds the count by itself.", param_hint="--count")
    if method == "kmeans" and count is None:
        raise typer.BadParameter("say how many segments: a number, or auto.", param_hint="--count")
    if count is not None and count != "auto" and not count.isdigit():
        raise typer.BadParameter(f"{count!r} is neither a whole number nor auto.", param_hint="--count")


def _refuse_kmeans_options(method: str, seeding: str, learn_on: float | None) -> None:
    for name, given in (("--learn-on", learn_on is not None), ("--seeding", seeding != KMEANS_SEEDING)):
        if given:
            raise typer.BadParameter(f"--method {method} has no use for {name}.", param_hint=name)


def _files(method: str, density: DensityOptions) -> tuple[str, ...]:
    """What will be written."""
    if method == "kmeans":
        return SEGMENT_FILES + KMEANS_FILES
    if method == "density-levels":
        return SEGMENT_FILES + LEVELS_FILES
    if method == "bands":
        return SEGMENT_FILES
    return SEGMENT_FILES + (RADIUS_FILES if density.radius is None else ())


def _advised_count(prepared: "FeatureSet", starts: int, max_iterations: int, seed: int) -> int:
    from gauger.choosing import possible_counts, study_counts

    counts = possible_counts(prepared)
    study = study_counts(prepared, counts=counts, starts=starts, max_iterations=max_iterations, seed=seed)
    tell_advice(study.advice)
    return study.advice.count


def _write_kmeans(seg: "Segmentation", results: "Results") -> None:
    from gauger.draw import iteration_history, segment_spread

    results.add_figure("spread.png", segment_spread(seg))
    results.add_figure("iterations.png", iteration_history(seg))


def _write_model(seg: "Segmentation", seed: int, results: "Results") -> None:
    """The model, where segments can place other customers."""
    from gauger.models import build_model, can_be_model, save_model

    if can_be_model(seg):
        save_model(build_model(seg, seed=seed), results.path(MODEL_FILE))


def _write_levels(seg: "Segmentation", results: "Results") -> None:
    from gauger.draw import density_levels

    assert seg.branches is not None
    results.add_table("branches.csv", seg.branches.reset_index())
    results.add_figure("levels.png", density_levels(seg))


def _draw(seg: "Segmentation", axes: list[str], outline: str | None, label: list[str]) -> "Figure":
    from gauger.draw import profile_bars, scatter
    from gauger.profiling import profile

    if not axes and len(seg.features.names) == 1:
        return profile_bars(profile(seg, resamples=0))
    return scatter(seg, *axes, outline=outline, label=_keys_like(seg, label))


def _keys_like(seg: "Segmentation", typed_keys: list[str]) -> list[object]:
    """Keys as they are in the table, where a typed one reads like them."""
    known = {str(key): key for key in seg.features.keys.tolist()} if typed_keys else {}
    return [known.get(key, key) for key in typed_keys]
