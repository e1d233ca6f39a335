"""A profile put together from what is known of its customers by segment, wherever that was found out."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.errors import UnknownColumnError
from gauger.features import Indicator
from gauger.profiling.drivers import adjusted_together, associations_of, drivers_of, on_significance, tested
from gauger.profiling.known_part import about_known
from gauger.profiling.level_tables import Levels, known_table, share_tables
from gauger.profiling.profiles import Profile
from gauger.profiling.suggested_names import suggested_names
from gauger.profiling.summaries import MeasureSummary, by_group
from gauger.remarks import Remark
from gauger.segmentation import EVERYONE, UNASSIGNED, UNASSIGNED_NAME
from gauger.wording import CUSTOMER, Noun

_TOTAL = "_total"
_CLEAR = 0.5
"""Standard deviations that everyone's mean must be above zero for an index, where some are below zero: judgement."""

Rules = Callable[[list[str], pd.DataFrame], pd.DataFrame]
"""Finds short rules from some measures, by scores that have a row a segment."""


@dataclass(frozen=True, eq=False)
class ProfileFacts:
    """What is known of customers by segment, the unassigned first where figures are by group.

    `customers` (k + 1,) by group; `summaries` and `lowest` of measures; `categories` by level; `dates` the median days
    (k + 2 rows, everyone last); `repeats` the measures that tell a feature in use in other words; `counts` those that
    count something; `ordered` where the order of ordered categories is from. `used` are the features that segments were
    built on, None when that is not known.
    """

    numbers: tuple[int, ...]
    names: Mapping[int, str]
    customers: NDArray[np.integer]
    summaries: Mapping[str, MeasureSummary]
    lowest: Mapping[str, float]
    categories: Mapping[str, Levels]
    dates: pd.DataFrame
    repeats: Mapping[str, str] = field(default_factory=dict)
    counts: Collection[str] = ()
    ordered: Mapping[str, str] = field(default_factory=dict)
    used: tuple[str, ...] | None = None
    indicators: Mapping[str, Indicator] = field(default_factory=dict)
    noun: Noun = CUSTOMER
    remarks: tuple[Remark, ...] = ()
    overlap: pd.DataFrame = field(default_factory=pd.DataFrame)
    exemplars: pd.DataFrame = field(default_factory=pd.DataFrame)

    @property
    def rows(self) -> tuple[pd.Index, list[int]]:
        """The rows of every table by segment, and which group each is: segments, unassigned if any, everyone."""
        labels: list[int | str] = [*self.numbers]
        groups = [*range(1, len(self.numbers) + 1)]
        if self.customers[UNASSIGNED]:
            labels.append(UNASSIGNED_NAME)
            groups.append(UNASSIGNED)
        return pd.Index([*labels, EVERYONE], dtype=object, name="segment"), [*groups, len(self.numbers) + 1]

    def known(self) -> dict[str, NDArray[np.integer]]:
        """By column how many customers of each segment (k,) have a value."""
        measured = {name: found.moments.count[1:].astype(np.int64) for name, found in self.summaries.items()}
        return measured | {name: found.counts[:, 1:].sum(axis=0) for name, found in self.categories.items()}

    def built_on(self, column: str) -> bool | None:
        """Whether segments were built on a column, as a measure or by its levels; None when that is not known."""
        if self.used is None:
            return None
        return column in self.used or any(column == own.column for own in self.indicators.values())


