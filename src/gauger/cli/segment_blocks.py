"""`gauger segment` for customers in files, block by block."""

import shlex
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer

from gauger.cli.blocks import FileCustomers, tell_learned
from gauger.cli.counts import tell_advice

if TYPE_CHECKING:
    from gauger.engine import PartSegments


def segment_by_blocks(
    customers: FileCustomers,
    method: str,
    count: str | None,
    kmeans: Mapping[str, Any],
    figures: Mapping[str, Any],
    assignments: str | None,
    out: Path,
    *,
    replace: bool,
) -> None:
    """Segment everyone by k-means, write the study, and tell it."""
    from gauger.choosing import study_counts
    from gauger.cli.options import asked
    from gauger.study import FiguresPart, learn, refuse_remarks, segment, source_of, write_block_study

    _refuse(method, kmeans)
    plan = customers.plan
    request = customers.request(assignments)
    wanted = customers.wanted(request, {name: kmeans[name] for name in ("starts", "max_iterations", "seed")})
    number = count or str(getattr(plan.segments if plan is not None else None, "count", "auto"))
    with (
        request.results(out, replace=replace) as results,
        customers.working(request) as everyone,
    ):
        learned = learn(results, request, wanted, everyone)
        sample = tell_learned(learned)
        if number == "auto":
            study = study_counts(sample, starts=wanted.starts, seed=wanted.seed)
            tell_advice(study.advice)
            number = str(study.advice.count)
        found = segment(results, request, wanted, learned, int(number), everyone)
        if plan is not None:
            refuse_remarks(plan, found.remarks)
        drawn = asked(FiguresPart() if plan is None else plan.figures, dict(figures))
        write_block_study(results, found, source_of(request, out), figures=drawn)
    _tell(found, results.paths, out)


def _refuse(method: str, kmeans: Mapping[str, Any]) -> None:
    """Raise wrong usage for what there is not by blocks."""
    if method != "kmeans":
        raise typer.BadParameter(f"by blocks there is k-means alone, not {method}.", param_hint="--method")
    for name in ("learn_on", "seeding"):
        if kmeans.get(name) not in (None, "kmeans++"):
            flag = f"--{name.replace('_', '-')}"
            raise typer.BadParameter(
                f"by blocks there is no {flag}: k-means begins on a coreset of all.", param_hint=flag
            )


def _tell(found: "PartSegments", paths: Sequence[Path], out: Path) -> None:
    from gauger.cli import console
    from gauger.study import overview_of

    noun, count = found.sample.noun, len(found.sizes)
    left = f", {found.left_out:,} left out" if found.left_out else ""
    segments = "segment" if count == 1 else "segments"
    console.heading(
        f"{count} {segments} of {noun.counted(found.customers)} by k-means{left}, centres in original units"
    )
    console.segments(overview_of(found.sample, found.sizes))
    console.say(
        f"{found.iterations} iterations over everyone in {found.passes} passes over the files"
        f"{'' if found.converged else ', not converged'}."
    )
    console.remarks(found.remarks)
    parts = [path for path in paths if path.parent != out]
    console.wrote([*([out / "assignments"] if parts else []), *(path for path in paths if path.parent == out)])
    console.next_step(f"gauger profile {shlex.quote(str(out))}")
