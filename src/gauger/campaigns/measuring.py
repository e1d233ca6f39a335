"""Measure a campaign when it is over: contacted against held out, segment by segment."""

import datetime
import math
from collections.abc import Iterator
from dataclasses import dataclass
from os import PathLike
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from gauger.algorithms.statistics import LEVEL, difference_of_means, newcombe
from gauger.campaigns.arms import CONTACTED
from gauger.campaigns.eligible import yes_in
from gauger.campaigns.hand_off_files import ARMS, sha256_of
from gauger.campaigns.manifest import read_manifest
from gauger.campaigns.redemptions import RESPONDED, CampaignDates, outcomes_of
from gauger.columns import AnyTable, checked_table, keys_as_text, refuse_bad_key
from gauger.errors import ColumnValuesError, ModelFileError, SettingError, UnknownColumnError
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.tables import read_table
from gauger.wording import listed, plural

HELPED, HARMED, CANNOT_SAY, TOO_SMALL = "more", "less", "cannot say", "too small to say"

_LEAST_ARM, _LEAST_RESPONSES = 10, 5
"""Customers of an arm, and responses of both, below which nothing is said: judgement; the intervals hold below it, and
say nothing."""


@dataclass(frozen=True, repr=False, eq=False)
class Outcome(Readable):
    """What came of a campaign.

    Attributes
    ----------
    table : pandas.DataFrame
        A row a segment that took part, and "all": name, contacted, holdout, response and holdout_response (shares),
        uplift (their difference) with its interval low and high, and reading: "more" or "less" response by the
        campaign, "cannot say" (the interval holds 0), or "too small to say". With values also value, holdout_value
        (means a customer), value_uplift, value_low and value_high, gained (the uplift times the contacted), and
        value_reading in the same words. Intervals of segments hold all together in 95 of 100 campaigns, that of "all"
        by itself.
    campaign : str
        Its name.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    measure : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> who = pd.DataFrame({"who": range(400), "segment": 1})
    >>> contacts = pd.DataFrame({"who": range(400), "email": [f"m{one}@example.org" for one in range(400)]})
    >>> with tempfile.TemporaryDirectory() as place:
    ...     made = gauger.hand_off(who, contacts, f"{place}/spring", campaign="spring", consent=None, holdout=0.5)
    ...     found = gauger.measure(made.folder, pd.DataFrame({"who": [3, 5], "responded": 1}))
    >>> found.table.loc["all", "reading"]
    'too small to say'
    """

    campaign: str
    table: pd.DataFrame
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        row = self.table.loc["all"]
        told = (
            f"{row['response']:.1%} of {row['contacted']:,} contacted responded, {row['holdout_response']:.1%} of "
            f"{row['holdout']:,} held out"
        )
        return f"{self.campaign}: {told}; {self.effect}"

    @property
    def effect(self) -> str:
        """What can be said of the segments, in a few words."""
        segments = self.table.drop(index="all")
        parts = []
        for reading in (HELPED, HARMED):
            names = segments.loc[segments["reading"] == reading, "name"].tolist()
            parts += [f"{reading} response by the campaign in {listed(names, most=4)}"] if names else []
        return " and ".join(parts) or "of no segment can it be said whether the campaign did anything"

    def overview(self) -> pd.DataFrame:
        return self.table


