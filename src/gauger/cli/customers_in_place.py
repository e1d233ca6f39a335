"""Customers who stay where they live, in files or in a database: when a command works there, and how it says so."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from gauger.cli.customers import Place
from gauger.cli.options import Preparation, Reading, option, over, typed

if TYPE_CHECKING:
    from gauger.columns import OpenTable
    from gauger.features import FeatureSet
    from gauger.features import Preparation as Asked
    from gauger.remarks import Remark
    from gauger.sources import PlacedTable
    from gauger.study import Plan

InDatabase = Annotated[
    bool,
    typer.Option(
        "--in-database", help="Work inside the database that the URL names: customers stay there. --into says so too."
    ),
]
Into = Annotated[
    str | None, option("TABLE", "Work inside the database, and make this table there, perhaps with its schema.")
]
ShowSql = Annotated[bool, typer.Option("--show-sql", help="In a database: print each statement that is sent.")]


@dataclass(frozen=True)
class Blocks:
    """How a command was asked to read customers in files out of core."""

    out_of_core: Annotated[
        bool | None,
        typer.Option(
            "--out-of-core/--at-once",
            help="Read the files block by block. Default: where they are several, or memory may not hold them.",
        ),
    ] = None
    cluster: Annotated[
        str | None, option("ADDRESS", "Out of core on a Dask cluster that is there: tcp://host:8786.")
    ] = None
    workers: Annotated[int | None, option("N", "Out of core on that many processes of this machine.")] = None
    sample: Annotated[
        int | None,
        option("N", "Customers that figures and remarks look at: of files 100000 by default, of a database none."),
    ] = None

    @property
    def asked(self) -> bool:
        """Whether something was typed that only files out of core have."""
        return bool(self.out_of_core) or self.cluster is not None or self.workers is not None


@dataclass(frozen=True)
class Database:
    """How a command was asked to work inside a database."""

    in_database: InDatabase = False
    into: Into = None
    show_sql: ShowSql = False

    @property
    def asked(self) -> bool:
        """Whether something was typed that only a database has."""
        return self.in_database or self.into is not None or self.show_sql

    @property
    def told(self) -> Callable[[str], None] | None:
        """What is called with every statement before it is sent."""
        return _show_statement if self.show_sql else None


def _show_statement(statement: str) -> None:
    typer.echo(f"{statement};\n", err=True)


def goes_out_of_core(source: str | None, blocks: Blocks, place: Place, preparation: Preparation) -> bool:
    """Whether customers in files are to be read block by block; a folder whose key nobody types is a study."""
    from gauger.sources import is_too_large
    from gauger.study import is_study, open_study, read_plan
    from gauger.tables import is_many_files, is_url

    if blocks.asked or (blocks.sample is not None and not (source is not None and is_url(source))):
        return True
    if blocks.out_of_core is False:
        return False
    if source is None:
        return place.plan is not None and read_plan(place.plan).out_of_core
    if is_url(source):
        return False
    if Path(source).is_dir() and (is_study(source) or preparation.key is None):
        return open_study(source).plan.out_of_core
    return is_many_files(source) or is_too_large(source)


def knows_its_count(source: str | None) -> bool:
    """Whether a source is the folder of a study, whose plan says how many segments there are."""
    from gauger.study import is_study

    return source is not None and is_study(source)


@dataclass(frozen=True)
class InPlaceCustomers:
    """Customers who stay where they live, and how they are prepared: what was typed, and below it what a plan knows."""

    source: str
    reading: Reading
    preparation: Preparation
    blocks: Blocks
    database: Database
    plan: "Plan | None"

    @property
    def in_database(self) -> bool:
        """Whether they are in a database."""
        from gauger.tables import is_url

        return is_url(self.source)

    @property
    def asked(self) -> "Asked":
        """What is asked of their features."""
        from gauger.features import Preparation as Wanted

        settings = over(None if self.plan is None else self.plan.preparation(), self.preparation.settings())
        if settings.get("key") is None:
            raise typer.BadParameter("say which column identifies a customer.", param_hint="--key")
        return Wanted(**settings)

    def open(self) -> "PlacedTable":
        """Their table, where it lives."""
        from gauger.sources import DatabaseTable, Execution, FileTable
        from gauger.tables import ReadingRules

        if self.in_database:
            return DatabaseTable(self.source, str(self.reading.table), told=self.database.told)
        own = self.blocks
        execution = Execution(cluster=own.cluster, workers=own.workers)
        return FileTable(self.source, ReadingRules(**self._reading()), execution)

    def _reading(self) -> dict[str, Any]:
        known = {} if self.plan is None or self.plan.source is None else self.plan.source.reading()
        return _of_files(known | self.reading.settings())

    def features(self, table: "PlacedTable", *, study: bool, quietly: bool = False) -> "FeatureSet":
        """Their features, learned from everyone, saying so; for a `study` a sample is always fetched."""
        from gauger.cli import console

        known = None if self.plan is None else getattr(self.plan.segments, "sample", None)
        sample = known if self.blocks.sample is None else self.blocks.sample
        if not quietly:
            console.say(f"{self._where()}: {table.called}{self._size(table)}.")
        features = table.learned(self.asked, sample, studied=study)
        if not quietly:
            who, names = self.asked.who, features.names
            console.say(
                f"{who.counted(features.customers)} by {features.key}, {len(names)} features: {', '.join(names)}"
            )
            if self.in_database and len(features.keys):
                console.say(f"{features.noun.counted(len(features.keys))} left the database, with their keys.")
        return features

    def _where(self) -> str:
        if self.in_database:
            return "In the database"
        if self.blocks.cluster is not None:
            return f"Out of core on the cluster at {self.blocks.cluster}"
        return f"Out of core on {self.blocks.workers} processes" if self.blocks.workers is not None else "Out of core"

    def _size(self, table: "PlacedTable") -> str:
        from gauger.algorithms import bytes_in_words
        from gauger.sources import FileTable

        return f", {bytes_in_words(table.bytes)}" if isinstance(table, FileTable) else ""

    @property
    def files(self) -> list[str]:
        """The files that are read."""
        from gauger.tables import files_of

        return [] if self.in_database else list(map(str, files_of(self.source)))

    def prepared(self, *, quietly: bool = False) -> "tuple[FeatureSet, tuple[Remark, ...]]":
        """A sample of the customers, prepared as everyone is, and the remarks on the files themselves."""
        from gauger.cli import console

        table = self.open()
        features = self.features(table, study=True, quietly=quietly)
        said = table.about_source()
        console.remarks([*said, *features.remarks])
        return features, said

    def words(self, preparation: Preparation | None = None, *, read: bool = False) -> str:
        """The customers as they are typed for the next command, which works where they live, or has them `read`."""
        rest = ("" if self.in_database else " --at-once") if read else " --into segments" if self.in_database else ""
        return f"{typed(self.source, self.reading, preparation or self.preparation)}{rest}"


def _of_files(reading: dict[str, Any]) -> dict[str, Any]:
    """How files are read out of core; raises wrong usage for what only a table that is read at once has."""
    for name in ("sheet", "table", "query", "skip_bad_lines"):
        if reading.get(name):
            flag = f"--{name.replace('_', '-')}"
            raise typer.BadParameter(f"files are read out of core without {flag}.", param_hint=flag)
    return {name: tuple(value) if name == "as_text" else value for name, value in reading.items()}


def customers_in_place(
    origin: str | None,
    place: Place,
    reading: Reading,
    preparation: Preparation,
    blocks: Blocks,
    database: Database,
) -> InPlaceCustomers | None:
    """The customers who are to stay where they live: those typed, or those that a study or a plan segments there; None
    for others."""
    from gauger.study import BEHAVIOUR, is_study, open_study, place_of, read_plan

    plan = None if place.plan is None else read_plan(place.plan)
    folder = Path() if place.plan is None else place.plan.parent
    source = place.source or origin
    if origin is not None and is_study(origin):
        study = open_study(origin)
        plan, folder, source = study.plan, study.folder, place.source
    if database.asked or (plan is not None and plan.into is not None and not blocks.asked):
        if source is None and plan is not None and plan.source is not None:
            source = place_of(plan.source, folder, writes=database.into is not None or plan.into is not None)
            reading = reading if reading.table is not None else Reading(table=plan.source.table)
        url, table = url_and_table(source, reading)
        if plan is not None and database.into is None:
            database = replace(database, into=plan.into)
        return InPlaceCustomers(url, Reading(table=table), preparation, blocks, database, plan)
    if not goes_out_of_core(origin, blocks, place, preparation):
        return None
    if source is None and (folder / BEHAVIOUR).is_file():
        source = str(folder / BEHAVIOUR)  # what the events came to when the study was made
    elif source is None and plan is not None and plan.source is not None and plan.events is None:
        source = place_of(plan.source, folder)
    if source is None:
        raise typer.BadParameter(
            "say which files: a pattern, a folder, or a plan that names them; `gauger run` begins with events.",
            param_hint="TABLE",
        )
    return InPlaceCustomers(source, reading, preparation, blocks, database, plan)


def url_and_table(source: str | None, reading: Reading) -> tuple[str, str]:
    """A database's URL and the table in it that were typed; raises wrong usage for what is none."""
    from gauger.tables import approve_typed, is_url

    if source is None or not is_url(source):
        raise typer.BadParameter(
            "--in-database and --into are for a database's URL, such as postgresql://user@host/shop.",
            param_hint="TABLE",
        )
    if reading.table is None:
        raise typer.BadParameter("say which table or view of the database.", param_hint="--table")
    if reading != Reading(table=reading.table):
        raise typer.BadParameter("inside a database a table or view is read as it is, by --table alone.")
    approve_typed(source)
    return source, reading.table


def is_several(source: str | None) -> bool:
    """Whether several files of customers were typed, rather than one or a study."""
    from gauger.study import is_study
    from gauger.tables import is_many_files

    return source is not None and is_many_files(source) and not is_study(source)


def opened_there(source: str | None, reading: Reading) -> "OpenTable":
    """Several files, or a database's table, that were typed, where they live."""
    from gauger.sources import DatabaseTable, open_table

    if source is not None and is_several(source):
        return open_table(source, **_of_files(reading.settings()))
    return DatabaseTable(*url_and_table(source, reading))


def table_of_study(model: Path, source: str | None, reading: Reading, *, in_database: bool) -> "OpenTable | None":
    """The table of customers that a model's command is to work on where they are: the one typed, or that of its study;
    None for others."""
    from gauger.sources import DatabaseTable
    from gauger.study import is_study, open_study, place_of

    if source is not None and (in_database or is_several(source)):
        return opened_there(source, reading)
    if not is_study(model) or source is not None:
        return None
    study = open_study(model)
    part = study.plan.source
    if study.plan.into is None or part is None or part.table is None:
        return None
    return DatabaseTable(place_of(part, study.folder), reading.table or part.table)
