"""Customers in a database: when a command does its work inside it, and how it says so."""

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.customers import Place
from gauger.cli.options import Preparation, Reading, option, over, typed

if TYPE_CHECKING:
    from collections.abc import Callable

    from gauger.features import FeatureSet
    from gauger.remarks import Remark
    from gauger.study import DatabaseRequest, Plan

InDatabase = Annotated[
    bool, typer.Option("--in-database", help="Do it inside the database that the URL names: customers stay there.")
]
Into = Annotated[
    str | None, option("TABLE", "With --in-database: the table that is made there, perhaps with its schema.")
]
ShowSql = Annotated[bool, typer.Option("--show-sql", help="With --in-database: print each statement that is sent.")]


@dataclass(frozen=True)
class Database:
    """How a command was asked to work inside a database."""

    in_database: InDatabase = False
    into: Into = None
    show_sql: ShowSql = False

    @property
    def told(self) -> "Callable[[str], None] | None":
        """What is told of every statement."""
        return show_statement if self.show_sql else None

    def named(self) -> str:
        """The table that is made; raises wrong usage for none."""
        if self.into is None:
            raise typer.BadParameter("say which table is made there.", param_hint="--into")
        return self.into


def show_statement(statement: str) -> None:
    """A statement, on standard error."""
    typer.echo(f"{statement};\n", err=True)


def url_and_table(source: str | None, reading: Reading) -> tuple[str, str]:
    """A database's URL and the table in it that were typed; raises wrong usage for what is none."""
    from gauger.tables import approve_typed, is_url

    if source is None or not is_url(source):
        raise typer.BadParameter(
            "--in-database is for a database's URL, such as postgresql://user@host/shop.", param_hint="TABLE"
        )
    if reading.table is None:
        raise typer.BadParameter("say which table or view of the database.", param_hint="--table")
    if reading != Reading(table=reading.table):
        raise typer.BadParameter("inside a database a table or view is read as it is, by --table alone.")
    approve_typed(source)
    return source, reading.table


def table_there(model: Path, source: str | None, reading: Reading, *, in_database: bool) -> tuple[str, str] | None:
    """The URL and table of customers that a model's command is to do where they are: those typed, or those of its
    study; None for others."""
    from gauger.study import is_study, open_study, place_of

    if in_database and source is not None:
        return url_and_table(source, reading)
    if not is_study(model) or source is not None:
        return None
    study = open_study(model)
    part = study.plan.source
    if study.plan.into is None or part is None or part.table is None:
        return None
    return place_of(part, study.folder), reading.table or part.table


@dataclass(frozen=True)
class DatabaseCustomers:
    """Customers of a table in a database, and how they are prepared: what was typed, and below it what a plan knows."""

    url: str
    table: str
    reading: Reading
    preparation: Preparation
    database: Database
    plan: "Plan | None"
    sample: int | None

    def request(self) -> "DatabaseRequest":
        """What is asked of the database."""
        from gauger.study import DatabaseRequest

        settings = over(None if self.plan is None else self.plan.preparation(), self.preparation.settings())
        key = settings.pop("key", None)
        if key is None:
            raise typer.BadParameter("say which column identifies a customer.", param_hint="--key")
        return DatabaseRequest(self.url, self.table, key, settings, self.database.told)

    @property
    def files(self) -> list[str]:
        """No file is read."""
        return []

    def prepared(self, *, quietly: bool = False) -> "tuple[FeatureSet, tuple[Remark, ...]]":
        """A sample of the customers, fetched and prepared as everyone is."""
        from gauger.cli import console
        from gauger.engine import SAMPLE
        from gauger.study import told_features

        request = self.request()
        with request.session() as session:
            wanted = request.wanted(session, sample=self.sample or SAMPLE)
            features = told_features(session, request, wanted)
        if not quietly:
            console.say(f"{features.headline()} left the database: {', '.join(features.names)}")
        console.remarks(features.remarks)
        return features, ()

    def words(self, preparation: Preparation | None = None) -> str:
        """The customers as they are typed for the next command."""
        return f"{typed(self.url, self.reading, preparation or self.preparation)} --in-database --into segments"


def database_customers(
    origin: str | None,
    place: Place,
    reading: Reading,
    preparation: Preparation,
    database: Database,
    sample: int | None,
) -> DatabaseCustomers | None:
    """The customers of a database that were typed, or that a study or a plan segments inside it; None for others."""
    from gauger.study import is_study, open_study, place_of, read_plan

    plan, beside = (None if place.plan is None else read_plan(place.plan)), Path()
    if place.plan is not None:
        beside = place.plan.parent
    if origin is not None and is_study(origin):
        study = open_study(origin)
        plan, beside, origin = study.plan, study.folder, None
    known = plan is not None and plan.into is not None
    if not (database.in_database or database.into is not None or database.show_sql or known):
        return None
    source = place.source or origin
    if source is None and plan is not None and plan.source is not None:
        writes = database.into is not None or plan.into is not None
        source = place_of(plan.source, beside, writes=writes)
        if reading.table is None:
            reading = Reading(table=plan.source.table)
    url, table = url_and_table(source, reading)
    if plan is not None and database.into is None:
        database = Database(database.in_database, plan.into, database.show_sql)
    return DatabaseCustomers(url, table, reading, preparation, database, plan, sample)
