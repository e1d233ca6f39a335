"""Profile segments: who is in each, in original units, what sets it apart, and how firmly it stands."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from pandas.api import types

from gauger.columns import AnyTable, guess_role, levels_in_order
from gauger.errors import SettingError, UnknownColumnError
from gauger.features import LARGEST, Indicator, beyond_exactness
from gauger.profiling.assembling import ProfileFacts, assembled
from gauger.profiling.assignment_files import checked_assignments
from gauger.profiling.components import about_the_plane
from gauger.profiling.drivers import circular
from gauger.profiling.exemplars import exemplars_of
from gauger.profiling.level_tables import Levels, levels_by_group, median_dates
from gauger.profiling.matching import about_left_aside, with_tables
from gauger.profiling.overlap import about_overlap, overlap_of
from gauger.profiling.profiles import Profile
from gauger.profiling.short_rules import rules_of
from gauger.profiling.summaries import Grouping, summarise
from gauger.progress import task
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, Segmentation
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


def profile(
    seg: Segmentation,
    table: AnyTable | Sequence[AnyTable] | None = None,
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
        The segments. Those of a table in a database are described there, by every column of it; those of files by the
        sample, unless it is everyone.
    table : pandas.DataFrame or another table, or a list of them, optional
        Has the key column; its columns are matched to the customers by key, and what is missing for a customer is left
        out. Keys, constants and free text are left aside. Of several tables, such as behaviour and demographics, each
        column is described once, as the first that has it.
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
    if seg.everyone is not None and table is None and len(seg.codes) < seg.customers:
        found = seg.everyone.profiled(seg.names)
        if found is not None:
            return found  # type: ignore[no-any-return]
    seg = seg.sample
    features = seg.features
    columns, remarks = with_tables(features.original, table, features.key)
    subject = _Subject(
        columns, seg.codes, seg.numbers.tolist(), seg.names, features.names, features.indicators, features.noun
    )
    with task("profiling"):
        overlap = overlap_of(seg, resamples=resamples, seed=seed)
        remarks += [*about_overlap(overlap), *about_the_plane(seg)]
        return _describe(subject, totals, ordered or {}, remarks, overlap, exemplars_of(seg))


def profile_assignments(
    assignments: AnyTable,
    table: AnyTable | Sequence[AnyTable],
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
    assignments : pandas.DataFrame or another table
        A row a customer with the key, `segment` (0 for unassigned) and perhaps `segment_name`.
    table : pandas.DataFrame or another table, or a list of them
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
    columns, remarks = with_tables(pd.DataFrame(index=pd.Index(keys)), table, key)
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
    codes, segments = subject.codes, len(subject.numbers)
    measured, categories, dates, infinite = _sorted_out(subject, ordered)
    facts = ProfileFacts(
        numbers=tuple(subject.numbers),
        names=subject.names,
        customers=np.bincount(codes, minlength=segments + 1),
        summaries=summarise(measured, Grouping.of(codes, segments)),
        lowest={name: float(measured[name].min()) for name in measured.columns},
        categories=categories,
        dates=median_dates(dates, codes, segments),
        repeats=circular({name: measured[name].to_numpy() for name in measured.columns}, subject.used or ()),
        counts=_counts(subject.columns, list(measured.columns)),
        ordered=_orders(subject, categories, ordered),
        used=subject.used,
        indicators=subject.indicators,
        noun=subject.noun,
        remarks=(*remarks, *infinite),
        overlap=overlap,
        exemplars=exemplars,
    )
    return assembled(facts, lambda told, scores: rules_of(measured[told], codes, scores), totals)


def _counts(columns: pd.DataFrame, told: Sequence[str]) -> set[str]:
    """The measures that count something, so that there are few of them and not little."""
    key = str(columns.index.name)
    kinds = columns[list(told)].convert_dtypes()  # features are held as floats, whole or not
    return {name for name in told if guess_role(kinds[name], name, key=key).name == "count"}


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
    aside: dict[str, str] = {}
    for name, column in subject.columns.items():
        used = name in (subject.used or ())
        role = "measure" if used else guess_role(column, str(name), key=str(subject.columns.index.name)).name
        if role in _MEASURED and types.is_numeric_dtype(column):
            values = column.to_numpy(dtype=np.float64, na_value=np.nan)
            ends = float(np.fmin.reduce(values, initial=0.0)), float(np.fmax.reduce(values, initial=0.0))
            why = beyond_exactness(*ends) if types.is_integer_dtype(column) else None
            if why is not None:
                aside[str(name)] = why
                continue
            if ends[1] > LARGEST or ends[0] < -LARGEST:
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
    remarks = list(about_left_aside(aside))
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
