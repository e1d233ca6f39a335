"""Profile segments: sizes, means, medians and index against everyone, in original units."""

from dataclasses import dataclass

import numpy as np
import pandas as pd

from gauger.errors import KeyColumnError, SettingError, UnknownColumnError, plural
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, Segmentation
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

    def headline(self) -> str:
        numbered = [row for row in self.sizes.index if isinstance(row, int)]
        customers = int(self.sizes.loc[EVERYONE, "customers"])
        return f"{len(numbered)} {plural(len(numbered), 'segment')} of {customers:,} customers, means by segment"

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
        others, remarks = _other_measures(seg, table)
        measures = measures.join(others)
    labels = _labels(seg)
    groups = measures.groupby(labels.to_numpy(), sort=False)
    everyone = measures.mean()
    sizes = labels.value_counts()
    rows = [*seg.numbers, *(["unassigned"] if "unassigned" in sizes else [])]
    means = groups.mean().reindex(rows)
    medians = groups.median().reindex(rows)
    means.loc[EVERYONE], medians.loc[EVERYONE] = everyone, measures.median()
    for part in (means, medians):
        part.index.name = "segment"
    index = 100.0 * means / everyone.where(everyone > 0.0, np.nan)
    return Profile(_sizes(seg, sizes, rows), means, medians, index, tuple(remarks))


def _labels(seg: Segmentation) -> pd.Series:
    labels = pd.Series(seg.codes.astype(object))
    return labels.where(labels != UNASSIGNED, "unassigned")


def _sizes(seg: Segmentation, counts: pd.Series, rows: list[object]) -> pd.DataFrame:
    names = [seg.names[row] if isinstance(row, int) else str(row) for row in rows]
    customers = [int(counts[row]) for row in rows]
    table = pd.DataFrame(
        {"name": [*names, EVERYONE], "customers": [*customers, len(seg.codes)]},
        index=pd.Index([*rows, EVERYONE], dtype=object, name="segment"),
    )
    table["share"] = table["customers"] / len(seg.codes)
    return table


def _other_measures(seg: Segmentation, table: pd.DataFrame) -> tuple[pd.DataFrame, list[Remark]]:
    key, known = seg.features.key, seg.features.original.index
    if key not in table.columns:
        raise UnknownColumnError.among([key], list(map(str, table.columns)))
    if table[key].duplicated().any():
        repeated = table.loc[table[key].duplicated(), key]
        raise KeyColumnError.repeated(key, repeated.unique()[:3].tolist(), len(repeated))
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
        if name not in seg.features.names and guess_role(named[name], str(name), key=key).name in _MEASURED
    ]
    numbers = named[[name for name in names if pd.api.types.is_numeric_dtype(named[name])]].astype(float)
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