def measure(
    folder: str | PathLike[str],
    outcomes: AnyTable,
    *,
    responded: str = "responded",
    value: str | None = None,
    when: str | None = None,
    since: str | datetime.date | None = None,
    until: str | datetime.date | None = None,
    seed: int = 0,
) -> Outcome:
    """Compare response and value by segment, contacted against held out.

    Parameters
    ----------
    folder : str or path-like
        That of a hand-off, or its manifest.json.
    outcomes : pandas.DataFrame or another table
        The key and a column that says who responded; who took part and is not in it did not respond. Those held out
        must be in it if they responded, or the uplift is of counting, not of the campaign.
    responded : str
        The column that says so: 1 or 0, yes or no.
    value : str, optional
        The column of what each was worth.
    when : str, optional
        Makes outcomes a table of redemptions or orders, one row each: the column of their dates. Customers with at
        least one row responded, and `value` is added up. Days of moments that carry a zone are those of UTC.
    since, until : str or datetime.date, optional
        With `when`: the campaign's first and last day. Rows outside them do not count, and a remark says how many.
    seed : int
        For the bootstrap of values.

    Returns
    -------
    Outcome
        A row a segment, and one for all.

    Raises
    ------
    MissingFileError, ModelFileError
        For what is no hand-off, or was altered.
    UnknownColumnError, KeyColumnError
        For outcomes without the columns, or with a customer twice.
    ColumnValuesError, MissingValuesError
        For words that are neither yes nor no, and dates that are none.
    SettingError
        When nobody was held out, for dates in the wrong order, or without `when`.

    Notes
    -----
    The interval of a difference of shares is the hybrid of Wilson's (method 10); of mean values it is a bootstrap t on
    the scale of logarithms: `python -m benchmarks.uplift` prints how often it holds the truth. Those of k segments
    leave out 5 / k % each (Bonferroni), so that one in twenty campaigns without any effect shows one somewhere.
    Segments whose arms are below 10 customers, or have fewer than 5 responses in all, are too small to say; for values,
    those with fewer than 20 buyers in either arm, or with negative values.

    References
    ----------
    Newcombe (1998), Statistics in Medicine 17(8), 873-890. Wilson (1927), J. American Statist. Assoc. 22, 209-212.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> who = pd.DataFrame({"who": range(400), "segment": 1})
    >>> contacts = pd.DataFrame({"who": range(400), "email": [f"m{one}@example.org" for one in range(400)]})
    >>> with tempfile.TemporaryDirectory() as place:
    ...     made = gauger.hand_off(who, contacts, f"{place}/spring", campaign="spring", consent=None, holdout=0.5)
    ...     came = made.customers[made.customers["step"] == "contacted"].iloc[:80]
    ...     found = gauger.measure(made.folder, pd.DataFrame({"who": came["who"], "responded": 1}))
    >>> found.table.loc["all", "uplift"].item(), found.table.loc["all", "reading"]
    (0.4, 'more')
    """
    path = Path(folder)
    told = read_manifest(path)
    if not any(one["holdout"] for one in told["holdouts"]):
        raise SettingError("nobody was held out in this campaign: there is nothing to measure by.")
    arms = _arms(path if path.is_dir() else path.parent, told)
    key = str(told["key"])
    told_before: tuple[Remark, ...] = ()
    if when is not None:
        outcomes, told_before = outcomes_of(outcomes, key, CampaignDates(when, since, until), value)
        responded = RESPONDED
    elif since is not None or until is not None:
        raise SettingError(
            "the campaign's dates need the column of the rows' dates: when= (on the command line: --when COLUMN)."
        )
    table = checked_table(outcomes, [key, responded, *([value] if value else [])])
    refuse_bad_key(table[key])
    found = table.assign(**{key: keys_as_text(table[key])}).set_index(key)
    keys = keys_as_text(arms[key])
    if len(found) and not keys.isin(found.index).any():
        raise UnknownColumnError(
            f"nobody in the outcomes took part in {told['campaign']!r}. Are the keys in {key!r} written the same way?"
        )
    own = found.reindex(keys)
    answered = np.asarray(yes_in(own, responded)) if len(found) else np.zeros(len(keys), dtype=np.bool_)
    worth = _worth(own, value)
    rows, rng = [], np.random.default_rng(seed)
    groups: list[tuple[object, str, np.ndarray]] = [
        (one["segment"], str(one["name"]), (arms["segment"] == one["segment"]).to_numpy()) for one in told["holdouts"]
    ]
    groups.append(("all", "all", np.ones(len(arms), dtype=np.bool_)))
    treated = (arms["arm"] == CONTACTED).to_numpy()
    for label, name, inside in groups:
        level = LEVEL if label == "all" else LEVEL / len(told["holdouts"])
        row = {"segment": label, "name": name, **_response(answered, treated, inside, level)}
        rows.append(row if worth is None else {**row, **_value(worth, treated, inside, level, rng)})
    result = pd.DataFrame(rows).set_index("segment")
    return Outcome(str(told["campaign"]), result, (*told_before, *_about(result, found.index, keys)))


