"""The customers of a command: from a table and what is typed, or from a study or a plan that knows it all."""

import shlex
from dataclasses import dataclass, fields, replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import Preparation, Reading, option, typed

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    import pandas as pd

    from gauger.features import FeatureSet
    from gauger.remarks import Remark
    from gauger.study import Origin, Plan, Study

MaybeSource = Annotated[
    str | None,
    typer.Argument(
        metavar="TABLE|STUDY",
        help="A .csv, .tsv, .jsonl (also .gz), .parquet or .xlsx file, a database's URL, or the folder of a study.",
    ),
]


StudyFolder = Annotated[
    Path, typer.Argument(metavar="STUDY", help="The folder of a study, as `gauger segment` wrote it with --out.")
]


@dataclass(frozen=True)
class Place:
    """Where a command was told to take from what is typed for other tables."""

    plan: Annotated[Path | None, option("FILE", "Take source and preparation from a plan; what is typed wins.")] = None
    source: Annotated[
        str | None, option("FILE|URL", "Where a study's or a plan's customers are now, instead of where it says.")
    ] = None


@dataclass(frozen=True)
class Customers:
    """Customers, and how they are prepared: what was typed, and below it what a study or a plan knows."""

    where: str
    reading: Reading
    preparation: Preparation
    plan: "Plan | None"
    beside: Path
    study: "Study | None" = None

    def read(self) -> "pd.DataFrame":
        """Read the table, telling what was guessed, left out or has changed."""
        from gauger.cli import console
        from gauger.remarks import remarks_of
        from gauger.study import read_customers

        if self.plan is None:
            return self.reading.read(self.where)
        table = read_customers(self.plan, self.beside) if self.study is None else self.study.table
        console.remarks(remarks_of(table))
        self.refuse(remarks_of(table))
        return table

    def prepared(self, *, quietly: bool = False) -> "tuple[FeatureSet, tuple[Remark, ...]]":
        """The features of the table, and the remarks on the table itself."""
        from gauger.remarks import remarks_of

        table = self.read()
        return self.prepare(table, quietly=quietly), remarks_of(table)

    def prepare(self, table: "pd.DataFrame", *, quietly: bool = False, unsaid: "Sequence[str]" = ()) -> "FeatureSet":
        """Prepare the features, saying which, and what was typed in place of what the plan says."""
        from gauger.cli import console

        known = None if self.plan is None else self.plan.preparation()
        if self.plan is not None and not quietly:
            changed = _typed_options(self.reading) + _typed_options(self.preparation)
            but = f", but for {' '.join(changed)}" if changed else ""
            console.say(f"As {self.where} says{but}.")
        prepared = self.preparation.carry_out(table, quietly=quietly, known=known, unsaid=unsaid)
        self.refuse(remark for remark in prepared.remarks if remark.code not in unsaid)
        return prepared

    def refuse(self, remarks: "Iterable[Remark]") -> None:
        """Raise RefusedRemarkError for a remark that the plan does not accept."""
        from gauger.study import refuse_remarks

        if self.plan is not None:
            refuse_remarks(self.plan, remarks)

    def words(self, preparation: Preparation | None = None, *, with_preparation: bool = True, read: bool = True) -> str:
        """The customers as they are typed for the next command, by which they are always `read`."""
        del read
        own = preparation or self.preparation
        groups = (self.reading, own) if with_preparation else (self.reading,)
        of_a_plan = self.plan is not None and not Path(self.where).is_dir()
        return f"{'--plan ' if of_a_plan else ''}{typed(self.where, *groups)}"

    def origin(self, table: "pd.DataFrame", folder: Path) -> "Origin":
        """Where they came from, as the plan in another folder says it."""
        from gauger.study import Origin, moved_part, source_part

        if self.plan is None:
            return Origin(table, source_part(self.where, folder, self.reading.settings()))
        source = None if self.plan.source is None else moved_part(self.plan.source, self.beside, folder)
        events = None if self.plan.events is None else moved_part(self.plan.events, self.beside, folder)
        return Origin(table, source, events)

    def plan_for(self, folder: Path) -> "Plan | None":
        """The plan that they come from, as it reads in another folder."""
        from gauger.study import moved_plan

        return None if self.plan is None else moved_plan(self.plan, self.beside, folder)

    @property
    def files(self) -> list[str]:
        """The files that are read, which results must not replace."""
        if self.plan is None:
            return [self.where]
        parts = [part for part in (self.plan.source, self.plan.events) if part is not None and part.file]
        return [str(self.beside / str(part.file)) for part in parts]


