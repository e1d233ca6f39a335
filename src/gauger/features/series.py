"""Series: from a long table (entity, period, value) to one row an entity, equally spaced, gaps filled as told."""

from collections.abc import Iterator

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from pandas.api import types

from gauger.columns import AnyTable, checked_table, refuse_missing_key
from gauger.errors import ColumnValuesError, KeyColumnError, MissingValuesError, SettingError
from gauger.features.columns import as_numbers
from gauger.remarks import Remark, attach_remarks
from gauger.wording import listed, plural

GAP_RULES = ("refuse", "zero", "interpolate", "carry")


_SHORT_PERIOD, _AS_USUAL = 0.5, 0.75
"""The first or last period has at most the one share of the usual number of values, the next to it at least the other,
where it was cut short: chosen by us."""

_LEAST_PERIODS = 4
"""Periods from which there is a usual number: chosen by us."""


def pivot_series(table: AnyTable, *, entity: str, period: str, value: str, missing: str = "refuse") -> pd.DataFrame:
    """Turn a long table, with a row for each entity and period, into one row an entity and one column a period.

    Where dates or numbers mostly follow each other in one step (weekly, say), periods that no entity has are put in, so
    that all are equally far apart.

    Parameters
    ----------
    table : pandas.DataFrame or another table
        The long table.
    entity, period, value : str
        Its columns; periods are dates, whole numbers or text.
    missing : {"refuse", "zero", "interpolate", "carry"}
        What a gap becomes: an error that names it; 0, for when nothing recorded means that nothing happened; the
        straight line between the values beside it (before the first and after the last, that one); or the value before
        it (before the first, that one).

    Returns
    -------
    pandas.DataFrame
        Sorted by entity, which is the first column; the others are named by the periods, dates as 2025-12-29, in order.
        `remarks_of(result)` names the periods that nobody has, and entities whose series begin later or end earlier
        than the others'.

    Raises
    ------
    UnknownColumnError
        For a column that is not there.
    KeyColumnError
        For a missing entity, or one with two values in one period.
    MissingValuesError
        For gaps that are refused.
    ColumnValuesError
        For values that are no numbers.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> long = pd.DataFrame({"house": ["b", "a", "a"], "week": [1, 1, 2], "admissions": [5, 7, 9]})
    >>> gauger.pivot_series(long, entity="house", period="week", value="admissions", missing="zero").values.tolist()
    [['a', 7.0, 9.0], ['b', 5.0, 0.0]]
    """
    if missing not in GAP_RULES:
        raise SettingError.not_one_of("missing", missing, GAP_RULES)
    table = checked_table(table, [entity, period, value])
    if table.empty:
        raise SettingError("there is nothing to pivot: the table has no rows.")
    for column in (entity, period):
        refuse_missing_key(table[column])
    values = as_numbers(table, value, {})
    rows, entities = pd.factorize(table[entity], sort=True)
    periods, absent = _periods(table[period])
    indices = pd.Index(periods).get_indexer(pd.Index(table[period]))
    _refuse_doubles(table, entity, period, rows * len(periods) + indices)
    wide = np.full((len(entities), len(periods)), np.nan)
    wide[rows, indices] = values

    names = _names(periods)
    remarks = [*_absent_periods(_names(absent)), *_short_ends(wide, names), *_unequal(wide, entities, entity, missing)]
    filled = _filled(wide, missing, entities, names)
    result = pd.DataFrame(filled, columns=names)
    result.insert(0, entity, entities)
    attach_remarks(result, remarks)
    return result


def _periods(column: pd.Series) -> tuple[pd.Index, pd.Index]:
    """Every period in order, those put in included, and the ones put in."""
    found = pd.Index(column.unique()).sort_values()
    if len(found) < 3 or not (types.is_datetime64_any_dtype(found) or types.is_integer_dtype(found)):
        return found, found[:0]
    steps = found[1:] - found[:-1]
    usual = steps.value_counts().idxmax()
    if ((steps % usual) != steps[0] - steps[0]).any():
        return found, found[:0]
    if types.is_datetime64_any_dtype(found):
        whole: pd.Index = pd.date_range(found[0], found[-1], freq=usual, unit=found.unit)
    else:
        whole = pd.RangeIndex(int(found[0]), int(found[-1]) + 1, int(usual))
    return whole, whole.difference(found)