def _arms(folder: Path, told: dict[str, Any]) -> pd.DataFrame:
    """Who was contacted and who held out, as it was handed off."""
    file = folder / ARMS
    checks = {one["name"]: one["sha256"] for one in told["files"]}
    if not file.is_file() or sha256_of(file) != checks.get(ARMS):
        raise ModelFileError(
            f"{file} is not there as it was handed off: without it nobody knows who was held out. Take the folder "
            "whole."
        )
    return read_table(file, as_text=[str(told["key"])])


def _worth(own: pd.DataFrame, value: str | None) -> "np.ndarray | None":
    if value is None:
        return None
    if not pd.api.types.is_numeric_dtype(own[value]):
        raise ColumnValuesError(f"{value!r} must hold numbers.")
    return np.asarray(np.nan_to_num(own[value].to_numpy(dtype=np.float64, na_value=np.nan)))


def _response(answered: np.ndarray, treated: np.ndarray, inside: np.ndarray, level: float) -> dict[str, object]:
    (yes, n), (no_yes, m) = (
        (int((answered & inside & arm).sum()), int((inside & arm).sum())) for arm in (treated, ~treated)
    )
    share, base = (yes / n if n else math.nan), (no_yes / m if m else math.nan)
    low, high = newcombe(yes, n, no_yes, m, level)
    return {
        "contacted": n,
        "holdout": m,
        "response": share,
        "holdout_response": base,
        "uplift": share - base,
        "low": low,
        "high": high,
        "reading": _reading(yes, n, no_yes, m, low, high),
    }


def _reading(yes: int, n: int, no_yes: int, m: int, low: float, high: float) -> str:
    if min(n, m) < _LEAST_ARM or yes + no_yes < _LEAST_RESPONSES:
        return TOO_SMALL
    return _told(low, high)


def _told(low: float, high: float) -> str:
    return HELPED if low > 0.0 else HARMED if high < 0.0 else CANNOT_SAY


def _value(
    worth: np.ndarray, treated: np.ndarray, inside: np.ndarray, level: float, rng: np.random.Generator
) -> dict[str, object]:
    own, other = worth[inside & treated], worth[inside & ~treated]
    value, base = (float(arm.mean()) if arm.size else math.nan for arm in (own, other))
    low, high = difference_of_means(own, other, level, rng)
    gap = value - base
    return {
        "value": value,
        "holdout_value": base,
        "value_uplift": gap,
        "value_low": low,
        "value_high": high,
        "gained": gap * own.size,
        "value_reading": TOO_SMALL if math.isnan(low) else _told(low, high),
    }


def _about(result: pd.DataFrame, known: pd.Index, keys: "pd.Series[str]") -> Iterator[Remark]:
    segments = result.drop(index="all")
    small = segments.index[segments["reading"] == TOO_SMALL]
    if len(small):
        names = [f"{name} (segment {number})" for number, name in segments.loc[small, "name"].items()]
        yield Remark(
            "too-small-to-say",
            f"too few customers or responses to say anything of {listed(names, most=4)}.",
            segments=tuple(int(number) for number in small),
        )
    strangers = int((~known.isin(keys)).sum())
    if strangers:
        yield Remark(
            "outcomes-of-others",
            f"{strangers:,} {plural(strangers, 'customer')} of the outcomes took no part in the campaign and "
            f"{plural(strangers, 'is', 'are')} left aside.",
        )
