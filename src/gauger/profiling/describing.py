"""Profile segments: who is in each, in original units, what sets it apart, and how firmly it stands."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from pandas.api import types

from gauger.columns import guess_role, levels_in_order
from gauger.errors import SettingError, UnknownColumnError
from gauger.features import LARGEST, Indicator
from gauger.profiling.assignments import checked_assignments
from gauger.profiling.components import about_the_plane
from gauger.profiling.drivers import adjusted_together, associations_of, circular, drivers_of, on_significance, tested
from gauger.profiling.exemplars import exemplars_of
from gauger.profiling.levels import Levels, known_table, levels_by_group, median_dates, share_tables
from gauger.profiling.matching import matched_table
from gauger.profiling.naming import suggested_names
from gauger.profiling.overlap import about_overlap, overlap_of
from gauger.profiling.profiles import Profile
from gauger.profiling.rules import rules_of
from gauger.profiling.summaries import Grouping, MeasureSummary, by_group, summarise
from gauger.progress import task
from gauger.remarks import Remark
from gauger.segmentation import EVERYONE, UNASSIGNED, UNASSIGNED_NAME, Segmentation
from gauger.wording import CUSTOMER, Noun, listed, plural

_MEASURED, _LEVELLED = ("measure", "count"), ("category", "flag", "ordinal code")
_TOTAL = "_total"
_CLEAR = 0.5
"""Standard deviations that everyone's mean must be above zero for an index, where some are below zero: judgement."""
_NOBODY = "nobody is in a segment: there is nothing to profile."


@dataclass(frozen=True, eq=False)
class _Subject:
    """What is profiled: customers (the index of `columns`), and for each the place of its segment in `numbers`, from 1;
    0 for none. `used` are the features that segments were built on, None when that is not known."""

    columns: pd.DataFrame
    codes: NDArray[np.integer]
    numbers: list[int]
    names: Mapping[int, str]
    used: tuple[str, ...] | None = None
    indicators: Mapping[str, Indicator] = field(default_factory=dict)
    noun: Noun = CUSTOMER

    @property
    def rows(self) -> tuple[pd.Index, list[int]]:
        """The rows of every table by segment, and which group each is: segments, unassigned if any, everyone."""
        labels: list[int | str] = [*self.numbers]
        groups = [*range(1, len(self.numbers) + 1)]
        if not self.codes.all():
            labels.append(UNASSIGNED_NAME)
            groups.append(UNASSIGNED)
        return pd.Index([*labels, EVERYONE], dtype=object, name="segment"), [*groups, len(self.numbers) + 1]

    def built_on(self, column: str) -> bool | None:
        """Whether segments were built on a column, as a measure or by its levels; None when that is not known."""
        if self.used is None:
            return None
        return column in self.used or any(column == own.column for own in self.indicators.values())


