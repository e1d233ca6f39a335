"""Drivers: which measures set the segments apart, and what a test of significance can and cannot say about that."""

from collections.abc import Callable, Collection, Mapping
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy.special import chdtrc, fdtrc

from gauger.algorithms.statistics import Moments, chi_square, cramers_v, holm, unit_of
from gauger.profiling.level_tables import Levels
from gauger.profiling.summaries import MeasureSummary
from gauger.remarks import Remark
from gauger.wording import listed, plural

DRIVER_COLUMNS = (
    "effect",
    "F",
    "p",
    "eta_squared",
    "rank_h",
    "rank_p",
    "rank_eta_squared",
    "used",
    "repeats",
    "p_adjusted",
)
ASSOCIATION_COLUMNS = ("cramers_v", "chi_square", "p", "used", "repeats", "p_adjusted")

CIRCULAR = 0.9
"""A measure whose correlation with a feature in use is at least this, either way, tells the same in other words, and a
test of it proves as little: judgement."""

Used = Callable[[str], bool | None]
"""Whether segments were built on a column; None when that is not known."""

Values = NDArray[np.float64]


def drivers_of(summaries: Mapping[str, MeasureSummary], used: Used, repeats: Mapping[str, str]) -> pd.DataFrame:
    """A row a measure, the strongest first: effect, F, p, eta_squared, rank_h, rank_p, rank_eta_squared, used.

    eta_squared is the share of the measure's variance that lies between segments (0 to 1), F the variance between
    segments over that within, each by its degrees of freedom, p the chance of as large an F if segments did not differ.
    For measures with a long tail rank_h, rank_p and rank_eta_squared are the same of their ranks (Kruskal & Wallis
    1952); NaN for others. effect is rank_eta_squared where there is one, else eta_squared. The unassigned are no group.

    used is whether segments were built on the measure, NA when that is not known: then there is no p. repeats names the
    feature in use that the measure tells in other words (a correlation of 0.9 or more, either way), if there is one.

    A measure that is the same for everyone has F 0, p 1 and no effect; with one segment F and p are NaN.

    Fisher (1925), Statistical Methods for Research Workers; Kruskal & Wallis (1952), J. American Statist. Assoc. 47.
    """
    rows = {}
    for name, found in summaries.items():
        f, p, eta = _one_way(found.moments.of_groups(slice(1, None)))
        h, rank_p, rank_eta = (np.nan,) * 3
        if found.by_rank is not None:
            h, rank_p, rank_eta = _by_rank(found.by_rank.of_groups(slice(1, None)))
        effect = rank_eta if found.lopsided else eta
        if used(name) is None:
            p, rank_p = np.nan, np.nan
        rows[name] = (effect, f, p, eta, h, rank_p, rank_eta, used(name), repeats.get(name, ""), np.nan)
    return _ordered(rows, DRIVER_COLUMNS, "measure")


def associations_of(categories: Mapping[str, Levels], used: Used) -> pd.DataFrame:
    """A row for each category, the strongest first: cramers_v (0 to 1), chi_square, p and used.

    chi_square compares the counts of the contingency table with those of segments that had the same shares; Cramér's V
    is how much of its largest possible value it reaches, corrected for bias. The unassigned are not a group. With one
    segment, or one level, V is 0.
    """
    rows = {}
    for name, found in categories.items():
        counts = found.counts[:, 1:]
        statistic, free = chi_square(counts)
        if not free:
            rows[name] = (0.0, np.nan, np.nan, used(name), "", np.nan)
            continue
        strength = np.nan_to_num(cramers_v(counts))
        p = np.nan if used(name) is None else float(chdtrc(free, statistic))
        rows[name] = (strength, statistic, p, used(name), "", np.nan)
    return _ordered(rows, ASSOCIATION_COLUMNS, "column")


def adjusted_together(drivers: pd.DataFrame, associations: pd.DataFrame) -> tuple[pd.DataFrame, pd.DataFrame]:
    """Both tables with p_adjusted over all that was not used for segmenting; NaN for what was, or repeats what was.

    The p that is adjusted is the rank version's where there is one.
    """
    own = [drivers["rank_p"].fillna(drivers["p"])[tested(drivers)], associations["p"][tested(associations)]]
    adjusted = holm(np.concatenate([part.to_numpy(dtype=np.float64) for part in own]))
    tables = []
    for table, part, values in zip((drivers, associations), own, np.split(adjusted, [len(own[0])]), strict=True):
        tables.append(table.assign(p_adjusted=pd.Series(values, index=part.index, dtype=np.float64)))
    return tables[0], tables[1]


