"""Customers in files that memory does not hold: when a command does them block by block, and how it says so."""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from gauger.cli.customers import Place
from gauger.cli.options import Preparation, Reading, option, over, typed

if TYPE_CHECKING:
    from gauger.engine import Everyone, Treated, Wanted
    from gauger.features import FeatureSet
    from gauger.remarks import Remark
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
        return bool(self.by_blocks) or any(one is not None for one in (self.cluster, self.workers, self.sample))


def goes_by_blocks(source: str | None, blocks: Blocks, place: Place, preparation: Preparation) -> bool:
    """Whether the customers of a source are to be done block by block; a folder whose key nobody types is a study."""
    from gauger.engine import is_too_large
    from gauger.study import is_study, open_study, read_plan
    from gauger.tables import is_many_files, is_url

    if blocks.asked:
        return True
    if blocks.by_blocks is False:
        return False
    if source is None:
        return place.plan is not None and read_plan(place.plan).by_blocks
    if is_url(source):
        return False
    if Path(source).is_dir() and (is_study(source) or preparation.key is None):
        return open_study(source).plan.by_blocks
    return is_many_files(source) or is_too_large(source)


def knows_its_count(source: str | None) -> bool:
    """Whether a source is the folder of a study, whose plan says how many segments there are."""
    from gauger.study import is_study

    return source is not None and is_study(source)


@dataclass(frozen=True)
class FileCustomers:
    """Customers in files, and how they are read and prepared: what was typed, and below it what a plan knows."""

    source: str
    reading: Reading
    preparation: Preparation
    blocks: Blocks
    plan: "Plan | None"

    def request(self, assignments: str | None = None) -> "BlockRequest":
        """The files, found to have what is asked of them."""
        from gauger.study import FORMATS, BlockRequest

        settings = over(None if self.plan is None else self.plan.preparation(), self.preparation.settings())
        key = settings.pop("key", None)
        if key is None:
            raise typer.BadParameter("say which column identifies a customer.", param_hint="--key")
        reading = {} if self.plan is None or self.plan.source is None else self.plan.source.reading()
        reading |= self.reading.settings()
        for name in ("sheet", "table", "query", "skip_bad_lines"):
            if reading.get(name):
                flag = f"--{name.replace('_', '-')}"
                raise typer.BadParameter(f"files are read by blocks without {flag}.", param_hint=flag)
        reading = {name: tuple(value) if name == "as_text" else value for name, value in reading.items()}
        return BlockRequest.of(self.source, key, settings, reading, assignments or FORMATS[0])

    def wanted(self, request: "BlockRequest", settings: Mapping[str, Any]) -> "Wanted":
        """The settings of k-means that were typed, and how large a sample is to be."""
        known = {} if self.plan is None else self.plan.segments.model_dump(include={*settings, "sample"})
        typed_settings = {**settings, "sample": self.blocks.sample}
        given = known | {name: value for name, value in typed_settings.items() if value is not None}
        return request.wanted(**{name: value for name, value in given.items() if value is not None})

    @contextmanager
    def working(self, request: "BlockRequest", *, quietly: bool = False) -> "Iterator[Everyone]":
        """Everyone in the files, and who works on them, saying so."""
        from gauger.algorithms import bytes_in_words
        from gauger.cli import console
        from gauger.study import working_on

        who = ""
        if self.blocks.cluster is not None:
            who = f" on the cluster at {self.blocks.cluster}"
        elif self.blocks.workers is not None:
            who = f" on {self.blocks.workers} processes"
        if not quietly:
            console.say(f"By blocks{who}: {request.parts.called()}, {bytes_in_words(request.parts.bytes)}.")
        with working_on(request, self.blocks.cluster, self.blocks.workers) as everyone:
            yield everyone

    @property
    def files(self) -> list[str]:
        """The files that are read."""
        return list(map(str, self.request().parts.files))

    def prepared(self, *, quietly: bool = False) -> "tuple[FeatureSet, tuple[Remark, ...]]":
        """A sample of the customers, prepared as everyone is, and the remarks on the files themselves."""
        from tempfile import TemporaryDirectory

        from gauger.cli import console
        from gauger.engine import treat_parts

        request = self.request()
        wanted = self.wanted(request, {})
        with self.working(request, quietly=quietly) as everyone, TemporaryDirectory(prefix="gauger-") as scratch:
            learned = treat_parts(request.parts, wanted, everyone, Path(scratch))
        sample = tell_learned(learned, quietly=quietly)
        console.remarks([*request.parts.remarks, *sample.remarks])
        return sample, request.parts.remarks

    def words(self, preparation: Preparation | None = None) -> str:
        """The customers as they are typed for the next command."""
        return typed(self.source, self.reading, preparation or self.preparation)


def file_customers(
    origin: str | None, place: Place, reading: Reading, preparation: Preparation, blocks: Blocks
) -> FileCustomers:
    """The files that were typed, or those that a study or a plan names."""
    from gauger.study import BEHAVIOUR, is_study, open_study, place_of, read_plan

    plan = None if place.plan is None else read_plan(place.plan)
    beside = Path() if place.plan is None else place.plan.parent
    if origin is not None and is_study(origin):
        study = open_study(origin)
        plan, beside, origin = study.plan, study.folder, None
    source = place.source or origin
    if source is None and (beside / BEHAVIOUR).is_file():
        source = str(beside / BEHAVIOUR)  # what the events came to when the study was made
    elif source is None and plan is not None and plan.source is not None and plan.events is None:
        source = place_of(plan.source, beside)
    if source is None:
        raise typer.BadParameter(
            "say which files: a pattern, a folder, or a plan that names them; `gauger run` begins with events.",
            param_hint="TABLE",
        )
    return FileCustomers(source, reading, preparation, blocks, plan)


def tell_learned(learned: "Treated", *, quietly: bool = False) -> "FeatureSet":
    """What was learned of the features; the sample, which says that it is one."""
    from gauger.cli import console
    from gauger.study import told_sample

    noun, names = learned.sample.noun, learned.sample.names
    if not quietly:
        console.say(
            f"{noun.counted(learned.survey.kept)} by {learned.sample.key}, {len(names)} features: {', '.join(names)}"
        )
    return told_sample(learned)
