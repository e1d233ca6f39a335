"""A table's columns for the customers of a segmentation, matched by key; what is missing on either side is counted."""

from collections.abc import Iterable, Iterator, Mapping, Sequence

import pandas as pd

from gauger.columns import AnyTable, checked_table, refuse_bad_key
from gauger.errors import SettingError
from gauger.remarks import Remark
from gauger.wording import plural, written_like


def matched_table(
    customers: pd.Index, table: AnyTable, key: str, needed: Iterable[str] = ()
) -> tuple[pd.DataFrame, list[Remark]]:
    """The table's other columns in the order of the customers, and remarks on those that it lacks or has besides.

    Raises UnknownColumnError for a column that is `needed` and not there, KeyColumnError when the key repeats, and
    SettingError when no key matches.
    """
    table = checked_table(table, [key, *needed])
    refuse_bad_key(table[key])
    named = table.set_index(key)
    lacking = ~customers.isin(named.index)
    if lacking.all():
        theirs = f"those of the table {written_like(named.index[:1])}" if len(named) else "the table is empty"
        raise SettingError(
            f"no {key} of the table is among the segmented customers: their keys are written "
            f"{written_like(customers[:1])}, {theirs}. "
            "Is it the right table, with keys written the same way?"
        )
    besides = int((~named.index.isin(customers)).sum())
    return named.reindex(customers), _match_remarks(key, customers[lacking], besides)


def with_tables(
    columns: pd.DataFrame, tables: AnyTable | Sequence[AnyTable] | None, key: str
) -> tuple[pd.DataFrame, list[Remark]]:
    """The customers' columns and those of one table, of several or of none, each as the first that has it.

    Remarks and errors as those of `matched_table`.
    """
    several = list(tables) if isinstance(tables, (list, tuple)) else [] if tables is None else [tables]
    remarks: list[Remark] = []
    for table in several:
        others, said = matched_table(columns.index, table, key)  # type: ignore[arg-type]
        columns = columns.join(others[others.columns.difference(columns.columns, sort=False)])
        remarks += said
    return columns, remarks


def about_left_aside(why: Mapping[str, str]) -> Iterator[Remark]:
    """A remark for each measure that is not described, and why not."""
    for name, text in why.items():
        yield Remark("measure-left-aside", f"{name} {text}; it is not described.", features=(name,))


def _match_remarks(key: str, lacking: pd.Index, besides: int) -> list[Remark]:
    found = []
    if len(lacking):
        found.append(
            Remark(
                "customers-not-in-table",
                f"{len(lacking):,} segmented {plural(len(lacking), 'customer')} {plural(len(lacking), 'is', 'are')} "
                f"not in the table by {key}: its columns leave them out.",
            )
        )
    if besides:
        found.append(
            Remark(
                "customers-not-segmented",
                f"{besides:,} {plural(besides, 'customer')} of the table {plural(besides, 'is', 'are')} in no segment "
                "because the features did not cover them.",
            )
        )
    return found
