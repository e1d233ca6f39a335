"""Assign other customers: read their features, treat them as was learned, place them, and say who is in no segment."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.errors import SettingError
from gauger.features import Fill, Indicator, apply_all, as_numbers, undo_all
from gauger.models.assignment_rules import NearestCustomer, SameBands
from gauger.models.learned import LearnedFeature, LearnedModel
from gauger.models.magnitudes import Quartiles
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED
from gauger.wording import listed, plural

LEARNED = "learned"
MISSING, GATE, RADIUS, AMONG, BANDS = "missing", "gate", "radius", "among unassigned", "bands"

_FACTORS = (1_000.0, 100.0, 60.0, 24.0, 12.0, 7.0)
"""What units differ by: thousands, hundreds, minutes, hours, months, days."""

_NEAR_FACTOR = 1.35
"""How near to such a factor a whole column must be: judgement."""

_LEAST_FOR_UNITS = 30
"""Customers below whom nothing is said of units: judgement."""

_MANY_GATED = 0.05
"""A share beyond the gate that is worth a remark: judgement, ten times what was so when learned."""

Values = NDArray[np.float64]
Codes = NDArray[np.int32]


@dataclass(frozen=True, eq=False)
class Assigned:
    """Customers placed: `codes` (m,), `distances` (m,), `why` (m,) as places in `WHYS`; `raw` are their features as
    read, `working` (d, m) on the working scale."""

    codes: Codes
    distances: Values
    why: NDArray[np.int8]
    raw: Mapping[str, Values]
    working: Values


WHYS = ("", MISSING, GATE, RADIUS, AMONG, BANDS)


def columns_of(model: LearnedModel) -> list[str]:
    """The columns that a table must have."""
    return list(dict.fromkeys([model.key, *(feature.column for feature in model.features)]))


def gates_of(model: LearnedModel, gate: float | str | None) -> Values | None:
    """The distance that each segment allows (k,), None for any."""
    if gate is None:
        return None
    if gate == LEARNED:
        return model.gates
    if isinstance(gate, (bool, str)) or not isinstance(gate, (int, float, np.number)) or not float(gate) >= 0.0:
        raise SettingError(f"gate={gate!r} must be None, {LEARNED!r}, or a distance of 0 or more.")
    return np.full(len(model.segments), float(gate))


def find_segments(model: LearnedModel, table: pd.DataFrame, gates: Values | None) -> Assigned:
    """The customers of a table that has the columns needed."""
    indicators = {feature.name: feature.indicator for feature in model.features if feature.indicator}
    raw = {feature.name: as_numbers(table, feature.name, indicators) for feature in model.features}
    columns = np.empty((len(model.features), len(table)))
    lacking = np.zeros(len(table), dtype=np.bool_)
    for at, feature in enumerate(model.features):
        values = raw[feature.name]
        if _has_no_fill(feature):
            lacking |= np.isnan(values)
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):  # what a curve cannot take is in no segment
            columns[at] = apply_all(feature.treatments, values)
    return _placed(model, columns, raw, lacking, gates)


def _has_no_fill(feature: LearnedFeature) -> bool:
    first = feature.treatments[0] if feature.treatments else None
    return not isinstance(first, Fill) or first.value is None


def _placed(
    model: LearnedModel, columns: Values, raw: Mapping[str, Values], lacking: NDArray[np.bool_], gates: Values | None
) -> Assigned:
    lacking = lacking | ~np.isfinite(columns).all(axis=0)
    whole = bool(not lacking.any())
    there = columns if whole else np.ascontiguousarray(columns[:, ~lacking])
    recorded = {}
    if isinstance(model.rule, SameBands):
        recorded = _filled(model, {name: values if whole else values[~lacking] for name, values in raw.items()}, there)
    codes, distances = model.rule.find_segments(there, recorded)
    why = np.where(codes > 0, np.int8(0), np.int8(WHYS.index(_no_segment(model)))).astype(np.int8)
    codes, why = _with_exceptions(model, there, codes, why)
    if gates is not None:
        beyond = beyond_gates(codes, distances, gates)
        codes = np.where(beyond, np.int32(UNASSIGNED), codes)
        why = np.where(beyond, np.int8(WHYS.index(GATE)), why)
    if whole:
        return Assigned(codes, distances, why, raw, columns)
    everyone = np.zeros(len(lacking), dtype=np.int32)
    apart, reasons = np.full(len(lacking), np.nan), np.full(len(lacking), WHYS.index(MISSING), dtype=np.int8)
    everyone[~lacking], apart[~lacking], reasons[~lacking] = codes, distances, why
    return Assigned(everyone, apart, reasons, raw, columns)


def beyond_gates(codes: Codes, distances: Values, gates: Values) -> NDArray[np.bool_]:
    """Who is farther from the segment than its gate (k,) allows (m,)."""
    return np.asarray((codes > 0) & (distances > np.append(np.inf, gates)[codes]))


def _no_segment(model: LearnedModel) -> str:
    """Why the rule itself leaves a customer out."""
    if isinstance(model.rule, NearestCustomer):
        return RADIUS if model.rule.radius is not None else AMONG
    return BANDS


def _filled(model: LearnedModel, raw: Mapping[str, Values], columns: Values) -> dict[str, Values]:
    """Features in original units, gaps as they were filled."""
    found = {}
    for at, feature in enumerate(model.features):
        values = raw[feature.name]
        gaps = np.isnan(values)
        if gaps.any():
            values = values.copy()
            values[gaps] = undo_all(feature.treatments, columns[at, gaps])
        found[feature.name] = values
    return found


def _with_exceptions(
    model: LearnedModel, columns: Values, codes: Codes, why: NDArray[np.int8]
) -> tuple[Codes, NDArray[np.int8]]:
    """Customers who are just like a learned one that the rule does not tell get its segment."""
    points = model.exceptions.points
    if not len(points) or not columns.shape[1]:
        return codes, why
    known = {row.tobytes(): int(code) for row, code in zip(points + 0.0, model.exceptions.codes, strict=True)}
    alike = np.ones(columns.shape[1], dtype=np.bool_)
    for at, column in enumerate(columns):
        alike &= np.isin(column, points[:, at])
    codes, why = codes.copy(), why.copy()
    for place_of in np.flatnonzero(alike).tolist():
        code = known.get((columns[:, place_of] + 0.0).tobytes())
        if code is not None:
            codes[place_of] = code
            why[place_of] = 0 if code else WHYS.index(_no_segment(model))
    return codes, why


def indicators_of(model: LearnedModel) -> list[Indicator]:
    """The model's features that say something of a column."""
    return [feature.indicator for feature in model.features if feature.indicator is not None]