def customers_of(
    source: str | None, place: Place, reading: Reading, preparation: Preparation, *, anew: bool = False
) -> Customers:
    """The customers that were typed: a table, the folder of a study, or a plan; raises wrong usage for none.

    Where they are to be segmented `anew` it does not matter that a study's source has changed.
    """
    from gauger.errors import MissingFileError
    from gauger.study import PLAN_FILE, open_study, read_plan
    from gauger.tables import is_url

    if source is not None and Path(source).is_dir():
        if place.plan is not None:
            raise typer.BadParameter(
                "a study has a plan of its own: leave --plan or the folder out.", param_hint="--plan"
            )
        study = open_study(source)
        known = study.plan.for_other_content() if anew else study.plan
        plan = _with_reading(_with_source(known, place.source, study.folder), reading)
        opened = None if anew else replace(study, plan=plan)
        return Customers(source, reading, preparation, plan, study.folder, opened)
    if place.plan is not None:
        plan = read_plan(place.plan).for_other_content()
        now = place.source if source is None else source
        plan = _with_reading(_with_source(plan, now, place.plan.parent), reading)
        return Customers(str(place.plan), reading, preparation, plan, place.plan.parent)
    if source is None:
        raise typer.BadParameter(
            "say which customers: a TABLE, the folder of a study, or --plan FILE.", param_hint="TABLE"
        )
    if Path(source).name == PLAN_FILE:
        raise typer.BadParameter(f"{source} is a plan: say --plan {shlex.quote(source)}.", param_hint="TABLE")
    if place.source is not None:
        raise typer.BadParameter("--source is for a study or a plan; TABLE says where they are.", param_hint="--source")
    if preparation.key is None:
        if not is_url(source) and not Path(source).exists():
            raise MissingFileError.at(Path(source))
        raise typer.BadParameter("say which column identifies a customer.", param_hint="--key")
    return Customers(source, reading, preparation, None, Path())


def _with_source(plan: "Plan", now: str | None, beside: Path) -> "Plan":
    """The plan with its customers read from somewhere else."""
    from gauger.study import source_part
    from gauger.tables import approve_typed, is_url

    if now is None:
        return plan
    kept = {} if plan.source is None else plan.source.reading()
    told = {} if plan.source is None else plan.source.model_dump(include={"bytes", "rows", "sha256"})
    if is_url(now):
        approve_typed(now, kept.get("query"))
    part = source_part(now, beside, kept)
    return plan.model_copy(update={"source": part.model_copy(update=told), "events": None})


def _with_reading(plan: "Plan", reading: Reading) -> "Plan":
    """The plan with what was typed about reading its source."""
    changed = {name: value for name, value in reading.settings().items() if name != "skip_bad_lines"}
    if not changed or plan.source is None:
        return plan
    source = plan.source.model_copy(update=changed)
    if source.url is not None and reading.query is not None:
        from gauger.tables import approve_query

        approve_query(source.url, reading.query)
    return plan.model_copy(update={"source": source})


def _typed_options(group: Reading | Preparation) -> list[str]:
    """The options of a group that were typed."""
    return [
        f"--{field.name.replace('_', '-')} {shlex.quote(str(getattr(group, field.name)))}"
        for field in fields(group)
        if getattr(group, field.name) != field.default
    ]


def model_file(path: Path) -> Path:
    """The model that was typed, or that of a study; raises StudyError for a folder that has none."""
    from gauger.study import open_study

    return open_study(path).model_file if path.is_dir() else path