def tested(table: pd.DataFrame) -> NDArray[np.bool_]:
    """Which rows of drivers or associations a test means something for."""
    return np.asarray(~table["used"].fillna(True) & (table["repeats"] == ""), dtype=np.bool_)


def circular(columns: Mapping[str, Values], used: Collection[str]) -> dict[str, str]:
    """For columns (n,) that are not used: the used one that each tells in other words, where there is one."""
    found = {}
    for name, values in columns.items():
        for feature in [] if name in used else used:
            if feature in columns and abs(_correlation(values, columns[feature])) >= CIRCULAR:
                found[name] = feature
                break
    return found


def _correlation(one: Values, other: Values) -> float:
    """Pearson's over the rows that have both; 0 where either is the same throughout."""
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        one, other = one - np.nanmean(one), other - np.nanmean(other)
        both = ~np.isnan(one * other)
        if not both.all():
            one, other = one[both] - one[both].mean() if both.any() else one[both], other[both]
        one, other = (column / unit_of(float(np.abs(column).max(initial=0.0))) for column in (one, other))
        scale = np.sqrt(np.dot(one, one)) * np.sqrt(np.dot(other, other))
        return float(np.dot(one, other) / scale) if np.isfinite(scale) and scale > 0.0 else 0.0


def on_significance(used: Collection[str] | None, proven: Collection[str], repeats: Mapping[str, str]) -> Remark:
    """What p proves; `used` are the features that segments were built on, None when that is not known, `proven` the
    columns that a test means something for, and `repeats` those that tell a feature in use in other words."""
    if used is None:
        text = (
            "which columns the segments were built on is not known from assignments alone, and for those a test proves "
            "nothing, because segments were built to differ on them: so no p is given. Name the features, and p is "
            "told for the other columns."
        )
    else:
        text = (
            f"segments were built to differ on {listed(sorted(used))}, so p proves nothing there: read the effect, "
            "which is how much of a measure's variance lies between segments."
        )
        if repeats:
            parts = [f"{name} ({feature})" for name, feature in repeats.items()]
            text += f" Nor in {listed(parts, most=6)}, which tell features in use in other words."
        if proven:
            others = plural(len(proven), "other column", "other columns")
            text += (
                f" For the {len(proven)} {others} p means something; p_adjusted is corrected for their number (Holm)."
            )
    return Remark("significance", text, features=tuple(sorted(used or ())))


def _sums(moments: Moments) -> tuple[float, float, float, float]:
    """Sums of squares between and within, and their degrees of freedom."""
    everyone = moments.all()
    within = float(moments.squares.sum())
    between = max(float(everyone.squares[0]) - within, 0.0)
    groups = int(np.count_nonzero(moments.count))
    return between, within, groups - 1.0, float(everyone.count[0]) - groups


def _one_way(moments: Moments) -> tuple[float, float, float]:
    """F, p and eta squared of a one-way analysis of variance."""
    between, within, free, free_within = _sums(moments)
    eta = between / (between + within) if between else 0.0
    if free < 1.0 or free_within < 1.0:
        return np.nan, np.nan, eta
    if not between:
        return 0.0, 1.0, 0.0
    f = np.inf if not within else (between / free) / (within / free_within)
    return float(f), float(fdtrc(free, free_within, f)) if np.isfinite(f) else 0.0, eta


def _by_rank(moments: Moments) -> tuple[float, float, float]:
    """Kruskal and Wallis's H, ties heeded, its p and eta squared of the ranks: H = (n - 1) eta squared."""
    between, within, free, free_within = _sums(moments)
    eta = between / (between + within) if between else 0.0
    if free < 1.0:
        return np.nan, np.nan, eta
    h = (free + free_within) * eta
    return h, float(chdtrc(free, h)), eta


def _ordered(rows: Mapping[str, tuple[object, ...]], columns: tuple[str, ...], index: str) -> pd.DataFrame:
    table = pd.DataFrame.from_dict(dict(rows), orient="index", columns=list(columns))
    kinds: dict[str, Any] = {**dict.fromkeys(columns, np.float64), "used": "boolean", "repeats": "str"}
    table = table.astype(kinds).rename_axis(index)
    return table.sort_values(columns[0], ascending=False, kind="stable", na_position="last")
