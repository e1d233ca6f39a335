"""Responses from a table of redemptions or orders, one row each, within a campaign's dates."""

import datetime
from collections.abc import Iterator
from dataclasses import dataclass

import pandas as pd
from pandas.api import types

from gauger.columns import AnyTable, checked_table, keys_as_text
from gauger.errors import ColumnValuesError, MissingValuesError, SettingError
from gauger.features import moment_of
from gauger.remarks import Remark
from gauger.wording import data_rows, plural

RESPONDED = "responded"


@dataclass(frozen=True)
class CampaignDates:
    """The column `when` of a redemption's day, and the first and the last day that count, None for no bound."""

    when: str
    since: str | datetime.date | None = None
    until: str | datetime.date | None = None

    def __post_init__(self) -> None:
        first, last = self.first, self.last
        if first is not None and last is not None and last < first:
            raise SettingError(f"the campaign's dates end on {last}, before they begin on {first}.")

    @property
    def first(self) -> datetime.date | None:
        """The first day."""
        return None if self.since is None else moment_of(self.since, "since").date()

    @property
    def last(self) -> datetime.date | None:
        """The last day, which counts whole."""
        return None if self.until is None else moment_of(self.until, "until").date()


def outcomes_of(
    redemptions: AnyTable, key: str, dates: CampaignDates, value: str | None
) -> tuple[pd.DataFrame, tuple[Remark, ...]]:
    """One row per customer who redeemed something within the dates: the key, responded, and the sum of the values."""
    table = checked_table(redemptions, [key, dates.when, *([value] if value else [])])
    moments = _moments(table[dates.when], dates.when)
    within = pd.Series(True, index=table.index)
    if dates.first is not None:
        within &= moments >= pd.Timestamp(dates.first)
    if dates.last is not None:
        within &= moments < pd.Timestamp(dates.last) + pd.Timedelta(days=1)
    known = table[key].notna()
    counted = table[within & known]
    worth = {} if value is None else {value: _amounts(counted[value], value)}
    found = pd.DataFrame({key: keys_as_text(counted[key]), **worth}).groupby(key, sort=False).sum()
    return found.assign(**{RESPONDED: 1}).reset_index(), tuple(_about(within, known, dates))


def _about(within: "pd.Series[bool]", known: "pd.Series[bool]", dates: CampaignDates) -> Iterator[Remark]:
    outside, nobody = int((~within).sum()), int((within & ~known).sum())
    if outside:
        bounds = [f"from {dates.first}" if dates.first else "", f"to {dates.last}" if dates.last else ""]
        yield Remark(
            "redemptions-outside-dates",
            f"{outside:,} of {len(within):,} {plural(len(within), 'row')} {plural(outside, 'is', 'are')} not within "
            f"the campaign's dates ({' '.join(filter(None, bounds))}) and {plural(outside, 'does', 'do')} not count.",
        )
    if nobody:
        yield Remark(
            "redemptions-without-customer",
            f"{nobody:,} of {len(within):,} {plural(len(within), 'row')} {plural(nobody, 'has', 'have')} no customer "
            f"and {plural(nobody, 'counts', 'count')} for nobody. If the contacted show their card more often than "
            "those held out, the uplift is too high.",
        )


def _moments(column: "pd.Series", name: str) -> "pd.Series":
    gaps = column.isna()
    if gaps.any():
        raise MissingValuesError(
            f"{name!r} is missing in {int(gaps.sum()):,} {plural(int(gaps.sum()), 'row')} "
            f"({data_rows([int(place) for place in gaps.to_numpy().nonzero()[0]])}). Fill it in or remove those rows."
        )
    if types.is_numeric_dtype(column):
        raise ColumnValuesError(f"{name!r} holds numbers, not dates. Give dates as 2025-12-31.")
    moments = pd.to_datetime(column, errors="coerce", format="ISO8601", utc=True).dt.tz_localize(None)
    wrong = int(moments.isna().sum())
    if wrong:
        raise ColumnValuesError(
            f"{name!r} has {wrong:,} {plural(wrong, 'value that is not a date', 'values that are not dates')}. Write "
            "dates as 2025-12-31, or say how they are written when reading the table (--dates)."
        )
    return moments


def _amounts(column: "pd.Series", name: str) -> "pd.Series":
    if not types.is_numeric_dtype(column) or types.is_bool_dtype(column):
        raise ColumnValuesError(f"{name!r} must hold numbers.")
    return column.astype("float64").fillna(0.0)
