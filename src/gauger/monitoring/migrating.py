"""Migration: who went from which segment to which, and whether more go there than chance would send."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy.special import bdtr, bdtrc

from gauger.algorithms.statistics import clopper_pearson, contingency_table, holm
from gauger.columns import AnyTable, CustomerRows
from gauger.errors import ColumnValuesError, SettingError, UnknownColumnError
from gauger.profiling import checked_assignments
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME, Segmentation
from gauger.wording import Noun, percent, plural, written_like

_RESAMPLES = 500
"""Bootstrap samples of the share that moved: enough for 2.5 % on either side."""

_INTERVAL = (0.025, 0.975)
"""The quantiles of a 95 % interval."""

_LEVEL = 0.05
"""The level of the test whether more went a way than chance would send: the usual convention."""

Codes = NDArray[np.int64]
Values = NDArray[np.float64]


@dataclass(frozen=True, repr=False, eq=False)
class Migration(CustomerRows, Readable):
    """Customers of both times, by the segment they were in and the one they are in.

    Attributes
    ----------
    crossing : pandas.DataFrame
        The contingency table: rows before, columns after, "unassigned" last where there are any. `.shares` has each
        row's shares.
    value : pandas.DataFrame, optional
        The values of the customers added up in the same way.
    flows : pandas.DataFrame
        A row for each way that anyone went: before, after, customers, share (of those who were there), expected
        (customers, had those who left gone in proportion to the sizes before of the other segments), ratio, low, high
        (its 95 % interval, Clopper & Pearson), p_adjusted (two-sided, corrected for the number of ways: Holm) and
        exceeds (whether more went than chance would send, with p_adjusted of at most 0.05).
    moved, moved_low, moved_high : float
        The share that is elsewhere now, and its 95 % interval.
    chance : float
        What that share would be if segments after had nothing to do with those before.
    customers : pandas.DataFrame
        A row a customer of both times: the key, before, after, moved.
    only_first, only_second : pandas.Index
        The keys that are there before only (lost), or after only (new).
    names : mapping
        What the segments are called.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    migration : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> spring = pd.DataFrame({"who": list("abcd"), "segment": [1, 1, 2, 2]})
    >>> summer = pd.DataFrame({"who": list("abce"), "segment": [1, 2, 2, 1]})
    >>> moves = gauger.migration(spring, summer, key="who")
    >>> moves.only_first.tolist(), moves.only_second.tolist()
    (['d'], ['e'])
    """

    crossing: pd.DataFrame
    value: pd.DataFrame | None
    flows: pd.DataFrame
    moved: float
    moved_low: float
    moved_high: float
    chance: float
    customers: pd.DataFrame
    only_first: pd.Index
    only_second: pd.Index
    names: dict[object, str]
    remarks: tuple[Remark, ...] = ()

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented, as the key's name has it."""
        return Noun.of_key(str(self.customers.columns[0]))

    @property
    def shares(self) -> pd.DataFrame:
        """Of each segment's customers before the share in each segment after."""
        return self.crossing.div(self.crossing.sum(axis=1).mask(lambda sums: sums == 0), axis=0)

    def headline(self) -> str:
        n = len(self.customers)
        return (
            f"{percent(self.moved)} of {self.noun.counted(n)} moved ({percent(self.moved_low)} to "
            f"{percent(self.moved_high)}; by chance {percent(self.chance)}); {len(self.only_second):,} new, "
            f"{len(self.only_first):,} lost"
        )

    def customer_rows(self) -> pd.DataFrame:
        """Who went where."""
        return self.customers

    def overview(self) -> pd.DataFrame:
        return self.crossing


