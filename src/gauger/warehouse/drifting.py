"""How far a table's customers are from those that a model was learned from, worked out inside the database."""

from collections.abc import Mapping

import numpy as np

from gauger.columns import Values
from gauger.engine import QUARTILES
from gauger.errors import SettingError
from gauger.features import sql_number
from gauger.models import SegmentModel, about_values, changed_unit_of, placing_select
from gauger.monitoring import CustomersNow, Drift, FeatureNow, SegmentNow, drift_from
from gauger.progress import task
from gauger.remarks import Remark
from gauger.tables import Row, approve_typed, sql_name, transaction
from gauger.warehouse.assigning import customers_for
from gauger.warehouse.customers import Customers
from gauger.warehouse.describing import counts_between
from gauger.warehouse.dialects import Nested
from gauger.warehouse.learning import moments_in, moments_of
from gauger.warehouse.order_statistics import grouped_quantiles


def drift_in_database(model: SegmentModel, url: str, *, table: str) -> Drift:
    """Tell how the customers of a table differ from those that a model was learned from, inside the database.

    Parameters
    ----------
    model : SegmentModel
        What was learned.
    url, table : str
        The database and the table or view with a row a customer now, as for `segment_in_database`.

    Returns
    -------
    Drift
        As of `drift`: only counts, sums and quantiles leave the database.

    Raises
    ------
    DatabaseError, UnknownTableError, UnknownColumnError, KeyColumnError, ColumnValuesError
        As `assign_in_database` does.
    SettingError
        For a table without rows, and for a model of another kind than centres or bands.

    Examples
    --------
    >>> import duckdb, gauger, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     shop = duckdb.connect(f"{folder}/shop.duckdb")
    ...     _ = shop.sql("CREATE TABLE base AS SELECT i AS who, (i % 5) ** 2 AS visits FROM range(200) AS t(i)")
    ...     shop.close()
    ...     url = f"duckdb:///{folder}/shop.duckdb"
    ...     model = gauger.segment_in_database(url, table="base", into="segments", key="who", count=2).model
    ...     gauger.drift_in_database(model, url, table="base").advice.action
    'keep'
    """
    approve_typed(url)
    with transaction(url) as session, task("comparing", 4) as advance:
        customers = customers_for(session, table, model)
        (rows,) = session.row(f"SELECT COUNT(*) FROM {customers.relation.sql}")
        if not rows:
            raise SettingError("there are no customers to compare: the table has no rows.")
        advance(1)
        features, remarks = _features_now(customers, model, int(rows))
        advance(1)
        segments, unassigned, gated = _segments_now(customers, model, int(rows))
        advance(1)
    return drift_from(model, CustomersNow(int(rows), features, segments, unassigned, gated, remarks))


def _features_now(customers: Customers, model: SegmentModel, rows: int) -> tuple[list[FeatureNow], tuple[Remark, ...]]:
    names = model.names
    source = customers.treated(dict.fromkeys(names, ()))
    columns = {name: f"f{at}" for at, name in enumerate(customers.names, 1)}
    learned = {feature.name: feature for feature in model.features}
    between = counts_between(customers, source, [learned[one].edges for one in customers.names])
    counts = dict(zip(customers.names, between, strict=True))
    asked = []
    for name in names:
        column, own = columns[name], learned[name]
        out = f"{column} < {sql_number(own.low)} OR {column} > {sql_number(own.high)}"
        asked += [f"MIN({column})", f"MAX({column})", f"COUNT(CASE WHEN {out} THEN 1 END)"]
    found = customers.session.row(f"SELECT {', '.join(asked)} FROM {source}")
    both = (found[3 * at : 3 * at + 2] for at in range(len(names)))
    ends = np.array([[0.0 if one is None else float(one) for one in own_ends] for own_ends in both])
    own_columns = [columns[name] for name in names]
    moments = moments_of(customers, [customers.session.row(moments_in(customers, source, own_columns, ends))], ends)
    quartiles = grouped_quantiles(customers, source, own_columns, QUARTILES)[None]
    means, deviations = moments.means()[0], moments.deviations()[0]
    now, outside, changed = [], {}, {}
    for at, name in enumerate(names):
        known = sum(counts[name])
        now.append(FeatureNow(counts[name], float(means[at]), float(deviations[at]), 1.0 - known / rows))
        if found[3 * at + 2]:
            outside[name] = int(found[3 * at + 2])
        factor = changed_unit_of(learned[name], quartiles[at], known) if learned[name].indicator is None else None
        if factor is not None:
            changed[name] = factor
    return now, tuple(about_values(model, outside, changed))


def _segments_now(customers: Customers, model: SegmentModel, rows: int) -> tuple[list[SegmentNow], float, float]:
    """Each segment, the share in none, and the share beyond the gates."""
    placed = _placed_rows(customers, model)
    nobody = np.full(len(model.names), np.nan)
    segments, inside, beyond = [], 0, 0
    for one in model.segments:
        row = placed.get(one.number)
        if row is None:
            segments.append(SegmentNow(0.0, nobody, np.nan))
            continue
        size, distance, out, *middle = (float(str(value)) for value in row)
        segments.append(SegmentNow(size / rows, _in_order(customers, model, middle), distance))
        inside, beyond = inside + int(size), beyond + int(out)
    return segments, (rows - inside) / rows, beyond / rows


def _in_order(customers: Customers, model: SegmentModel, values: list[float]) -> Values:
    """Values by the customers' features, in the order of the model's."""
    by_name = dict(zip(customers.names, values, strict=True))
    return np.array([by_name[name] for name in model.names])


def _placed_rows(customers: Customers, model: SegmentModel) -> Mapping[int, Row]:
    """By segment: customers, mean distance, how many are beyond the gate, and the mean of each feature."""
    numbers = {name: customers.known(name) for name in customers.measures}
    chain = Nested(customers.dialect)
    placed = placing_select(model, customers.relation.sql, chain, customers.session.dialect, None, numbers)
    treatments = {one.name: one.treatments for one in model.features}
    key = sql_name(customers.key)
    treated = customers.treated({name: treatments[name] for name in customers.names}, {"member": key})
    gates = " ".join(f"WHEN {one.number} THEN {sql_number(one.gate)}" for one in model.segments)
    means = [f"AVG(f{at})" for at in range(1, len(customers.names) + 1)]
    rows = customers.session.rows(
        f"SELECT segment, COUNT(*), AVG(distance), COUNT(CASE WHEN distance > CASE segment {gates} END THEN 1 END), "
        f"{', '.join(means)} FROM {treated} JOIN ({placed}) AS own ON member = own.{key} GROUP BY segment"
    )
    return {int(row[0]): row[1:] for row in rows if row[0]}
