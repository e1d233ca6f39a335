"""What segments in a database are like in every column of their table, by sums, counts and quantiles."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
import pandas as pd

from gauger.algorithms.statistics import Moments, unit_of
from gauger.columns import levels_in_order, role_of
from gauger.errors import DatabaseError, UnknownTableError
from gauger.features import LARGEST, beyond_exactness, sql_number
from gauger.models import SegmentModel, columns_of
from gauger.profiling import (
    CIRCULAR,
    LOPSIDED,
    Levels,
    MeasureSummary,
    Profile,
    ProfileFacts,
    about_left_aside,
    assembled,
    levels_of_counts,
)
from gauger.progress import task
from gauger.remarks import Remark
from gauger.sources.databases.column_traits import ColumnTraits, skew_of, traits_of
from gauger.sources.databases.database_look import seconds_of
from gauger.sources.databases.database_moments import segment_moments
from gauger.sources.databases.database_quantiles import grouped_quantiles
from gauger.sources.databases.relations import TEXT, WHOLE, Relation, relation_of
from gauger.sources.databases.table_customers import TableCustomers
from gauger.sources.feature_columns import FeatureColumns
from gauger.sources.treatment_learning import QUARTILES
from gauger.tables import Session, TableName, sql_name
from gauger.wording import Noun, listed

_MEASURED, _LEVELLED = ("measure", "count"), ("category", "flag", "ordinal code")


@dataclass(frozen=True, eq=False)
class _SegmentTable:
    """The customers of a table, and the table of their segments."""

    customers: TableCustomers
    into: TableName

    def source(self, columns: Mapping[str, str]) -> str:
        """A select to take `segment` and expressions over the customers' table from."""
        return self.customers.with_segments(self.into, columns)


def profile_table(
    session: Session, table: str, into: str, model: SegmentModel, noun: Noun, remarks: Sequence[Remark] = ()
) -> Profile:
    """Describe each segment of a table's customers by all its columns; another table says who is in which."""
    try:
        segments = relation_of(session, into)
    except UnknownTableError as error:
        raise DatabaseError(f"{error} The segments of this study were written there: segment again.") from None
    return profile_relation(session, relation_of(session, table), segments.name, model, noun, remarks)


def profile_relation(
    session: Session,
    relation: Relation,
    into: TableName,
    model: SegmentModel,
    noun: Noun,
    remarks: Sequence[Remark] = (),
) -> Profile:
    """Describe each segment of a relation's customers by all its columns."""
    placed = _SegmentTable(TableCustomers(session, relation, FeatureColumns(model.key, ())), into)
    relation.refuse_lacking(columns_of(model))
    with task("profiling", 4) as advance:
        sizes = {
            int(code): int(count)
            for code, count in session.rows(f"SELECT segment, COUNT(*) FROM {into.sql} GROUP BY segment")
        }
        customers = np.array([sizes.get(code, 0) for code in range(len(model.segments) + 1)])
        roles = _roles(placed, model)
        advance(1)
        measured, infinite = _without_infinite([one for one, role in roles if role in _MEASURED])
        indicators = {one.name: one for one in model.features if one.indicator is not None}
        summaries = _summaries(placed, measured, model, customers.tolist())
        advance(1)
        categories = {one.name: _levels(placed, one, role, len(customers)) for one, role in roles if role in _LEVELLED}
        advance(1)
        facts = ProfileFacts(
            numbers=tuple(range(1, len(customers))),
            names=model.segment_names,
            customers=customers,
            summaries=summaries,
            lowest={one.name: one.ends[0] for one in measured} | dict.fromkeys(indicators, 0.0),
            categories=categories,
            dates=_dates(placed, [one for one, role in roles if role == "date"], len(customers)),
            repeats=_repeats(placed, measured, model.names),
            counts=[one.name for one, role in roles if role == "count"],
            ordered={
                one.name: "steps" if role == "ordinal code" else "numbers"
                for one, role in roles
                if role in _LEVELLED and categories[one.name].ordered
            },
            used=model.names,
            indicators={name: one.indicator for name, one in indicators.items() if one.indicator is not None},
            noun=noun,
            remarks=(*remarks, *infinite),
        )
        advance(1)
    return assembled(facts, _no_rules, None)


