"""Profile segments: sizes, means, medians and index against everyone, in original units."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from pandas.api import types

from gauger.errors import SettingError, plural
from gauger.profiling.assignments import checked_assignments
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME, Segmentation
from gauger.tables.checking import checked_table, refuse_bad_key
from gauger.tables.roles import guess_role

EVERYONE = "everyone"
_MEASURED = ("measure", "count", "flag")


@dataclass(frozen=True, repr=False, eq=False)
class Profile(Readable):
    """Who is in each segment; every table has a row a segment number, "unassigned" where there are any, "everyone".

    `.sizes` has name, customers and share; `.means` and `.medians` a column a measure in original units; `.index` the
    segment's mean against everyone's, everyone = 100 (NaN where everyone's mean is not positive).
    """

    sizes: pd.DataFrame
    means: pd.DataFrame
    medians: pd.DataFrame
    index: pd.DataFrame
    remarks: tuple[Remark, ...] = ()

    @property
    def tables(self) -> dict[str, pd.DataFrame]:
        """The four tables by name, each with its segments in a first column, ready to be written."""
        parts = {"sizes": self.sizes, "means": self.means, "medians": self.medians, "index": self.index}
        return {name: part.reset_index() for name, part in parts.items()}

    def headline(self) -> str:
        numbered = [row for row in self.sizes.index if isinstance(row, int)]
        customers = self.sizes["customers"].iloc[-1]
        return f"{len(numbered)} {plural(len(numbered), 'segment')} of {customers:,} customers"

    def overview(self) -> pd.DataFrame:
        return self.sizes.join(self.means)


def profile(seg: Segmentation, table: pd.DataFrame | None = None) -> Profile:
    """Describe each segment by the features it was made from and, given `table`, by its other measures too.

    `table` must have the key column; its measures, counts and flags are matched to the customers by key, and those
    missing for a customer are left out of that mean. Customers that it lacks, or has besides, are remarked.

    Raises UnknownColumnError when the key is not in `table`, KeyColumnError when it repeats there, and SettingError
    when no key matches.

    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 9, 11], "age": [20, 30, 40, 50]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits"]), 2)
    >>> gauger.profile(seg, table).means.loc[1].tolist()
    [2.0, 25.0]
    """
    measures = seg.features.original
    remarks: list[Remark] = []
    if table is not None:
        others, remarks = _other_measures(measures, table, seg.features.key)
        measures = measures.join(others)
    return _describe(measures, seg.codes, seg.names, remarks)


def profile_assignments(assignments: pd.DataFrame, table: pd.DataFrame, *, key: str) -> Profile:
    """Describe segments by the measures of a table, from assignments that were written to a file earlier.

    `assignments` has a row a customer with the key, `segment` (0 for unassigned) and, if it likes, `segment_name`.
    Otherwise like `profile`: the table's measures, counts and flags are matched by key.

    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "age": [20, 30, 40, 50]})
    >>> given = pd.DataFrame({"who": list("abcd"), "segment": [1, 1, 1, 2]})
    >>> gauger.profile_assignments(given, table, key="who").means["age"].tolist()
    [30.0, 50.0, 35.0]
    """
    keys, codes, names = checked_assignments(assignments, key)
    customers = pd.DataFrame(index=keys)
    others, remarks = _other_measures(customers, table, key)
    if others.columns.empty:
        raise SettingError("the table has no measures to describe segments by: every column is text, a date or a key.")
    return _describe(others, codes, names, remarks)


def _describe(
    measures: pd.DataFrame, codes: NDArray[np.integer], names: Mapping[int, str], remarks: list[Remark]
) -> Profile:
    present, counts = np.unique(codes, return_counts=True)
    order = np.argsort(np.where(present == UNASSIGNED, len(codes) + 1, present))
    numbers = [int(number) for number in present[order]]
    rows: list[int | str] = [UNASSIGNED_NAME if number == UNASSIGNED else number for number in numbers]
    index = pd.Index([*rows, EVERYONE], dtype=object, name="segment")
    groups = measures.groupby(codes)
    with task("profiling"):
        means = pd.concat([groups.mean().loc[numbers], measures.mean().to_frame().T]).set_axis(index)
        medians = pd.concat([groups.median().loc[numbers], measures.median().to_frame().T]).set_axis(index)
    everyone = measures.mean()
    against = 100.0 * means / everyone.mask(everyone <= 0.0)
    customers = [*(int(count) for count in counts[order]), len(codes)]
    sizes = pd.DataFrame({"name": [*(names[number] for number in numbers), EVERYONE], "customers": customers}, index)
    sizes["share"] = sizes["customers"] / len(codes)
    return Profile(sizes, means, medians, against, tuple(remarks))


def _other_measures(customers: pd.DataFrame, table: pd.DataFrame, key: str) -> tuple[pd.DataFrame, list[Remark]]:
    """The table's measures that `customers` (indexed by key) does not have, in the order of the customers."""
    known = customers.index
    table = checked_table(table, [key])
    refuse_bad_key(table[key])
    named = table.set_index(key)
    lacking = ~known.isin(named.index)
    if lacking.all():
        raise SettingError(
            f"no {key} of the table is among the segmented customers: the segments know {known[0]!r}, "
            f"the table {named.index[0]!r}. Is it the right table, with keys written the same way?"
        )
    names = [
        str(name)
        for name in named.columns
        if name not in customers.columns
        and types.is_numeric_dtype(named[name])
        and guess_role(named[name], str(name), key=key).name in _MEASURED
    ]
    numbers = named[names].astype(float)
    besides = int((~named.index.isin(known)).sum())
    return numbers.reindex(known), _match_remarks(key, int(lacking.sum()), besides)


def _match_remarks(key: str, lacking: int, besides: int) -> list[Remark]:
    found = []
    if lacking:
        found.append(
            Remark(
                "customers-not-in-table",
                f"{lacking:,} segmented {plural(lacking, 'customer')} {plural(lacking, 'is', 'are')} not in the table "
                f"by {key}: its measures leave them out.",
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
