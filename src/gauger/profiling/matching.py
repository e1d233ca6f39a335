"""A table's columns for the customers of a segmentation, matched by key; what is missing on either side is counted."""

from collections.abc import Iterable

import pandas as pd

from gauger.errors import SettingError, plural
from gauger.remarks import Remark
from gauger.tables.checking import checked_table, refuse_bad_key


def matched_table(
    customers: pd.Index, table: pd.DataFrame, key: str, needed: Iterable[str] = ()
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
        theirs = f"the table {named.index[0]!r}" if len(named) else "the table is empty"
        raise SettingError(
            f"no {key} of the table is among the segmented customers: the segments know {customers[0]!r}, {theirs}. "
            "Is it the right table, with keys written the same way?"
        )
    besides = int((~named.index.isin(customers)).sum())
    return named.reindex(customers), _match_remarks(key, customers[lacking], besides)


def shown_keys(keys: pd.Index) -> str:
    """The first three keys, and dots when there are more."""
    return ", ".join(map(str, keys[:3])) + (", …" if len(keys) > 3 else "")


def _match_remarks(key: str, lacking: pd.Index, besides: int) -> list[Remark]:
    found = []
    if len(lacking):
        found.append(
            Remark(
                "customers-not-in-table",
                f"{len(lacking):,} segmented {plural(len(lacking), 'customer')} {plural(len(lacking), 'is', 'are')} "
                f"not in the table by {key} ({shown_keys(lacking)}): its columns leave them out.",
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
