"""Customers in a database: when a command does its work inside it, and how it says so."""

import shlex
from collections.abc import Mapping
from dataclasses import dataclass
from dataclasses import replace as with_values
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from gauger.cli.customers import Place
from gauger.cli.options import Preparation, Reading, option, over, typed

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from gauger.features import FeatureSet
    from gauger.remarks import Remark
    from gauger.study import DatabaseRequest, DatabaseSegments, Plan

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
    from gauger.tables import is_url

    if source is None or not is_url(source):
        raise typer.BadParameter(
            "--in-database is for a database's URL, such as postgresql://user@host/shop.", param_hint="TABLE"
        )
    if reading.table is None:
        raise typer.BadParameter("say which table or view of the database.", param_hint="--table")
    if reading != Reading(table=reading.table):
        raise typer.BadParameter("inside a database a table or view is read as it is, by --table alone.")
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
        source = place_of(plan.source, beside)
        if reading.table is None:
            reading = Reading(table=plan.source.table)
    url, table = url_and_table(source, reading)
    if plan is not None and database.into is None:
        database = Database(database.in_database, plan.into, database.show_sql)
    return DatabaseCustomers(url, table, reading, preparation, database, plan, sample)


def segment_inside(
    customers: DatabaseCustomers,
    method: str,
    count: str | None,
    kmeans: Mapping[str, Any],
    figures: Mapping[str, Any],
    out: Path,
    *,
    replace: bool,
) -> None:
    """Segment everyone by k-means inside the database, write the study, and tell it."""
    from gauger.choosing import study_counts
    from gauger.cli.counts import tell_advice
    from gauger.cli.options import asked
    from gauger.study import FiguresPart, refuse_remarks, result_of, segment_there, study_in, told_features
    from gauger.tables import can_be_sent

    _refuse(method, kmeans)
    into, plan = customers.database.named(), customers.plan
    request = customers.request()
    if customers.database.show_sql and not can_be_sent(customers.url):
        _show_only(customers, request, into, count)
        return
    known = {} if plan is None else plan.segments.model_dump(include={"starts", "max_iterations", "seed", "sample"})
    given = known | {name: kmeans[name] for name in ("starts", "max_iterations", "seed")} | {"sample": customers.sample}
    settings = {name: value for name, value in {**known, **_given(given)}.items() if value is not None}
    sample = settings.pop("sample", None)
    number = count or str(getattr(plan.segments if plan is not None else None, "count", "auto"))
    with study_in(out, replace=replace) as results, request.session() as session:
        wanted = request.wanted(session, **settings)
        if number == "auto":
            if sample is None:
                raise typer.BadParameter(
                    "auto studies a sample that leaves the database: say --sample N, or how many.", param_hint="--count"
                )
            advised = study_counts(
                told_features(session, request, with_values(wanted, sample=sample)), seed=wanted.seed
            )
            tell_advice(advised.advice)
            number = str(advised.advice.count)
        found = segment_there(session, request, into, wanted, int(number), sample, replace=replace)
        if plan is not None:
            refuse_remarks(plan, found.remarks)
        if results is not None:
            drawn = asked(FiguresPart() if plan is None else plan.figures, dict(figures))
            request.write(results, found, figures=drawn, base=None if plan is None else plan)
    paths = [] if results is None else results.paths
    _tell(result_of(into, out, found), paths, out)


def _show_only(customers: DatabaseCustomers, request: "DatabaseRequest", into: str, count: str | None) -> None:
    """The statements for a database that nothing is sent to."""
    from gauger.cli import console
    from gauger.engine import Wanted
    from gauger.warehouse import dialect_to_show, statements_for

    if not request.preparation.get("features") or count is None or not count.isdigit():
        raise typer.BadParameter(
            "nothing is asked of this database: say the columns, and how many segments.",
            param_hint="--features, --count",
        )
    dialect = dialect_to_show(customers.url)
    console.say(
        f"Nothing was sent. These statements in the words of {dialect} are untested. Figures in them are those of a "
        "stand-in table: each statement takes what the one before it gave, and that of an iteration is sent again and "
        "again, with new centres.",
    )
    wanted = Wanted(request.key, request.preparation)
    for statement in statements_for(dialect, customers.table, wanted, int(count), into):
        console.plain(f"\n{statement}")


def _given(settings: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in settings.items() if value is not None}


def _refuse(method: str, kmeans: Mapping[str, Any]) -> None:
    """Raise wrong usage for what there is not in a database."""
    if method != "kmeans":
        raise typer.BadParameter(f"in a database there is k-means alone, not {method}.", param_hint="--method")
    for name in ("learn_on", "seeding"):
        if kmeans.get(name) not in (None, "kmeans++"):
            flag = f"--{name.replace('_', '-')}"
            raise typer.BadParameter(f"in a database there is no {flag}.", param_hint=flag)


def _tell(found: "DatabaseSegments", paths: "Sequence[Path]", out: Path) -> None:
    from gauger.cli import console
    from gauger.wording import Noun, plural

    noun, count = Noun.of_key(found.model.key), len(found.sizes)
    left = f", {found.left_out:,} left out" if found.left_out else ""
    segments = plural(count, "segment")
    console.heading(
        f"{count} {segments} of {noun.counted(found.customers)} by k-means{left}, centres in original units"
    )
    console.segments(found.centres)
    console.say(
        f"{found.iterations} {plural(found.iterations, 'iteration')} over everyone inside the database"
        f"{'' if found.converged else ', not converged'}. No row of a customer left it"
        + (f" but for a sample of {len(found.sample.codes):,}." if found.sample is not None else ".")
    )
    console.remarks(found.remarks)
    console.say(f"Made tables {found.into} and {found.into}_centres in the database.")
    console.wrote(paths)
    console.next_step(f"gauger profile {shlex.quote(str(out))}")
