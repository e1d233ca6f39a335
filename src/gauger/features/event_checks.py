"""What events must be like to be summarised: columns that are there, without gaps, of the right kinds."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from gauger.errors import (
    ColumnValuesError,
    GaugerError,
    KeyColumnError,
    MissingValuesError,
    SettingError,
    UnknownColumnError,
)
from gauger.features.event_columns import EventColumns
from gauger.features.event_scope import JOINED
from gauger.features.event_sql import EventSummary
from gauger.features.query import run_query
from gauger.tables import sql_name
from gauger.wording import data_rows, plural, written_like

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

LARGEST_AMOUNT = 1e20
"""What an exact decimal of 38 digits holds with nine behind the point, and room for a sum."""


@dataclass(frozen=True)
class _Check:
    """A condition that no event may fulfil, and what it would mean."""

    column: str
    fault: str
    test: str


def check_events(database: "DuckDBPyConnection", asked: EventSummary) -> None:
    """Raise for what cannot be summarised."""
    columns = asked.columns
    kinds = column_types(database, JOINED)
    if any(column not in kinds for column in columns.named.values()):
        raise UnknownColumnError.among(columns.named.values(), list(kinds))
    _refuse_kinds(columns, kinds)
    checks = list(_checks(asked))
    counts = ", ".join(f"count(*) FILTER (WHERE {check.test})" for check in checks)
    found = run_query(database, f"SELECT count(*), {counts} FROM {JOINED}", "checking the events")
    rows, *faults = (column[0].as_py() for column in found.columns)
    if not rows:
        raise no_events()
    for check, count in zip(checks, faults, strict=True):
        if count:
            raise _fault(database, check, count)


def no_events() -> SettingError:
    """The refusal of a table without events."""
    return SettingError("there are no events to summarise: the table has no rows.")


def _refuse_kinds(columns: EventColumns, kinds: Mapping[str, str]) -> None:
    """Raise for columns that by their type alone cannot be what they are named for."""
    if is_number(kinds[columns.when]):
        raise ColumnValuesError(f"{columns.when!r} holds numbers, not dates. Give dates as 2025-12-31.")
    if not kinds[columns.when].startswith(("VARCHAR", "TIMESTAMP", "DATE")):
        raise ColumnValuesError(
            f"{columns.when!r} holds no dates ({kinds[columns.when].lower()}). Name another column."
        )
    for column in (columns.amount, columns.quantity):
        if column is not None and not is_number(kinds[column]) and kinds[column] != "VARCHAR":
            raise ColumnValuesError(f"{column!r} holds no numbers ({kinds[column].lower()}). Name another column.")


def _checks(asked: EventSummary) -> Iterator[_Check]:
    columns = asked.columns
    numbers = [column for column in (columns.amount, columns.quantity) if column is not None]
    if asked.scope.without_customer == "refuse":
        yield _Check(columns.customer, "no key", f"{sql_name(columns.customer)} IS NULL")
    for column in (columns.when, *numbers):
        yield _Check(column, "missing", f"{sql_name(column)} IS NULL")
    kinds = {columns.when: ("TIMESTAMP", "no date")} | dict.fromkeys(numbers, ("DOUBLE", "no number"))
    for column, (kind, fault) in kinds.items():
        written = sql_name(column)
        yield _Check(column, fault, f"{written} IS NOT NULL AND TRY_CAST({written} AS {kind}) IS NULL")
    moment = f"TRY_CAST({sql_name(columns.when)} AS TIMESTAMP)"
    yield _Check(columns.when, "beyond", f"NOT isfinite({moment}) OR year({moment}) NOT BETWEEN 1 AND 9999")
    for column in numbers:
        yield _Check(column, "endless", f"NOT abs(TRY_CAST({sql_name(column)} AS DOUBLE)) < {LARGEST_AMOUNT:.0f}")


def _fault(database: "DuckDBPyConnection", check: _Check, count: int) -> GaugerError:
    numbered = f"SELECT row_number() OVER () - 1 AS place, * FROM {JOINED}"
    rows = database.execute(
        f"SELECT place, {sql_name(check.column)} FROM ({numbered}) WHERE {check.test} LIMIT 100"
    ).fetchall()
    indices, values = [row[0] for row in rows], list(dict.fromkeys(row[1] for row in rows))[:3]
    if check.fault == "no key":
        return KeyColumnError.events_without(check.column, indices, count)
    if check.fault == "beyond":
        return ColumnValuesError.beyond_years(check.column)
    if check.fault == "endless":
        return ColumnValuesError.infinite(check.column, indices, count)
    if check.fault == "no number":
        return ColumnValuesError.not_numbers(check.column, values, count)
    if check.fault == "missing":
        return MissingValuesError(
            f"{check.column!r} is missing in {count:,} {plural(count, 'event')} ({data_rows(indices)}). "
            "Fill it in or remove those events."
        )
    wrong = plural(count, "value that is not a date", "values that are not dates")
    return ColumnValuesError(
        f"{check.column!r} has {count:,} {wrong}, written {written_like(values)}. Write dates as 2025-12-31, or say "
        "how they are written when reading the table: dates='%d.%m.%Y' (on the command line: --dates %d.%m.%Y)."
    )


def column_types(database: "DuckDBPyConnection", table: str) -> dict[str, str]:
    return {row[0]: row[1] for row in database.execute(f"DESCRIBE {table}").fetchall()}


def is_number(kind: str) -> bool:
    return kind.removeprefix("U").startswith(("TINY", "SMALL", "INT", "BIG", "HUGE", "DOUBLE", "FLOAT", "DECIMAL"))
