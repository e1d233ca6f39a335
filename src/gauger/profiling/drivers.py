"""Drivers: which measures set the segments apart, and what a test of significance can and cannot say about that."""

from collections.abc import Callable, Collection, Mapping

import numpy as np
import pandas as pd
from numpy.typing import ArrayLike, NDArray
from scipy.special import fdtrc
from scipy.stats import chi2

from gauger.errors import listed, plural
from gauger.profiling.levels import Levels
from gauger.profiling.summaries import Moments, Summary
from gauger.remarks import Remark

DRIVER_COLUMNS = ("effect", "F", "p", "eta_squared", "rank_h", "rank_p", "rank_eta_squared", "used", "p_adjusted")
ASSOCIATION_COLUMNS = ("cramers_v", "chi_square", "p", "used", "p_adjusted")

Values = NDArray[np.float64]


def drivers_of(summaries: Mapping[str, Summary], used: Callable[[str], bool]) -> pd.DataFrame:
    """A row a measure, the strongest first: effect, F, p, eta_squared, rank_h, rank_p, rank_eta_squared, used.

    eta_squared is the share of the measure's variance that lies between segments (0 to 1), F the variance between
    segments over that within, each by its degrees of freedom, p the chance of as large an F if segments did not differ.
    For measures with a long tail rank_h, rank_p and rank_eta_squared are the same of their ranks (Kruskal & Wallis
    1952); NaN for others. effect is rank_eta_squared where there is one, else eta_squared. The unassigned are no group.

    A measure that is the same for everyone has F 0, p 1 and no effect; with one segment F and p are NaN.

    Fisher (1925), Statistical Methods for Research Workers; Kruskal & Wallis (1952), J. American Statist. Assoc. 47.
    """
    rows = {}
    for name, found in summaries.items():
        f, p, eta = _one_way(_segments_only(found.moments))
        h, rank_p, rank_eta = (np.nan,) * 3
        if found.by_rank is not None:
            h, rank_p, rank_eta = _by_rank(_segments_only(found.by_rank))
        effect = rank_eta if found.lopsided else eta
        rows[name] = (effect, f, p, eta, h, rank_p, rank_eta, used(name), np.nan)
    return _ordered(rows, DRIVER_COLUMNS, "measure")


def associations_of(categories: Mapping[str, Levels], used: Callable[[str], bool]) -> pd.DataFrame:
    """A row a category, the strongest first: cramers_v (0 to 1), chi_square, p and used.

    chi_square compares the counts of the crossing table with those of segments that had the same shares; Cramér's V is
    the root of chi_square over its largest possible value. The unassigned are no group. One segment, or one level: 0.

    Cramér (1946), Mathematical Methods of Statistics.
    """
    rows = {}
    for name, found in categories.items():
        counts = found.counts[:, 1:]
        counts = counts[counts.sum(axis=1) > 0][:, counts.sum(axis=0) > 0].astype(np.float64)
        free = (counts.shape[0] - 1) * (counts.shape[1] - 1)
        if free < 1:
            rows[name] = (0.0, np.nan, np.nan, used(name), np.nan)
            continue
        expected = np.outer(counts.sum(axis=1), counts.sum(axis=0)) / counts.sum()
        statistic = float(((counts - expected) ** 2 / expected).sum())
        strength = float(np.sqrt(statistic / counts.sum() / (min(counts.shape) - 1)))
        rows[name] = (strength, statistic, float(chi2.sf(statistic, free)), used(name), np.nan)
    return _ordered(rows, ASSOCIATION_COLUMNS, "column")


def adjusted_together(drivers: pd.DataFrame, associations: pd.DataFrame) -> tuple[pd.DataFrame, pd.DataFrame]:
    """Both tables with p_adjusted for what was not used for segmenting, over all of it; NaN for what was.

    The p that is adjusted is the rank version's where there is one.
    """
    own = [drivers["rank_p"].fillna(drivers["p"])[~drivers["used"]], associations["p"][~associations["used"]]]
    adjusted = holm(np.concatenate([part.to_numpy(dtype=np.float64) for part in own]))
    tables = []
    for table, part, values in zip((drivers, associations), own, np.split(adjusted, [len(own[0])]), strict=True):
        tables.append(table.assign(p_adjusted=pd.Series(values, index=part.index, dtype=np.float64)))
    return tables[0], tables[1]


def holm(p: ArrayLike) -> Values:
    """p values (n,) adjusted for their number, so that all together err no more often than one; NaN stays NaN.

    The smallest times n, the next times n - 1, and so on, never falling and at most 1.

    Holm (1979), Scandinavian Journal of Statistics 6(2), 65-70.
    """
    values = np.array(p, dtype=np.float64)
    places = np.flatnonzero(~np.isnan(values))
    order = places[np.argsort(values[places], kind="stable")]
    times = np.arange(len(order), 0, -1)
    values[order] = np.minimum(np.maximum.accumulate(values[order] * times), 1.0)
    return values


def on_significance(used: Collection[str] | None, tested: Collection[str]) -> Remark:
    """What p proves; `used` are the features that segments were built on, None when that is not known."""
    if used is None:
        text = (
            "which columns the segments were built on is not known from assignments alone: for those p proves "
            "nothing, because segments were built to differ on them. For the others p means something."
        )
    else:
        text = (
            f"segments were built to differ on {listed(sorted(used))}, so p proves nothing there: read the effect, "
            "which is how much of a measure's variance lies between segments."
        )
        if tested:
            others = plural(len(tested), "column that was", "columns that were")
            text += (
                f" For the {len(tested)} {others} not used, p means something, unless they tell the same behaviour in "
                "other words; p_adjusted is corrected for their number (Holm)."
            )
    return Remark("significance", text, features=tuple(sorted(used or ())))


def _segments_only(moments: Moments) -> Moments:
    return Moments(moments.count[1:], moments.mean[1:], moments.squares[1:], moments.cubes[1:])


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
    return h, float(chi2.sf(h, free)), eta


def _ordered(rows: Mapping[str, tuple[object, ...]], columns: tuple[str, ...], index: str) -> pd.DataFrame:
    table = pd.DataFrame.from_dict(dict(rows), orient="index", columns=list(columns))
    table = table.astype({**dict.fromkeys(columns, np.float64), "used": np.bool_}).rename_axis(index)
    return table.sort_values(columns[0], ascending=False, kind="stable", na_position="last")