def profile(
    seg: Segmentation,
    table: pd.DataFrame | None = None,
    *,
    totals: Sequence[str] | None = None,
    ordered: Mapping[str, Sequence[object]] | None = None,
    resamples: int = 20,
    seed: int = 0,
) -> Profile:
    """Describe each segment by the features it was made from and, given a table, by its other columns too.

    Parameters
    ----------
    seg : Segmentation
        The segments.
    table : pandas.DataFrame, optional
        Has the key column; its columns are matched to the customers by key, and what is missing for a customer is left
        out. Keys, constants and free text are left aside.
    totals : sequence of str, optional
        Measures that add up, such as spend_total, of which each segment's share is told; by default those that end in
        _total.
    ordered : mapping, optional
        The levels of categories that stand in an order: `{"income": ["low", "middle", "high"]}`. Ordered categoricals
        and levels with numbers in their names, such as bands of age, are known without.
    resamples : int
        How many bootstrap samples stability is over; 0 for none.
    seed : int
        For the bootstrap.

    Returns
    -------
    Profile
        Tables by segment, in original units. Remarks say which customers the table lacks, which segments overlap or do
        not come back on bootstrap samples, whether they look mixed in a picture of two dimensions, and every time what
        the p of the drivers proves and what not.

    Raises
    ------
    UnknownColumnError
        When the key or a total is not in `table`.
    KeyColumnError
        When the key repeats there.
    SettingError
        When no key matches, or nobody is in a segment.

    Notes
    -----
    O(n d log n), and a bootstrap of the method.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 9, 11], "age": [20, 30, 40, 50]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits"]), 2)
    >>> gauger.profile(seg, table).means.loc[1].tolist()
    [2.0, 25.0]
    """
    if not seg.count:
        raise SettingError(_NOBODY)
    columns = seg.features.original
    remarks: list[Remark] = []
    if table is not None:
        others, remarks = matched_table(columns.index, table, seg.features.key)
        columns = columns.join(others.drop(columns=[name for name in others.columns if name in columns.columns]))
    features = seg.features
    subject = _Subject(
        columns, seg.codes, seg.numbers.tolist(), seg.names, features.names, features.indicators, features.noun
    )
    with task("profiling"):
        overlap = overlap_of(seg, resamples=resamples, seed=seed)
        remarks += [*about_overlap(overlap), *about_the_plane(seg)]
        return _describe(subject, totals, ordered or {}, remarks, overlap, exemplars_of(seg))


def profile_assignments(
    assignments: pd.DataFrame,
    table: pd.DataFrame,
    *,
    key: str,
    totals: Sequence[str] | None = None,
    ordered: Mapping[str, Sequence[object]] | None = None,
) -> Profile:
    """Describe segments by the columns of a table, from assignments that were written to a file earlier.

    The features that segments were built on are not known, so that there is no overlap and there are no exemplars;
    `segmentation_from_assignments` takes features too.

    Parameters
    ----------
    assignments : pandas.DataFrame
        A row a customer with the key, `segment` (0 for unassigned) and perhaps `segment_name`.
    table : pandas.DataFrame
        As for `profile`.
    key : str
        The key column of both.
    totals : sequence of str, optional
        As for `profile`.
    ordered : mapping, optional
        As for `profile`.

    Returns
    -------
    Profile
        As of `profile`.

    Raises
    ------
    UnknownColumnError, KeyColumnError, SettingError
        As `profile` does, and for assignments that are none.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "age": [20, 30, 40, 50]})
    >>> given = pd.DataFrame({"who": list("abcd"), "segment": [1, 1, 1, 2]})
    >>> gauger.profile_assignments(given, table, key="who").means["age"].tolist()
    [30.0, 50.0, 35.0]
    """
    keys, codes, names = checked_assignments(assignments, key)
    numbers = [int(number) for number in np.unique(codes) if number != UNASSIGNED]
    if not numbers:
        raise SettingError(_NOBODY)
    columns, remarks = matched_table(keys, table, key)
    places = np.searchsorted([UNASSIGNED, *numbers], codes)
    subject = _Subject(columns, places, numbers, names, noun=Noun.of_key(key))
    with task("profiling"):
        return _describe(subject, totals, ordered or {}, remarks, pd.DataFrame(), pd.DataFrame())