def assembled(facts: ProfileFacts, rules: Rules, totals: Sequence[str] | None) -> Profile:
    """The profile, every table of it."""
    summaries, numbers, categories = facts.summaries, list(facts.numbers), facts.categories
    rows, groups = facts.rows

    def figures(part: str) -> pd.DataFrame:
        return by_group(summaries, part, len(numbers) + 2).iloc[groups].set_axis(rows)

    means, scores = figures("mean"), figures("score")
    everyone = means.loc[[EVERYONE]].iloc[0]
    tables = (*share_tables(categories, len(numbers)), known_table(categories, len(numbers)))
    shares, category_index, known = (table.iloc[:, groups].set_axis(rows, axis=1) for table in tables)
    clear = _clear_of_zero(means, figures("standard_deviation"), facts.lowest)
    drivers, associations = adjusted_together(
        drivers_of(summaries, facts.built_on, facts.repeats), associations_of(categories, facts.built_on)
    )
    told = [name for name in summaries if name in (facts.used or ())] or list(summaries)
    own_scores = scores.loc[numbers, told].rename_axis("segment")
    proven = [name for table in (drivers, associations) for name in table.index[tested(table)]]
    return Profile(
        sizes=_sizes(facts, means, summaries, totals),
        means=means,
        medians=figures("median"),
        lower_quartiles=figures("lower"),
        upper_quartiles=figures("upper"),
        standard_deviations=figures("standard_deviation"),
        index=100.0 * means / everyone.where(clear),
        differences=(means - everyone).loc[:, ~clear],
        scores=scores,
        dates=facts.dates.iloc[groups].set_axis(rows),
        measures=_measures(summaries, facts),
        categories=shares,
        category_index=category_index,
        known=known,
        drivers=drivers,
        associations=associations,
        rules=rules(told, own_scores),
        overlap=facts.overlap,
        exemplars=facts.exemplars,
        suggested_names=suggested_names(
            own_scores,
            facts.indicators,
            facts.names,
            medians=figures("median").loc[[*numbers, EVERYONE], told],
            counts=set(facts.counts) & set(told),
        ),
        ordered=facts.ordered,
        remarks=(
            *facts.remarks,
            *about_known(facts.known(), facts.customers[1:], facts.numbers),
            on_significance(facts.used, proven, facts.repeats),
        ),
        noun=facts.noun,
    )


def _clear_of_zero(means: pd.DataFrame, spreads: pd.DataFrame, lowest: Mapping[str, float]) -> "pd.Series[bool]":
    """Whether everyone's mean of each measure stands clear of zero, so that an index against it says something.

    Where nobody is below zero any mean above it does; else it must be at least half a standard deviation.
    """
    everyone, spread = means.loc[[EVERYONE]].iloc[0], spreads.loc[[EVERYONE]].iloc[0]
    least = pd.Series(dict(lowest), dtype=np.float64)
    return (everyone > 0.0) & ((least >= 0.0) | (everyone >= _CLEAR * spread))


def _sizes(
    facts: ProfileFacts, means: pd.DataFrame, summaries: Mapping[str, MeasureSummary], totals: Sequence[str] | None
) -> pd.DataFrame:
    """Names, customers and shares, and each total's share, by segment."""
    rows, groups = facts.rows
    if totals is not None and any(name not in means.columns for name in totals):
        raise UnknownColumnError.among(totals, list(means.columns))
    names = {row: facts.names[row] if isinstance(row, int) else str(row) for row in rows}
    everyone = int(facts.customers.sum())
    counts = np.append(facts.customers, everyone)
    sizes = pd.DataFrame({"name": [names[row] for row in rows], "customers": counts[groups]}, index=rows)
    sizes["share"] = sizes["customers"] / everyone
    for name in totals if totals is not None else [name for name in means.columns if name.endswith(_TOTAL)]:
        moments = summaries[name].moments
        sums = moments.count * np.nan_to_num(moments.mean)
        overall = float(sums.sum())
        sizes[f"share_of_{name}"] = (np.append(sums, overall) / (overall if overall > 0.0 else np.nan))[groups]
    return sizes


def _measures(summaries: Mapping[str, MeasureSummary], facts: ProfileFacts) -> pd.DataFrame:
    """What is known of each measure as a whole, and which figure of it leads."""
    rows = []
    for found in summaries.values():
        long_tail = f"skew {found.skew:.1f}: a long tail of {'large' if found.skew > 0.0 else 'small'} values"
        why = f"{long_tail} moves the mean" if found.lopsided else "no long tail"
        rows.append((found.skew, found.missing, "median" if found.lopsided else "mean", why))
    table = pd.DataFrame(rows, columns=["skew", "missing", "leads", "why"], index=pd.Index(summaries, name="measure"))
    table.insert(
        0, "used", pd.Series([facts.built_on(name) for name in table.index], dtype="boolean", index=table.index)
    )
    return table
