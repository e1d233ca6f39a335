"""`gauger segment` for customers in files, block by block."""

import shlex
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer

from gauger.cli.blocks import Blocks, request_of, tell_learned, wanted_of, working
from gauger.cli.counts import tell_advice
from gauger.cli.options import Preparation, Reading

if TYPE_CHECKING:
    from gauger.engine import PartSegments
    from gauger.study import Plan


@dataclass(frozen=True)
class BlockSegmenting:
    """What was typed of segments by blocks: the files, and all that says how."""

    source: str
    reading: Reading
    preparation: Preparation
    plan: "Plan | None"
    blocks: Blocks
    count: str | None
    kmeans: Mapping[str, Any]
    figures: Mapping[str, Any]
    assignments: str
    out: Path
    replace: bool

    def run(self) -> None:
        """Segment everyone, write the study, and tell it."""
        from gauger.choosing import study_counts
        from gauger.cli import console
        from gauger.cli.options import asked
        from gauger.study import FiguresPart, learn, segment, source_of, write_block_study

        refuse_by_blocks(self.kmeans)
        known = None if self.plan is None else self.plan.preparation()
        request = request_of(self.source, self.reading, self.preparation, known, self.assignments)
        settings = {name: self.kmeans[name] for name in ("starts", "max_iterations", "seed")}
        wanted = wanted_of(request, self.blocks, settings)
        with (
            request.results(self.out, replace=self.replace) as results,
            working(request, self.blocks) as everyone,
        ):
            learned = learn(results, request, wanted, everyone)
            sample = tell_learned(learned)
            if self.count is None or self.count == "auto":
                study = study_counts(sample, starts=wanted.starts, seed=wanted.seed)
                tell_advice(study.advice)
                count = study.advice.count
            else:
                count = int(self.count)
            found = segment(results, request, wanted, learned, count, everyone)
            figures = asked(FiguresPart(), {name: value for name, value in self.figures.items() if value is not None})
            write_block_study(results, found, source_of(request, self.out), figures=figures)
        _tell(found, results.paths, self.out)
        console.next_step(f"gauger profile {shlex.quote(str(self.out))}")


def refuse_by_blocks(kmeans: Mapping[str, Any]) -> None:
    """Raise wrong usage for what k-means by blocks has no use for."""
    for name in ("learn_on", "seeding"):
        if kmeans.get(name) not in (None, "kmeans++"):
            flag = f"--{name.replace('_', '-')}"
            raise typer.BadParameter(
                f"by blocks there is no {flag}: k-means begins on a coreset of all.", param_hint=flag
            )


def _tell(found: "PartSegments", paths: "list[Path]", out: Path) -> None:
    from gauger.cli import console
    from gauger.study import overview_of

    noun, count = found.sample.noun, len(found.sizes)
    left = f", {found.left_out:,} left out" if found.left_out else ""
    console.heading(f"{count} segments of {noun.counted(found.customers)} by k-means{left}, centres in original units")
    console.segments(overview_of(found.sample, found.sizes))
    console.say(
        f"{found.iterations} iterations over everyone in {found.passes} passes over the files"
        f"{'' if found.converged else ', not converged'}."
    )
    console.remarks(found.remarks)
    parts = [path for path in paths if path.parent != out]
    shown = [path for path in paths if path.parent == out]
    console.wrote([*([out / "assignments"] if parts else []), *shown])
