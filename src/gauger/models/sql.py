"""The one SQL statement that treats and assigns customers where they live."""

from collections.abc import Mapping, Sequence
from typing import Protocol

import numpy as np

from gauger.errors import SettingError
from gauger.features import (
    Fill,
    Treatment,
    apply_all,
    sql_less,
    sql_number,
    sql_raw,
    sql_step,
    undo_all,
)
from gauger.models.assigning import BANDS, GATE, MISSING, gates_of
from gauger.models.assignment_rules import NearestCentre, SameBands
from gauger.models.learned import LearnedFeature, LearnedModel
from gauger.segmentation import UNASSIGNED_NAME
from gauger.tables import sql_name, sql_text

DIALECTS = ("postgres", "duckdb", "sqlite", "mysql", "bigquery", "snowflake", "redshift", "tsql", "spark")

_MATERIALIZING = ("postgres", "duckdb", "sqlite")


class Chain(Protocol):
    """Selects that each take from the one before; what a select says is computed once."""

    least: str

    def add(self, name: str, selected: str, source: str) -> str:
        """One select more; what the next one takes from."""


def assign_sql(model: LearnedModel, table: str, dialect: str, gate: float | str | None) -> str:
    """As `SegmentModel.sql` says."""
    import sqlglot

    if dialect not in DIALECTS:
        raise SettingError.not_one_of("dialect", dialect, DIALECTS)
    parts = _Parts(table, materialized=dialect in _MATERIALIZING)
    selected = placing_select(model, _table(table), parts, dialect, gates_of(model, gate))
    statement = f"WITH {', '.join(parts.written)} {selected}"
    return sqlglot.transpile(statement, read="duckdb", write=dialect, pretty=True)[0] + ";\n"


def placing_select(
    model: LearnedModel,
    source: str,
    chain: Chain,
    dialect: str,
    gates: np.ndarray | None,
    numbers: Mapping[str, str] | None = None,
) -> str:
    """Select the key, segment, segment_name, distance and why of a source's customers, step by step: as read, one a
    treatment, distances, the segment. `numbers` are how columns become numbers that are none as they are."""
    if not isinstance(model.rule, (NearestCentre, SameBands)):
        raise SettingError(
            f"SQL can say the nearest centre and bands, not the nearest of {model.customers:,} customers: "
            f"{model.method} is assigned by Python. Build a model of k-means on these segments for the database."
        )
    columns = {feature.name: f"f{at}" for at, feature in enumerate(model.features, 1)}
    key, given = sql_name(model.key), numbers or {}
    raw = {one.name: sql_raw(one.column, one.indicator, dialect, given.get(one.column)) for one in model.features}
    as_read = [f"{raw[name]} AS {column}" for name, column in columns.items()]
    before = chain.add("as_read", f"{key} AS customer, {', '.join(as_read)}", source)
    kept = _bands_kept(model)
    for step in range(max((len(feature.treatments) for feature in model.features), default=0)):
        done = [
            f"{_step(feature, step, columns[feature.name])} AS {columns[feature.name]}" for feature in model.features
        ]
        others = [name for name, _ in kept] if step else [f"{told} AS {name}" for name, told in kept]
        before = chain.add(f"treated_{step + 1}", ", ".join(["customer", *done, *others]), before)
    apart = [f"{_square(model, columns, number)} AS apart_{number}" for number in _numbers(model)]
    others = [name for name, _ in kept]
    before = chain.add("distances", ", ".join(["customer", *apart, *others]), before)
    placed = f"CASE WHEN NOT apart_1 IS NULL THEN {_segment(model)} END"
    lacking = "CASE WHEN apart_1 IS NULL THEN 1 ELSE 0 END"
    decided = f"customer, {placed} AS segment, {_nearest(model, chain.least)} AS apart, {lacking} AS lacking"
    before = chain.add("placed", decided, before)
    beyond = _beyond(gates)
    segment = f"CASE WHEN segment IS NULL OR {beyond} THEN 0 ELSE segment END"
    names = " ".join(f"WHEN {one.number} THEN {sql_text(one.name)}" for one in model.segments)
    missing = f"WHEN lacking = 1 THEN {sql_text(MISSING)}"
    why = f"CASE {missing} WHEN segment IS NULL THEN {sql_text(BANDS)} WHEN {beyond} THEN {sql_text(GATE)} ELSE '' END"
    told = f"customer, {segment} AS segment, SQRT(apart) AS distance, {why} AS why"
    before = chain.add("decided", told, before)
    return (
        f"SELECT customer AS {key}, segment, CASE segment {names} ELSE {sql_text(UNASSIGNED_NAME)} END AS "
        f"segment_name, distance, why FROM {before}"
    )


