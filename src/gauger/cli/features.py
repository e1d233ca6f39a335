"""`gauger features`: from a table of events to one row of behaviour a customer."""

import shlex
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from gauger.cli.customers_in_place import InDatabase, Into, opened_there
from gauger.cli.look import show_columns
from gauger.cli.options import Reading, Replace, option, split_names, typed

if TYPE_CHECKING:
    import pandas as pd


_LOOKED_AT = 500_000
"""Customers of a file that its columns are shown of: a look at all would hold all."""


@dataclass(frozen=True)
class EventOptions:
    """How events were asked to be summarised."""

    customer: Annotated[str, option("COLUMN", "The column that says whose event it is.")]
    when: Annotated[str, option("COLUMN", "The column with the event's date or time.")]
    amount: Annotated[str | None, option("COLUMN", "The column with the money; negative amounts are refunds.")] = None
    quantity: Annotated[str | None, option("COLUMN", "The column with the number of things.")] = None
    category: Annotated[str | None, option("COLUMN", "The column with what was chosen, for shares by level.")] = None
    event_key: Annotated[
        str | None, option("COLUMN", "The column that numbers events; rows that share it are lines of one.")
    ] = None
    measures: Annotated[
        str | None, option("NAMES", "Measures or families of them: recency_days,visits,share_weekday; or all.")
    ] = None
    as_of: Annotated[
        str | None, option("DATE", "Count only what happened before. Default: the day after the last event.")
    ] = None
    since: Annotated[str | None, option("DATE", "Count only what happened from then on.")] = None
    window: Annotated[
        str | None, option("LENGTH", "Instead of --since: how long before --as-of events count, '12 months'.")
    ] = None
    zone: Annotated[
        str | None, option("ZONE", "Whose days count, for moments with a zone: Europe/Vienna. Default: UTC.")
    ] = None
    without_customer: Annotated[
        str, option("refuse|drop", "What becomes of events without a customer: drop counts and leaves them out.")
    ] = "refuse"
    lookup: Annotated[
        str | None, option("TABLE", "A second table, such as products, whose columns the events get.")
    ] = None
    on: Annotated[str | None, option("COLUMN", "The column that events and lookup share.")] = None
    only_customers: Annotated[
        bool, typer.Option("--only-customers", help="Leave out customers who are not in --customers.")
    ] = False
    event_noun: Annotated[str, option("WORD", "What to call an event.")] = "visits"
    amount_noun: Annotated[str, option("WORD", "What to call the amount.")] = "spend"
    quantity_noun: Annotated[str | None, option("WORD", "What to call the quantity. Default: its column's name.")] = (
        None
    )
    category_noun: Annotated[
        str | None, option("WORD", "What to call the category. Default: its column's last word.")
    ] = None

    def settings(self) -> dict[str, object]:
        """The keyword arguments of `summarise_events`."""
        asked = self.measures
        return {**asdict(self), "measures": asked if asked in (None, "all") else split_names(str(asked))}


def features(
    *,
    events: Annotated[
        str,
        typer.Argument(
            metavar="EVENTS",
            help="A table with one row an event: a file, a folder or pattern of files, or a database's URL.",
        ),
    ],
    summary: EventOptions,
    out: Annotated[Path | None, option("FILE", "The file to write: .csv, .parquet, .xlsx, .tsv or .jsonl.")] = None,
    customers: Annotated[
        str | None,
        option("TABLE", "All customers' table: those without an event come out too. With --sql, its name there."),
    ] = None,
    sql: Annotated[
        str | None, option("DIALECT", "Print the statement for postgres or duckdb instead of running it.")
    ] = None,
    sql_table: Annotated[
        str | None, option("NAME", "The events' table there. Default: EVENTS without its ending.")
    ] = None,
    memory: Annotated[
        str | None, option("SIZE", "Memory that events in files may take before they go to the disk: 4GB.")
    ] = None,
    replace: Replace = False,
    in_database: InDatabase = False,
    into: Into = None,
    reading: Reading,
) -> None:
    """Summarise events to one row a customer.

    How recently, how often, how regularly; with --amount, --quantity and --category for how much and of what.
    With --sql, the statement that does it in your own database; with --in-database it is done there, into a table.
    """
    if in_database or into is not None:
        _summarise_there(events, summary, reading, into, customers, replace=replace)
    elif sql is not None:
        from gauger.features import events_sql

        there = sql_table or reading.name_of(events).split(".")[0]
        statement = events_sql(
            _source(events, reading),
            dialect=sql,
            table=there,
            customers_table=customers,
            **summary.settings(),  # type: ignore[arg-type]
        )
        typer.echo(statement, nl=False)
    elif out is None:
        raise typer.BadParameter("say where the result goes.", param_hint="--out")
    else:
        _summarise(events, summary, reading, out, customers, memory, replace=replace)