def _no_rules(told: Sequence[str], scores: pd.DataFrame) -> pd.DataFrame:
    """Rules are searched among customers, who are not at hand."""
    del told
    columns = ["rule", "matching", "share_of_segment", "share_of_matching"]
    return pd.DataFrame(columns=columns, index=scores.index[:0], dtype=object)


def _roles(placed: _SegmentTable, model: SegmentModel) -> list[tuple[ColumnTraits, str]]:
    """Every column with its role; what segments were built on as it is used."""
    used = {one.column for one in model.features if one.indicator is None}
    return [
        (one, "measure" if one.name in used else role_of(one, model.key).name)
        for one in traits_of(placed.customers.session, placed.customers.relation)
        if one.name != model.key
    ]


def _without_infinite(measures: Sequence[ColumnTraits]) -> tuple[list[ColumnTraits], list[Remark]]:
    beyond = [one.name for one in measures if max(map(abs, one.ends)) > LARGEST]
    why = {one.name: text for one in measures if one.kind == WHOLE and (text := beyond_exactness(*one.ends))}
    kept = [one for one in measures if one.name not in beyond and one.name not in why]
    remarks = list(about_left_aside(why))
    if not beyond:
        return kept, remarks
    text = f"{listed(beyond)} {'hold' if len(beyond) > 1 else 'holds'} infinite values and is left out."
    return kept, [Remark("infinite-left-out", text, features=tuple(beyond)), *remarks]


def _summaries(
    placed: _SegmentTable, measured: Sequence[ColumnTraits], model: SegmentModel, customers: Sequence[int]
) -> dict[str, MeasureSummary]:
    """Each measure, and each indicator that segments were built on, by group."""
    read, groups, everyone = placed.customers, len(customers), sum(customers)
    raw = {one.name: one.number for one in measured}
    indicators = {one.name: one.indicator for one in model.features if one.indicator}
    flags = TableCustomers(read.session, read.relation, FeatureColumns(read.key, (), indicators)).raw
    names = [*raw, *flags]
    if not names:
        return {}
    columns = {f"f{at}": expression for at, expression in enumerate([*raw.values(), *flags.values()], 1)}
    source = placed.source(columns)
    moments = segment_moments(read.session, source, list(columns), groups, first=0)
    counts, means = moments.known.astype(np.float64), moments.means()
    units = np.array([unit_of(largest) for largest in np.fmax.reduce(np.abs(means), axis=0, initial=0.0)])
    squares = (np.nan_to_num(moments.deviations()) / units) ** 2 * counts
    by_segment = grouped_quantiles(read.session, source, list(columns), QUARTILES, "segment")
    overall = grouped_quantiles(read.session, source, list(columns), QUARTILES)[None]
    none = np.full((len(columns), 3), np.nan)
    summaries = {}
    for at, name in enumerate(names):
        ones = Fraction(round(float(np.nan_to_num(means[:, at]) @ counts[:, at])))  # of noughts and ones every power
        skew = measured[at].skew if at < len(measured) else skew_of(int(counts[:, at].sum()), [ones, ones, ones])
        summaries[name] = MeasureSummary(
            Moments(counts[:, at], means[:, at], squares[:, at], float(units[at])),
            np.array([by_segment.get(code, none)[at] for code in range(groups)]),
            overall[at],
            skew,
            everyone - int(counts[:, at].sum()),
            _ranks(placed, columns[f"f{at + 1}"], groups) if abs(skew) > LOPSIDED else None,
        )
    return summaries