def _names(periods: pd.Index) -> list[str]:
    if types.is_datetime64_any_dtype(periods):
        midnight = bool((periods == periods.normalize()).all())  # type: ignore[attr-defined]
        return list(periods.strftime("%Y-%m-%d" if midnight else "%Y-%m-%d %H:%M:%S"))  # type: ignore[attr-defined]
    return [str(period) for period in periods]


def _refuse_doubles(table: pd.DataFrame, entity: str, period: str, cells: NDArray[np.intp]) -> None:
    again = pd.Series(cells).duplicated().to_numpy()
    if again.any():
        first = table[again].iloc[0]
        raise KeyColumnError(
            f"{entity} {first[entity]!r} has two values in {period} {first[period]!s}, and {int(again.sum()):,} "
            f"{plural(int(again.sum()), 'row is', 'rows are')} too many in all. Add them up first: "
            f"table.groupby([{entity!r}, {period!r}], as_index=False).sum()."
        )


def _filled(wide: NDArray[np.float64], rule: str, entities: pd.Index, names: list[str]) -> NDArray[np.float64]:
    gaps = np.isnan(wide)
    if not gaps.any():
        return wide
    if rule == "refuse":
        row, index = (int(found[0]) for found in np.nonzero(gaps))
        raise MissingValuesError(
            f"{int(gaps.sum()):,} of {wide.size:,} values are missing, first of all {entities[row]!r} in "
            f"{names[index]}. Say what a gap means: missing='zero' if nothing happened, 'interpolate' or 'carry' if it "
            "was not recorded."
        )
    if rule == "zero":
        return np.where(gaps, 0.0, wide)
    empty = entities[np.flatnonzero(gaps.all(axis=1))]
    if len(empty):
        raise ColumnValuesError(f"{listed(map(repr, empty))} has no value in any period. Leave it out.")
    return np.array([_interpolated(row) if rule == "interpolate" else _carried(row) for row in wide])


def _interpolated(row: NDArray[np.float64]) -> NDArray[np.float64]:
    known = np.flatnonzero(~np.isnan(row))
    return np.interp(np.arange(len(row)), known, row[known])


def _carried(row: NDArray[np.float64]) -> NDArray[np.float64]:
    known = ~np.isnan(row)
    last = np.maximum.accumulate(np.where(known, np.arange(len(row)), -1))
    return row[np.where(last >= 0, last, int(known.argmax()))]


def _absent_periods(names: list[str]) -> Iterator[Remark]:
    if names:
        yield Remark(
            "periods-missing",
            f"nobody has a value in {listed(names, most=6)}: {plural(len(names), 'it was', 'they were')} put in "
            "between the others and filled like any gap.",
        )


def _short_ends(wide: NDArray[np.float64], names: list[str]) -> Iterator[Remark]:
    """That the first or the last period was cut short: few have a value there, but in the period next to it."""
    known = (~np.isnan(wide)).sum(axis=0)
    if len(known) < _LEAST_PERIODS:
        return
    usual = float(np.median(known[1:-1]))
    for at, neighbour, called in ((0, 1, "first"), (-1, -2, "last")):
        if known[at] <= _SHORT_PERIOD * usual and known[neighbour] >= _AS_USUAL * usual:
            yield Remark(
                "period-short",
                f"the {called} period, {names[at]}, has only {known[at]:,} values; usual ones have {usual:,.0f}. It "
                "seems cut short, and then everybody's series begins or ends too low: leave its rows out of the table.",
                (names[at],),
            )


def _unequal(wide: NDArray[np.float64], entities: pd.Index, entity: str, rule: str) -> Iterator[Remark]:
    known = ~np.isnan(wide)
    first, last = known.argmax(axis=1), wide.shape[1] - 1 - known[:, ::-1].argmax(axis=1)
    late, early = entities[first > first.min()], entities[last < last.max()]
    if len(late) or len(early):
        parts = [f"{len(late):,} begin later than the others ({listed(map(str, late))})"] if len(late) else []
        parts += [f"{len(early):,} end earlier ({listed(map(str, early))})"] if len(early) else []
        ends = (
            "Their ends count as 0, as for a time when nothing happened: leave out those who were not there yet, or no "
            "longer."
            if rule == "zero"
            else "What was filled at their ends is not an observation: compare them over the periods they share, or "
            "leave them out."
        )
        yield Remark("unequal-lengths", f"the series of {entity} differ in length: {' and '.join(parts)}. {ends}")
