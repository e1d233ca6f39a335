"""What there is to say of a table's customers by a model, counted inside the database: as assigned, and as they are
now."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import pandas as pd

from gauger.columns import Values
from gauger.features import new_levels, sql_number
from gauger.models import (
    WHYS,
    AssignmentTally,
    Quartiles,
    SegmentModel,
    about_values,
    columns_of,
    indicators_of,
    placing_select,
)
from gauger.monitoring import CustomersNow, FeatureNow, SegmentNow, nobody_to_compare
from gauger.sources.databases.database_moments import moments_of
from gauger.sources.databases.database_quantiles import grouped_quantiles
from gauger.sources.databases.dialects import Nested
from gauger.sources.databases.relations import Relation
from gauger.sources.databases.segment_statistics import counts_between
from gauger.sources.databases.table_customers import TableCustomers
from gauger.sources.feature_columns import FeatureColumns
from gauger.sources.surveys import MOST_COUNTED
from gauger.sources.treatment_learning import QUARTILES
from gauger.tables import Row, Session, TableName, sql_name


def customers_for(session: Session, relation: Relation, model: SegmentModel) -> TableCustomers:
    """The customers of a table as a model reads them; raises for columns that it lacks or that hold no numbers."""
    relation.refuse_lacking(columns_of(model))
    measures = tuple(one.name for one in model.features if one.indicator is None)
    relation.refuse_no_numbers(session, measures)
    indicators = {one.name: one.indicator for one in model.features if one.indicator is not None}
    found = TableCustomers(session, relation, FeatureColumns(model.key, measures, indicators))
    return TableCustomers(
        session, relation, FeatureColumns(model.key, measures, indicators, (), frozenset(found.floats()))
    )


@dataclass(frozen=True, eq=False)
class _Middle:
    """The quartiles (3,) of a measure's `known` values."""

    known: int
    quartiles: Values


@dataclass(frozen=True, eq=False)
class _ValuesNow:
    """The values of a table's features, in the order of the customers' columns: their ends (d, 2), how many lie beyond
    the learned range, and the middles of measures."""

    ends: Values
    outside: Mapping[str, int]
    middles: Mapping[str, Quartiles]


def _values_now(customers: TableCustomers, model: SegmentModel) -> _ValuesNow:
    source, learned = customers.untreated(), {one.name: one for one in model.features}
    asked = []
    for name, column in zip(customers.names, customers.called, strict=True):
        out = f"{column} < {sql_number(learned[name].low)} OR {column} > {sql_number(learned[name].high)}"
        asked += [f"MIN({column})", f"MAX({column})", f"COUNT({column})", f"COUNT(CASE WHEN {out} THEN 1 END)"]
    found = customers.session.row(f"SELECT {', '.join(asked)} FROM {source}")
    quartiles = grouped_quantiles(customers.session, source, customers.called, QUARTILES)[None]
    ends, outside, middles = [], {}, {}
    for at, name in enumerate(customers.names):
        low, high, known, out = found[4 * at : 4 * at + 4]
        ends.append([0.0, 0.0] if low is None else [float(low), float(high)])
        if out:
            outside[name] = int(out)
        if learned[name].indicator is None:
            middles[name] = _Middle(int(known), quartiles[at])
    return _ValuesNow(np.array(ends), outside, middles)


def tally_of(customers: TableCustomers, model: SegmentModel, assigned: TableName) -> AssignmentTally:
    """What there is to say of customers who were assigned into a table."""
    rows = customers.session.rows(f"SELECT segment, why, COUNT(*) FROM {assigned.sql} GROUP BY segment, why")
    segments, reasons = np.zeros(len(model.segments) + 1, dtype=np.int64), np.zeros(len(WHYS), dtype=np.int64)
    for segment, why, count in rows:
        segments[int(segment)] += int(count)
        reasons[WHYS.index(why)] += int(count)
    seen = int(segments.sum())
    if not seen:
        return AssignmentTally.nobody(model)
    values = _values_now(customers, model)
    return AssignmentTally(seen, segments, reasons, values.outside, values.middles, _new_levels(customers, model))