def _describe(
    subject: _Subject,
    totals: Sequence[str] | None,
    ordered: Mapping[str, Sequence[object]],
    remarks: list[Remark],
    overlap: pd.DataFrame,
    exemplars: pd.DataFrame,
) -> Profile:
    codes, numbers = subject.codes, subject.numbers
    rows, groups = subject.rows
    measured, categories, dates, infinite = _sorted_out(subject, ordered)
    summaries = summarise(measured, Grouping.of(codes, len(numbers)))

    def figures(part: str) -> pd.DataFrame:
        return by_group(summaries, part, len(numbers) + 2).iloc[groups].set_axis(rows)

    means, scores = figures("mean"), figures("score")
    everyone = means.loc[[EVERYONE]].iloc[0]
    tables = (*share_tables(categories, len(numbers)), known_table(categories, len(numbers)))
    shares, category_index, known = (table.iloc[:, groups].set_axis(rows, axis=1) for table in tables)
    clear = _clear_of_zero(means, figures("standard_deviation"), measured)
    repeats = circular({name: measured[name].to_numpy() for name in measured.columns}, subject.used or ())
    drivers, associations = adjusted_together(
        drivers_of(summaries, subject.built_on, repeats), associations_of(categories, subject.built_on)
    )
    told = [name for name in measured.columns if name in (subject.used or ())] or list(measured.columns)
    own_scores = scores.loc[numbers, told].rename_axis("segment")
    proven = [name for table in (drivers, associations) for name in table.index[tested(table)]]
    return Profile(
        sizes=_sizes(subject, means, summaries, totals),
        means=means,
        medians=figures("median"),
        lower_quartiles=figures("lower"),
        upper_quartiles=figures("upper"),
        standard_deviations=figures("standard_deviation"),
        index=100.0 * means / everyone.where(clear),
        differences=(means - everyone).loc[:, ~clear],
        scores=scores,
        dates=median_dates(dates, codes, len(numbers)).iloc[groups].set_axis(rows),
        measures=_measures(summaries, subject),
        categories=shares,
        category_index=category_index,
        known=known,
        drivers=drivers,
        associations=associations,
        rules=rules_of(measured[told], codes, own_scores),
        overlap=overlap,
        exemplars=exemplars,
        suggested_names=suggested_names(
            own_scores,
            subject.indicators,
            subject.names,
            medians=figures("median").loc[[*numbers, EVERYONE], told],
            counts=_counts(subject.columns, told),
        ),
        ordered=_orders(subject, categories, ordered),
        remarks=(*remarks, *infinite, on_significance(subject.used, proven, repeats)),
        noun=subject.noun,
    )


def _clear_of_zero(means: pd.DataFrame, spreads: pd.DataFrame, measured: pd.DataFrame) -> "pd.Series[bool]":
    """Whether everyone's mean of each measure stands clear of zero, so that an index against it says something.

    Where nobody is below zero any mean above it does; else it must be at least half a standard deviation.
    """
    everyone, spread = means.loc[[EVERYONE]].iloc[0], spreads.loc[[EVERYONE]].iloc[0]
    lowest = measured.min()
    return (everyone > 0.0) & ((lowest >= 0.0) | (everyone >= _CLEAR * spread))


def _counts(columns: pd.DataFrame, told: Sequence[str]) -> set[str]:
    """The measures that count something, so that there are few of them and not little."""
    key = str(columns.index.name)
    return {name for name in told if name in columns and guess_role(columns[name], name, key=key).name == "count"}


def _orders(
    subject: _Subject, categories: Mapping[str, Levels], ordered: Mapping[str, Sequence[object]]
) -> dict[str, str]:
    """Where the order of each ordered category is from."""
    found = {}
    for name, levels in categories.items():
        if levels.ordered:
            told = name in ordered or isinstance(subject.columns[name].dtype, pd.CategoricalDtype)
            steps = types.is_numeric_dtype(subject.columns[name])
            found[name] = "given" if told else "steps" if steps else "numbers"
    return found