class _Parts:
    """The named parts of a statement, none called like the table that it reads."""

    least = "LEAST"

    def __init__(self, table: str, *, materialized: bool) -> None:
        self.written: list[str] = []
        self._taken = {part.lower() for part in table.split(".")}
        self._as = "AS MATERIALIZED" if materialized else "AS"  # or every use of a part would compute it again

    def add(self, name: str, selected: str, source: str) -> str:
        """One part more; the name it got."""
        while name in self._taken:
            name += "_"
        self.written.append(f"{name} {self._as} (SELECT {selected} FROM {source})")
        return name


def _table(name: str) -> str:
    """A table, perhaps with its schema before a point."""
    return ".".join(sql_name(part) for part in name.split("."))


def _numbers(model: LearnedModel) -> list[int]:
    return [segment.number for segment in model.segments]


def _step(feature: LearnedFeature, step: int, column: str) -> str:
    return column if step >= len(feature.treatments) else sql_step(feature.treatments[step], column)


def _square(model: LearnedModel, columns: dict[str, str], number: int) -> str:
    """The squared distance to a segment's centre, features added up in the order of their names."""
    centre = model.centres[number - 1]
    gaps = {name: f"({sql_less(columns[name], value)})" for name, value in zip(model.names, centre, strict=True)}
    return " + ".join(f"{gaps[name]} * {gaps[name]}" for name in sorted(gaps))


def _segment(model: LearnedModel) -> str:
    """The segment's number, NULL for none."""
    if isinstance(model.rule, SameBands):
        return _same_bands(model.rule)
    numbers = _numbers(model)
    if len(numbers) == 1:
        return "1"
    cases = []
    for number in numbers:
        least = " AND ".join(f"apart_{number} <= apart_{other}" for other in numbers if other != number)
        cases.append(f"WHEN {least} THEN {number}")
    return f"CASE {' '.join(cases)} END"


def _nearest(model: LearnedModel, least: str) -> str:
    """The squared distance to the own centre."""
    numbers = _numbers(model)
    if isinstance(model.rule, SameBands):
        cases = " ".join(f"WHEN {number} THEN apart_{number}" for number in numbers)
        return f"CASE {_same_bands(model.rule)} {cases} END"
    if len(numbers) == 1:
        return "apart_1"
    return f"CASE WHEN NOT apart_1 IS NULL THEN {least}({', '.join(f'apart_{number}' for number in numbers)}) END"


def _bands_kept(model: LearnedModel) -> list[tuple[str, str]]:
    """For bands: a column for each feature's band, and how it is told from the values as read."""
    if not isinstance(model.rule, SameBands):
        return []
    kept = []
    for at, one in enumerate(model.rule.bands, 1):
        index = model.names.index(one.feature)
        value = f"f{index + 1}"
        fill = model.features[index].treatments[0]
        if isinstance(fill, Fill) and fill.value is not None:
            value = f"COALESCE({value}, {sql_number(_filled(model.features[index].treatments))})"
        bands = range(1, len(one.edges) + 2)
        ranks = list(bands) if not one.low_is_good else list(bands)[::-1]
        cases = " ".join(
            f"WHEN {value} < {sql_number(edge)} THEN {rank}" for edge, rank in zip(one.edges, ranks, strict=False)
        )
        kept.append((f"band_{at}", f"CASE WHEN {value} IS NULL THEN NULL {cases} ELSE {ranks[-1]} END"))
    return kept


def _filled(treatments: Sequence[Treatment]) -> float:
    """A gap in original units, as it was filled and treated."""
    return float(undo_all(treatments, apply_all(treatments, np.array([np.nan])))[0])


def _same_bands(rule: SameBands) -> str:
    names = [f"band_{at}" for at in range(1, len(rule.bands) + 1)]
    if rule.scored:
        score = " + ".join(names)
        scores, codes = rule.cells[:, 0].tolist(), rule.segments.tolist()
        cases = " ".join(f"WHEN {score} < {above} THEN {code}" for above, code in zip(scores[1:], codes, strict=False))
        return f"CASE WHEN {score} IS NULL THEN NULL {cases} ELSE {codes[-1]} END"
    same_cells = []
    for cell, code in zip(rule.cells.tolist(), rule.segments.tolist(), strict=True):
        same = " AND ".join(f"{name} = {band}" for name, band in zip(names, cell, strict=True))
        same_cells.append(f"WHEN {same} THEN {code}")
    return f"CASE {' '.join(same_cells)} END"


def _beyond(gates: np.ndarray | None) -> str:
    """Whether a customer is farther from its segment than the gate allows."""
    if gates is None:
        return "1 = 0"
    cases = " ".join(f"WHEN {number} THEN {sql_number(gate)}" for number, gate in enumerate(gates.tolist(), 1))
    return f"SQRT(apart) > CASE segment {cases} END"