def _summarise_there(
    events: str, summary: EventOptions, reading: Reading, into: str | None, customers: str | None, *, replace: bool
) -> None:
    """Summarise a table of events where it is."""
    from gauger.cli import console
    from gauger.columns import look
    from gauger.features import summarise_events
    from gauger.sources import open_table
    from gauger.wording import Noun

    if into is None:
        raise typer.BadParameter("say which table is made there.", param_hint="--into")
    open_events = opened_there(events, reading)
    settings: dict[str, Any] = summary.settings()
    made = summarise_events(open_events, customers=customers, into=into, replace=replace, **settings)
    noun = Noun.of_key(summary.customer)
    console.title(f"{made.facts['events']:,} events of {noun.counted(made.customers)}, as of {made.facts['as_of']}")
    looked = look(open_table(events, table=into), summary.customer)
    show_columns(looked.columns.drop(columns=["because", "type", "distinct"]))
    console.remarks(made.remarks)
    console.say(f"Made table {into} in the database. No row of an event left it.")
    key = shlex.quote(summary.customer)
    there = typed(events, Reading(table=into))
    console.next_step(f"gauger segment {there} --key {key} --into segments --count 4 --out segments")


def _summarise(
    events: str,
    summary: EventOptions,
    reading: Reading,
    out: Path,
    customers: str | None,
    memory: str | None,
    *,
    replace: bool,
) -> None:
    from gauger.cli import console
    from gauger.columns import look
    from gauger.features import EventSummary, behaviour_in_memory, behaviour_of_files
    from gauger.remarks import remarks_of
    from gauger.tables import head_of_file, read_table, result_folder
    from gauger.wording import Noun

    facts: dict[Any, Any]
    settings: dict[str, Any] = summary.settings()
    measures, as_of = settings.pop("measures"), settings.pop("as_of")
    with result_folder(out.parent, [out.name], replace=replace, sources=[events, customers]) as results:
        everyone = None if customers is None else read_table(customers)
        source = _source(events, reading)
        asked = EventSummary.given(None, settings, measures, everyone, as_of)
        if out.suffix == ".parquet" and isinstance(source, str):
            told = behaviour_of_files(source, results.path(out.name), asked, memory)
            facts, remarks = told.facts, told.remarks
            behaviour, rows = head_of_file(results.path(out.name), _LOOKED_AT)
        else:
            behaviour = behaviour_in_memory(source, asked, memory)
            facts, remarks, rows = {**behaviour.attrs}, remarks_of(behaviour), len(behaviour)
            results.add_table(out.name, behaviour)
    counted = f"{facts['events']:,} events of {Noun.of_key(summary.customer).counted(rows)}"
    console.title(f"{counted}, as of {facts['as_of']}")
    if len(behaviour) < rows:
        console.say(f"Of the first {len(behaviour):,}:")
    show_columns(look(behaviour, key=summary.customer).columns.drop(columns=["because", "type", "distinct"]))
    console.remarks(remarks)
    console.wrote(results.paths)
    console.next_step(f"gauger plan {typed(str(out))} --key {shlex.quote(summary.customer)} --out plan.toml")


def _source(events: str, reading: Reading) -> "str | pd.DataFrame":
    """The path of files that need no telling how to read them, for they may be larger than memory; else their table."""
    from gauger.tables import is_many_files, is_url

    if is_url(events):
        return reading.read(events)
    plain = reading == Reading() and Path(events).suffix.lower() in (".csv", ".tsv", ".parquet")
    return events if plain or is_many_files(events) else reading.read(events)