def _sorted_out(
    subject: _Subject, ordered: Mapping[str, Sequence[object]]
) -> tuple[pd.DataFrame, dict[str, Levels], pd.DataFrame, list[Remark]]:
    """The columns to describe: measures as numbers, categories and flags by level, dates; and what was left out."""
    _refuse_strange_orders(subject, ordered)
    measured, categories, dates = {}, {}, []
    infinite: dict[str, int] = {}
    for name, column in subject.columns.items():
        used = name in (subject.used or ())
        role = "measure" if used else guess_role(column, str(name), key=str(subject.columns.index.name)).name
        if role in _MEASURED and types.is_numeric_dtype(column):
            values = column.to_numpy(dtype=np.float64, na_value=np.nan)
            if np.fmax.reduce(values, initial=0.0) > LARGEST or np.fmin.reduce(values, initial=0.0) < -LARGEST:
                beyond = np.abs(values) > LARGEST
                infinite[str(name)] = int(beyond.sum())
                values = np.where(beyond, np.nan, values)
            measured[str(name)] = values
        elif role in _LEVELLED or str(name) in ordered:
            categories[str(name)] = levels_by_group(
                column,
                subject.codes,
                len(subject.numbers),
                flag=role == "flag",
                steps=role == "ordinal code",
                order=ordered.get(str(name)) or (None if role == "flag" else levels_in_order(column)),
            )
        elif role == "date":
            dates.append(name)
    if not (measured or categories or dates):
        raise SettingError("the table has no column to describe segments by: each is a key, a constant or free text.")
    remarks = []
    if infinite:
        parts = [f"{name} ({count:,} {plural(count, 'customer')})" for name, count in infinite.items()]
        remarks.append(
            Remark("infinite-left-out", f"infinite values were left out of {listed(parts)}.", features=tuple(infinite))
        )
    return pd.DataFrame(measured, index=subject.columns.index), categories, subject.columns[dates], remarks


def _refuse_strange_orders(subject: _Subject, ordered: Mapping[str, Sequence[object]]) -> None:
    """Raise for an order of a column that there is not, or of levels that it does not have."""
    strangers = [name for name in ordered if name not in subject.columns]
    if strangers:
        raise UnknownColumnError.among(strangers, [str(name) for name in subject.columns])
    for name, levels in ordered.items():
        present = set(map(str, subject.columns[name].dropna().unique()))
        if not present & set(map(str, levels)):
            raise SettingError(
                f"ordered: {name!r} has none of the levels {listed(map(repr, levels), most=6)}; it has "
                f"{listed(sorted(map(repr, present)), most=6)}."
            )


def _sizes(
    subject: _Subject, means: pd.DataFrame, summaries: Mapping[str, MeasureSummary], totals: Sequence[str] | None
) -> pd.DataFrame:
    """Names, customers and shares, and each total's share, by segment."""
    rows, groups = subject.rows
    if totals is not None and any(name not in means.columns for name in totals):
        raise UnknownColumnError.among(totals, list(means.columns))
    names = {row: subject.names[row] if isinstance(row, int) else str(row) for row in rows}
    counts = np.append(np.bincount(subject.codes, minlength=len(subject.numbers) + 1), len(subject.codes))
    sizes = pd.DataFrame({"name": [names[row] for row in rows], "customers": counts[groups]}, index=rows)
    sizes["share"] = sizes["customers"] / len(subject.codes)
    for name in totals if totals is not None else [name for name in means.columns if name.endswith(_TOTAL)]:
        moments = summaries[name].moments
        sums = moments.count * np.nan_to_num(moments.mean)
        overall = float(sums.sum())
        sizes[f"share_of_{name}"] = (np.append(sums, overall) / (overall if overall > 0.0 else np.nan))[groups]
    return sizes


def _measures(summaries: Mapping[str, MeasureSummary], subject: _Subject) -> pd.DataFrame:
    """What is known of each measure as a whole, and which figure of it leads."""
    rows = []
    for found in summaries.values():
        long_tail = f"skew {found.skew:.1f}: a long tail of {'large' if found.skew > 0.0 else 'small'} values"
        why = f"{long_tail} moves the mean" if found.lopsided else "no long tail"
        rows.append((found.skew, found.missing, "median" if found.lopsided else "mean", why))
    table = pd.DataFrame(rows, columns=["skew", "missing", "leads", "why"], index=pd.Index(summaries, name="measure"))
    table.insert(
        0, "used", pd.Series([subject.built_on(name) for name in table.index], dtype="boolean", index=table.index)
    )
    return table
