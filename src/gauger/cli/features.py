"""`gauger features`: from a table of events to one row of behaviour a customer."""

from pathlib import Path
from typing import Annotated

import typer

from gauger.cli.look import show_columns
from gauger.cli.options import Reading, Replace, split_names, typed


def features(
    events: Annotated[
        str, typer.Argument(metavar="EVENTS", help="A table with one row an event: a file, or a database's URL.")
    ],
    customer: Annotated[str, typer.Option(metavar="COLUMN", help="The column that says whose event it is.")],
    when: Annotated[str, typer.Option(metavar="COLUMN", help="The column with the event's date or time.")],
    reading: Reading,
    out: Annotated[
        Path | None, typer.Option(metavar="FILE", help="The file to write: .csv, .parquet, .xlsx, .tsv or .jsonl.")
    ] = None,
    amount: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="The column with the money; negative amounts are refunds.")
    ] = None,
    quantity: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="The column with the number of things.")
    ] = None,
    category: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="The column with what was chosen, for shares by level.")
    ] = None,
    event_key: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="The column that numbers events: exact repeats count once.")
    ] = None,
    measures: Annotated[
        str | None,
        typer.Option(metavar="NAMES", help="Measures or families of them: recency_days,visits,share_weekday; or all."),
    ] = None,
    customers: Annotated[
        str | None,
        typer.Option(metavar="TABLE", help="A table with all customers: those without any event come out too."),
    ] = None,
    as_of: Annotated[
        str | None,
        typer.Option(metavar="DATE", help="Count only what happened before. Default: the day after the last event."),
    ] = None,
    sql: Annotated[
        str | None,
        typer.Option(metavar="DIALECT", help="Print the statement for postgres or duckdb instead of running it."),
    ] = None,
    sql_table: Annotated[
        str | None, typer.Option(metavar="NAME", help="The events' table there. Default: EVENTS without its ending.")
    ] = None,
    event_noun: Annotated[str, typer.Option(metavar="WORD", help="What to call an event.")] = "visits",
    amount_noun: Annotated[str, typer.Option(metavar="WORD", help="What to call the amount.")] = "spend",
    quantity_noun: Annotated[
        str | None, typer.Option(metavar="WORD", help="What to call the quantity. Default: its column's name.")
    ] = None,
    category_noun: Annotated[
        str | None, typer.Option(metavar="WORD", help="What to call the category. Default: its column's last word.")
    ] = None,
    replace: Replace = False,
) -> None:
    """Summarise events to one row a customer.

    How recently, how often, how regularly; with --amount, --quantity and --category for how much and of what.
    With --sql, the statement that does it in your own database.
    """
    settings: dict[str, object] = {
        "customer": customer,
        "when": when,
        "amount": amount,
        "quantity": quantity,
        "category": category,
        "event_key": event_key,
        "measures": measures if measures in (None, "all") else split_names(str(measures)),
        "as_of": as_of,
        "event_noun": event_noun,
        "amount_noun": amount_noun,
        "quantity_noun": quantity_noun,
        "category_noun": category_noun,
    }
    if sql is not None:
        _print_sql(
            _events(events, reading),
            sql,
            sql_table or reading.table or Path(events).name.split(".")[0],
            customers,
            settings,
        )
    elif out is None:
        raise typer.BadParameter("say where the result goes.", param_hint="--out")
    else:
        _summarise(events, reading, out, customers, settings, replace=replace)


def _summarise(
    events: str, reading: Reading, out: Path, customers: str | None, settings: dict[str, object], *, replace: bool
) -> None:
    from gauger.cli import console
    from gauger.features import summarise_events
    from gauger.remarks import remarks_of
    from gauger.tables import look, read_table, result_folder

    key = str(settings["customer"])
    with result_folder(out.parent, [out.name], replace=replace) as results:
        everyone = None if customers is None else read_table(customers)
        behaviour = summarise_events(_events(events, reading), customers=everyone, **settings)  # type: ignore[arg-type]
        results.add_table(out.name, behaviour)
    console.title(
        f"{behaviour.attrs['events']:,} events of {len(behaviour):,} customers, as of {behaviour.attrs['as_of']}"
    )
    show_columns(look(behaviour, key=key).columns.drop(columns=["because", "type", "distinct"]))
    console.remarks(remarks_of(behaviour))
    console.wrote(results.paths)
    console.next_step(f"gauger counts {typed(str(out))} --key {key}")


def _print_sql(events: "object", dialect: str, table: str, customers: str | None, settings: dict[str, object]) -> None:
    from gauger.features import events_sql

    typer.echo(events_sql(events, dialect=dialect, table=table, customers_table=customers, **settings), nl=False)  # type: ignore[arg-type]


def _events(events: str, reading: Reading) -> "object":
    """The path of a file that needs no telling how to read it, for it may be larger than memory; else its table."""
    plain = reading == Reading() and Path(events).suffix.lower() in (".csv", ".tsv", ".parquet")
    return events if plain else reading.read(events)
