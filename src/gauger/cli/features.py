"""`gauger features`: from a table of events to one row of behaviour a customer."""

from pathlib import Path
from typing import Annotated

import typer

from gauger.cli.look import show_columns
from gauger.cli.options import Replace


def features(
    events: Annotated[Path, typer.Argument(metavar="EVENTS", help="A csv or Parquet file with one row an event.")],
    customer: Annotated[str, typer.Option(metavar="COLUMN", help="The column that says whose event it is.")],
    when: Annotated[str, typer.Option(metavar="COLUMN", help="The column with the event's date or time.")],
    out: Annotated[Path, typer.Option(metavar="FILE", help="The file to write: .csv or .parquet.")],
    amount: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="The column with the money; negative amounts are refunds.")
    ] = None,
    quantity: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="The column with the number of things.")
    ] = None,
    as_of: Annotated[
        str | None,
        typer.Option(metavar="DATE", help="Count only what happened before. Default: the day after the last event."),
    ] = None,
    event_noun: Annotated[str, typer.Option(metavar="WORD", help="What to call an event.")] = "visits",
    amount_noun: Annotated[str, typer.Option(metavar="WORD", help="What to call the amount.")] = "spend",
    quantity_noun: Annotated[
        str | None, typer.Option(metavar="WORD", help="What to call the quantity. Default: its column's name.")
    ] = None,
    replace: Replace = False,
) -> None:
    """Summarise events to one row a customer.

    How recently, how often and, with --amount and --quantity, for how much.
    """
    from gauger.cli import console
    from gauger.features import summarise_events
    from gauger.remarks import remarks_of
    from gauger.tables import look, read_table, result_folder

    with result_folder(out.parent, [out.name], replace=replace) as results:
        table = read_table(events)
        behaviour = summarise_events(
            table,
            customer=customer,
            when=when,
            amount=amount,
            quantity=quantity,
            as_of=as_of,
            event_noun=event_noun,
            amount_noun=amount_noun,
            quantity_noun=quantity_noun,
        )
        results.add_table(out.name, behaviour)
    console.title(f"{len(table):,} events of {len(behaviour):,} customers, as of {behaviour.attrs['as_of']}")
    show_columns(look(behaviour, key=customer).columns.drop(columns=["type", "distinct"]))
    console.remarks(remarks_of(behaviour))
    console.wrote(results.paths)
    console.next_step(f"gauger counts {out} --key {customer}")