def _new_levels(customers: TableCustomers, model: SegmentModel) -> dict[str, frozenset[str]]:
    """The levels of each category that the model has never seen."""
    found: dict[str, frozenset[str]] = {}
    for column in customers.columns.levelled:
        name = sql_name(column)
        value = customers.relation.level(column)
        rows = customers.session.rows(
            f"SELECT DISTINCT {value} FROM {customers.relation.sql} WHERE {name} IS NOT NULL LIMIT {MOST_COUNTED}"
        )
        own = [one for one in indicators_of(model) if one.column == column]
        new = new_levels(pd.DataFrame({column: [row[0] for row in rows]}), own)
        found |= {at: frozenset(levels) for at, levels in new.items()}
    return found


def customers_now(customers: TableCustomers, model: SegmentModel) -> CustomersNow:
    """The customers now, as `drift` needs them: only counts, sums and quantiles leave the database."""
    (found,) = customers.session.row(f"SELECT COUNT(*) FROM {customers.relation.sql}")
    rows = int(found)
    if not rows:
        raise nobody_to_compare()
    values = _values_now(customers, model)
    segments, unassigned, gated = _segments_now(customers, model, rows)
    remarks = tuple(about_values(model, values.outside, values.middles))
    return CustomersNow(rows, _features_now(customers, model, values, rows), segments, unassigned, gated, remarks)


def _features_now(customers: TableCustomers, model: SegmentModel, values: _ValuesNow, rows: int) -> list[FeatureNow]:
    source, learned = customers.untreated(), {one.name: one for one in model.features}
    between = counts_between(customers.session, source, [learned[name].edges for name in customers.names])
    moments = moments_of(customers.session, source, customers.called, values.ends)
    means, deviations = moments.means()[0], moments.deviations()[0]
    found = {
        name: FeatureNow(own, float(means[at]), float(deviations[at]), 1.0 - sum(own) / rows)
        for at, (name, own) in enumerate(zip(customers.names, between, strict=True))
    }
    return [found[name] for name in model.names]


def _segments_now(customers: TableCustomers, model: SegmentModel, rows: int) -> tuple[list[SegmentNow], float, float]:
    """Each segment, the share in none, and the share beyond the gates."""
    placed = _placed_rows(customers, model)
    segments, inside, beyond = [], 0, 0
    for one in model.segments:
        row = placed.get(one.number)
        if row is None:
            segments.append(SegmentNow(0.0, np.full(len(model.names), np.nan), np.nan))
            continue
        size, distance, out, *middle = (float(str(value)) for value in row)
        by_name = dict(zip(customers.names, middle, strict=True))
        segments.append(SegmentNow(size / rows, np.array([by_name[name] for name in model.names]), distance))
        inside, beyond = inside + int(size), beyond + int(out)
    return segments, (rows - inside) / rows, beyond / rows


def _placed_rows(customers: TableCustomers, model: SegmentModel) -> Mapping[int, Row]:
    """By segment: customers, mean distance, how many are beyond the gate, and the mean of each feature."""
    numbers = {name: customers.known(name) for name in customers.columns.measures}
    chain = Nested(customers.dialect)
    placed = placing_select(model, customers.relation.sql, chain, customers.session.dialect, None, numbers)
    treatments = {one.name: one.treatments for one in model.features}
    key = sql_name(customers.key)
    treated = customers.treated({name: treatments[name] for name in customers.names}, {"member": key})
    gates = " ".join(f"WHEN {one.number} THEN {sql_number(one.gate)}" for one in model.segments)
    means = [f"AVG({column})" for column in customers.called]
    rows = customers.session.rows(
        f"SELECT segment, COUNT(*), AVG(distance), COUNT(CASE WHEN distance > CASE segment {gates} END THEN 1 END), "
        f"{', '.join(means)} FROM {treated} JOIN ({placed}) AS own ON member = own.{key} GROUP BY segment"
    )
    return {int(row[0]): row[1:] for row in rows if row[0]}