def _ranks(placed: _SegmentTable, expression: str, groups: int) -> Moments:
    """Moments of the ranks of a measure by group, ties halfway: twice the rank is a whole number."""
    source = placed.source({"value": expression})
    doubled = "2 * rank() OVER (ORDER BY value) + COUNT(*) OVER (PARTITION BY value) - 1"
    ranked = f"SELECT segment, {doubled} AS doubled FROM {source} WHERE value IS NOT NULL"
    dialect = placed.customers.dialect
    rows = placed.customers.session.rows(
        f"SELECT segment, COUNT(*), {dialect.whole_sum('doubled')}, {dialect.whole_sum('doubled * doubled')} FROM "
        f"({ranked}) AS ranked GROUP BY segment"
    )
    count, mean, squares = np.zeros(groups), np.full(groups, np.nan), np.zeros(groups)
    for code, size, total, square in rows:
        n, first, second = int(size), dialect.int_of(total), dialect.int_of(square)
        count[int(code)], mean[int(code)] = n, first / 2 / n
        squares[int(code)] = (second * n - first * first) / 4 / n
    return Moments(count, mean, squares)


def _levels(placed: _SegmentTable, column: ColumnTraits, role: str, groups: int) -> Levels:
    source = placed.source({"value": column.relation.level(column.name)})
    rows = placed.customers.session.rows(
        f"SELECT value, segment, COUNT(*) FROM {source} WHERE value IS NOT NULL GROUP BY value, segment"
    )
    plain = [(float(str(one)) if column.is_fraction else one, int(code), int(count)) for one, code, count in rows]
    found = sorted({one for one, *_ in plain}, key=lambda one: one if isinstance(one, (int, float)) else str(one))
    counts = np.zeros((len(found), groups), dtype=np.int64)
    places = {one: at for at, one in enumerate(found)}
    for one, code, count in plain:
        counts[places[one], code] += count
    order = None if role == "flag" else levels_in_order(pd.Series(found, dtype=object if column.kind == TEXT else None))
    return levels_of_counts(found, counts, flag=role == "flag", steps=role == "ordinal code", order=order)


def _dates(placed: _SegmentTable, columns: Sequence[ColumnTraits], groups: int) -> pd.DataFrame:
    """The median day of each column of dates by group, and of everyone."""
    table = pd.DataFrame(index=range(groups + 1), columns=[one.name for one in columns], dtype="datetime64[ns]")
    for one in columns:
        source = placed.source({"f1": seconds_of(sql_name(one.name))})
        by_segment = grouped_quantiles(placed.customers.session, source, ["f1"], (0.5,), "segment")
        overall = grouped_quantiles(placed.customers.session, source, ["f1"], (0.5,))
        for code, own in [*by_segment.items(), (groups, overall[None])]:
            if code is not None and not np.isnan(own[0, 0]):
                table.loc[code, one.name] = pd.Timestamp(float(own[0, 0]), unit="s").normalize()
    return table


def _in_units(column: ColumnTraits) -> str:
    """A measure's numbers as large as their squares can be added up."""
    unit = unit_of(max(map(abs, column.ends)))
    return f"({column.number})" if unit == 1.0 else f"(({column.number}) / {sql_number(unit)})"


def _repeats(placed: _SegmentTable, measured: Sequence[ColumnTraits], used: Sequence[str]) -> dict[str, str]:
    """For measures that are not used: the used one that each tells in other words, where there is one."""
    others = [one for one in measured if one.name not in used]
    by_name = {one.name: one for one in measured}
    features = [by_name[name] for name in used if name in by_name]
    pairs = [(one, feature) for one in others for feature in features]
    if not pairs:
        return {}
    asked = []
    for one, feature in pairs:
        x, y = _in_units(one), _in_units(feature)
        both = f"{x} IS NOT NULL AND {y} IS NOT NULL"
        asked += [f"AVG(CASE WHEN {both} THEN {told} END)" for told in (x, y, f"{x} * {x}", f"{y} * {y}", f"{x} * {y}")]
    means = placed.customers.session.row(f"SELECT {', '.join(asked)} FROM {placed.customers.relation.sql}")
    row = [np.nan if one is None else float(one) for one in means]
    found: dict[str, str] = {}
    for at, (one, feature) in enumerate(pairs):
        mean, other, square, other_square, product = row[5 * at : 5 * at + 5]
        scale = max(square - mean**2, 0.0) * max(other_square - other**2, 0.0)
        if scale > 0.0 and abs(product - mean * other) / scale**0.5 >= CIRCULAR:
            found.setdefault(one.name, feature.name)
    return found