def migration(
    before: Segmentation | AnyTable,
    after: Segmentation | AnyTable,
    *,
    key: str | None = None,
    value: pd.Series | None = None,
    seed: int = 0,
) -> Migration:
    """Tell who moved between two times, by segments of the same numbering: those of one model, or aligned ones.

    Parameters
    ----------
    before, after : Segmentation, pandas.DataFrame or another table
        The segments at both times, or assignments; customers are matched by key. Of an OpenTable everyone's key and
        segment are read into memory.
    key : str, optional
        The key column, for assignments.
    value : pandas.Series, optional
        Indexed by key, such as what each customer is worth.
    seed : int
        For the bootstrap of the share that moved.

    Returns
    -------
    Migration
        Draw it with `gauger.draw.migration_flow`.

    Raises
    ------
    SettingError
        When no customer is there at both times, or `key` is not given for DataFrames.
    ColumnValuesError
        For values that are no numbers.
    UnknownColumnError, KeyColumnError
        For assignments that are none.

    References
    ----------
    Clopper & Pearson (1934), Biometrika 26(4), 404-413. Holm (1979), Scandinavian Journal of Statistics 6(2), 65-70.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> spring = pd.DataFrame({"who": list("abcd"), "segment": [1, 1, 2, 2]})
    >>> summer = pd.DataFrame({"who": list("abce"), "segment": [1, 2, 2, 1]})
    >>> gauger.migration(spring, summer, key="who").crossing.values.tolist()
    [[1, 1], [0, 1]]
    """
    first, second = _side(before, key), _side(after, key)
    indices = second[0].get_indexer(first[0])
    both = indices >= 0
    if not both.any():
        raise SettingError(
            f"no customer is there at both times: keys before are written {written_like(first[0][:1])}, after "
            f"{written_like(second[0][:1])}. Are they the same customers?"
        )
    keys, was, is_now = first[0][both], first[1][both], second[1][indices[both]]
    labels: list[object] = sorted({*was.tolist(), *is_now.tolist()} - {UNASSIGNED})
    codes = [*labels, UNASSIGNED] if (was == UNASSIGNED).any() or (is_now == UNASSIGNED).any() else list(labels)
    index = pd.Index([UNASSIGNED_NAME if code == UNASSIGNED else code for code in codes], dtype=object)
    at = {code: position for position, code in enumerate(codes)}
    own, new = (np.array([at[code] for code in side.tolist()], dtype=np.intp) for side in (was, is_now))
    counts = contingency_table(own, new, (len(codes), len(codes)))
    draws = _bootstrap_tables(counts, seed)
    moved = 1.0 - np.trace(draws, axis1=1, axis2=2) / len(keys)
    shares = counts.sum(axis=1) @ counts.sum(axis=0) / len(keys) ** 2
    called = {**second[2], **first[2]}
    crossing = pd.DataFrame(counts, index=index.rename("before"), columns=index.rename("after"))
    customers = pd.DataFrame(
        {str(first[0].name): keys.to_numpy(), "before": was, "after": is_now, "moved": was != is_now}
    )
    here, there = first[0][~both], second[0][~second[0].isin(first[0])]
    return Migration(
        crossing,
        _values(value, keys, own, new, crossing),
        _flows(counts, index),
        float((was != is_now).mean()),
        float(np.quantile(moved, _INTERVAL[0])),
        float(np.quantile(moved, _INTERVAL[1])),
        float(1.0 - shares),
        customers,
        here,
        there,
        {label: called[UNASSIGNED if label == UNASSIGNED_NAME else label] for label in index},
        tuple(_of_one_time(there, here)),
    )


def _side(side: Segmentation | AnyTable, key: str | None) -> tuple[pd.Index, Codes, Mapping[int, str]]:
    """Keys, codes and names of segments at one time."""
    if isinstance(side, Segmentation) and side.everyone is not None:
        side, key = side.customer_rows(), side.features.key
    if isinstance(side, Segmentation):
        return pd.Index(side.features.keys, name=side.features.key), side.codes.astype(np.int64), side.names
    if key is None:
        raise SettingError("say which column of the assignments identifies a customer: key='…'.")
    keys, codes, found = checked_assignments(side, key)
    return keys.rename(key), codes, found