def about_left_out(reasons: NDArray[np.integer], customers: int) -> Iterator[Remark]:
    """Who is in no segment, and why; `reasons` counts customers by place in `WHYS`."""
    words = {
        MISSING: "lack a value that the model has no rule for, or have one that a treatment cannot take",
        GATE: "are beyond the gate",
        RADIUS: "have no core customer within the radius",
        AMONG: "are nearest to a customer in no segment",
        BANDS: "have bands that nobody had together",
    }
    parts = [f"{reasons[at]:,} {words[why]}" for at, why in enumerate(WHYS) if at and reasons[at]]
    if parts:
        out = int(reasons[1:].sum())
        many = (
            " Many are unlike those that segments were learned from: see drift."
            if (reasons[WHYS.index(GATE)] > _MANY_GATED * customers)
            else ""
        )
        yield Remark(
            "left-unassigned",
            f"{out:,} of {customers:,} {plural(customers, 'customer')} {plural(out, 'is', 'are')} in no segment: "
            f"{listed(parts, most=9)}.{many}",
        )


def outside_of(model: LearnedModel, raw: Mapping[str, Values]) -> dict[str, int]:
    """How many values of each feature lie beyond the learned range, where any do."""
    counts = {
        feature.name: int(np.count_nonzero((raw[feature.name] < feature.low) | (raw[feature.name] > feature.high)))
        for feature in model.features
    }
    return {name: count for name, count in counts.items() if count}


def about_values(model: LearnedModel, outside: Mapping[str, int], now: Mapping[str, Quartiles]) -> Iterator[Remark]:
    """Columns that look as if their unit had changed, and values of others beyond the learned range."""
    changed = _changed_units(model, now)
    if changed:
        parts = [f"{name} by about {factor:,.4g}" for name, factor in changed.items()]
        yield Remark(
            "unit-changed",
            f"whole columns are shifted by a factor: {listed(parts, most=6)}. Has their unit changed (cents for euros, "
            "hours for days)? Bring them back to the unit learned before you use these segments.",
            features=tuple(changed),
        )
    told = [feature for feature in model.features if feature.name in outside and feature.name not in changed]
    if told:
        parts = [f"{one.name} ({outside[one.name]:,} beyond {one.low:,.6g} … {one.high:,.6g})" for one in told]
        yield Remark(
            "outside-learned-range",
            f"values go beyond those that were learned from: {listed(parts, most=4)}. Treatments are carried on there.",
            features=tuple(one.name for one in told),
        )


def _changed_units(model: LearnedModel, now: Mapping[str, Quartiles]) -> dict[str, float]:
    """By which factor whole columns seem to be shifted, where any do."""
    factors = {one.name: _changed_unit(one, now[one.name]) for one in model.features if one.name in now}
    return {name: factor for name, factor in factors.items() if factor is not None}


def _changed_unit(feature: LearnedFeature, now: Quartiles) -> float | None:
    """The factor by which a whole column seems to be shifted: a usual one between units, in its middle and its ends."""
    quartiles = now.quartiles
    learned = np.array(feature.quartiles)
    if now.known < _LEAST_FOR_UNITS or not (np.diff(learned) > 0.0).all():
        return None
    if not (learned > 0.0).all() or not (quartiles > 0.0).all():
        return None
    with np.errstate(over="ignore"):  # what is beyond numbers is no usual factor either
        ratios = np.sort(quartiles / learned)
    middle = float(ratios[1])
    if ratios[0] * _NEAR_FACTOR < middle or ratios[2] > middle * _NEAR_FACTOR:
        return None
    usual = [factor for base in _FACTORS for factor in (base, 1.0 / base)]
    near = [factor for factor in usual if 1.0 / _NEAR_FACTOR <= middle / factor <= _NEAR_FACTOR]
    return min(near, key=lambda factor: abs(middle / factor - 1.0)) if near else None
