"""Customers in files that memory does not hold: when a command does them block by block, and how it says so."""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from gauger.cli.customers import Place
from gauger.cli.options import Preparation, Reading, option, over

if TYPE_CHECKING:
    from gauger.engine import Everyone, Treated, Wanted
    from gauger.features import FeatureSet
    from gauger.study import BlockRequest, Plan


@dataclass(frozen=True)
class Blocks:
    """How a command was asked to do customers in files block by block."""

    by_blocks: Annotated[
        bool | None,
        typer.Option(
            "--by-blocks/--at-once",
            help="Read the files block by block. Default: where they are several, or memory may not hold them.",
        ),
    ] = None
    cluster: Annotated[str | None, option("ADDRESS", "By blocks on a Dask cluster that is there: tcp://host:8786.")] = (
        None
    )
    workers: Annotated[int | None, option("N", "By blocks on that many processes of this machine.")] = None
    sample: Annotated[
        int | None, option("N", "By blocks: customers that figures and remarks look at. Default: 100000.")
    ] = None

    @property
    def asked(self) -> bool:
        """Whether something was typed that only blocks have."""
        return bool(self.by_blocks) or self.cluster is not None or self.workers is not None or self.sample is not None


def goes_by_blocks(source: str | None, blocks: Blocks, plan: "Plan | None" = None) -> bool:
    """Whether the customers of a source are to be done block by block."""
    if blocks.asked:
        return True
    if blocks.by_blocks is False or (source is not None and _is_study(source)):
        return False
    if source is None:
        return plan is not None and plan.by_blocks
    from gauger.tables import is_url

    if is_url(source):
        return False
    from gauger.engine import is_many_files, is_too_large

    return is_many_files(source) or is_too_large(source)


def _is_study(source: str) -> bool:
    from gauger.study import is_study

    return is_study(source)


@contextmanager
def working(request: "BlockRequest", blocks: Blocks) -> "Iterator[Everyone]":
    """Everyone in the files, and who works on them, saying so."""
    from gauger.algorithms import bytes_in_words
    from gauger.cli import console
    from gauger.study import working_on

    who = ""
    if blocks.cluster is not None:
        who = f" on the cluster at {blocks.cluster}"
    elif blocks.workers is not None:
        who = f" on {blocks.workers} processes"
    console.say(f"By blocks{who}: {request.parts.called()}, {bytes_in_words(request.parts.bytes)}.")
    with working_on(request, blocks.cluster, blocks.workers) as everyone:
        yield everyone


def request_of(
    source: str, reading: Reading, preparation: Preparation, known: dict[str, Any] | None, assignments: str
) -> "BlockRequest":
    """The files typed, and what was typed of their features over what a plan knows."""
    from gauger.study import BlockRequest

    settings = over(known, preparation.settings())
    key = settings.pop("key", None)
    if key is None:
        raise typer.BadParameter("say which column identifies a customer.", param_hint="--key")
    typed_reading = reading.settings()
    for name in ("sheet", "table", "query", "skip_bad_lines"):
        if name in typed_reading:
            flag = f"--{name.replace('_', '-')}"
            raise typer.BadParameter(f"files are read by blocks without {flag}.", param_hint=flag)
    typed_reading["as_text"] = tuple(typed_reading.get("as_text", ()))
    return BlockRequest.of(source, key, settings, typed_reading, assignments)


def tell_learned(learned: "Treated") -> "FeatureSet":
    """What was learned of the features; the sample, which says that it is one."""
    from gauger.cli import console
    from gauger.study import told_sample

    customers, sample = learned.survey.kept, learned.sample
    console.say(
        f"{sample.noun.counted(customers)} by {sample.key}, {len(sample.names)} features: {', '.join(sample.names)}"
    )
    return told_sample(learned)


def block_source(origin: str | None, place: Place, plan: "Plan | None") -> "tuple[str, Plan | None]":
    """The files that were typed, or those that a study or a plan names."""
    from gauger.study import open_study, place_of

    if origin is not None and _is_study(origin):
        study = open_study(origin)
        plan, beside = study.plan, study.folder
    elif origin is not None:
        return origin, plan
    else:
        beside = Path() if place.plan is None else place.plan.parent
    if place.source is not None:
        return place.source, plan
    if plan is None or plan.source is None:
        raise typer.BadParameter("say which files: a pattern, a folder, or a plan that names them.", param_hint="TABLE")
    return place_of(plan.source, beside), plan


def wanted_of(request: "BlockRequest", blocks: Blocks, settings: Mapping[str, Any]) -> "Wanted":
    """The settings of k-means that were typed, and how large a sample is to be."""
    typed = {name: value for name, value in settings.items() if value is not None}
    if blocks.sample is not None:
        typed["sample"] = blocks.sample
    return request.wanted(**typed)