def _bootstrap_tables(counts: NDArray[np.int64], seed: int) -> NDArray[np.int64]:
    """Contingency tables of bootstrap samples of the customers (resamples, k, k)."""
    n = int(counts.sum())
    found = np.random.default_rng(seed).multinomial(n, counts.ravel() / n, size=_RESAMPLES)
    return np.asarray(found.reshape(_RESAMPLES, *counts.shape))


def _expected(counts: NDArray[np.int64]) -> NDArray[np.float64]:
    """Movers by way (k, k), had those who left gone in proportion to the sizes before of the other segments.

    Sizes after would already hold the movement that is to be judged.
    """
    sizes = counts.sum(axis=1)
    leaving = sizes - np.diag(counts)
    with np.errstate(divide="ignore", invalid="ignore"):
        expected = leaving[:, None] * sizes / (sizes.sum() - sizes)[:, None]
    return np.asarray(np.nan_to_num(expected))


def _flows(counts: NDArray[np.int64], index: pd.Index) -> pd.DataFrame:
    expected = _expected(counts)
    sizes = counts.sum(axis=1)
    leaving = sizes - np.diag(counts)
    adjusted = _adjusted(counts, expected, leaving)
    rows = []
    for here, there in np.argwhere(counts > 0).tolist():
        if here == there:
            continue
        wanted, customers = float(expected[here, there]), int(counts[here, there])
        low, high = (
            end * leaving[here] / wanted if wanted else np.inf for end in clopper_pearson(customers, leaving[here])
        )
        ratio = customers / wanted if wanted else np.inf
        share, p = customers / int(sizes[here]), float(adjusted[here, there])
        exceeds = bool(p <= _LEVEL and ratio > 1.0)
        rows.append((index[here], index[there], customers, share, wanted, ratio, low, high, p, exceeds))
    columns = ["before", "after", "customers", "share", "expected", "ratio", "low", "high", "p_adjusted", "exceeds"]
    return pd.DataFrame(rows, columns=columns).sort_values(
        "customers", ascending=False, kind="stable", ignore_index=True
    )


def _adjusted(counts: NDArray[np.int64], expected: NDArray[np.float64], leaving: NDArray[np.int64]) -> Values:
    """Of every way (k, k) how surprising as many customers are, either way, corrected for the number of ways."""
    k = len(counts)
    p = np.ones((k, k))
    apart = ~np.eye(k, dtype=np.bool_)
    for here, there in np.argwhere(apart & (leaving[:, None] > 0)).tolist():
        chance = min(float(expected[here, there] / leaving[here]), 1.0)
        seen, among = int(counts[here, there]), int(leaving[here])
        more = float(bdtrc(seen - 1, among, chance)) if seen else 1.0
        tail = min(more, float(bdtr(seen, among, chance)))
        p[here, there] = min(1.0, 2.0 * tail)
    p[apart] = holm(p[apart])
    return p


def _values(
    value: pd.Series | None, keys: pd.Index, own: NDArray[np.intp], new: NDArray[np.intp], crossing: pd.DataFrame
) -> pd.DataFrame | None:
    if value is None:
        return None
    if not isinstance(value, pd.Series) or not pd.api.types.is_numeric_dtype(value):
        raise ColumnValuesError("value must be a Series of numbers, indexed by key.")
    if not keys.isin(value.index).any():
        raise UnknownColumnError(f"value is indexed by {value.index[:1].tolist()}, which is no customer of both times.")
    worth = value.reindex(keys).to_numpy(dtype=np.float64, na_value=np.nan)
    sums = np.zeros(crossing.shape)
    np.add.at(sums, (own, new), np.nan_to_num(worth))
    return pd.DataFrame(sums, index=crossing.index, columns=crossing.columns)


def _of_one_time(new: pd.Index, lost: pd.Index) -> Iterator[Remark]:
    parts = [
        f"{len(keys):,} {plural(len(keys), 'customer is', 'customers are')} {word}"
        for keys, word in ((new, "new"), (lost, "lost"))
        if len(keys)
    ]
    if parts:
        yield Remark("customers-of-one-time", f"{' and '.join(parts)}: movement is of those who are there both times.")
