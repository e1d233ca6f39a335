"""What is done to features as SQL, in words that PostgreSQL, DuckDB and SQLite all take."""

from collections.abc import Callable, Mapping, Sequence

from gauger.features.columns import Indicator
from gauger.features.transforms import Power, Transform
from gauger.features.treatments import Cap, Fill, Rank, Scale, Treatment, Weight
from gauger.tables import sql_name

DOUBLE = "DOUBLE PRECISION"
"""The type of numbers, by a name that all databases know."""


def sql_number(value: float) -> str:
    """A number that every database takes for a double."""
    text = repr(float(value))
    return f"({text if 'e' in text else f'{text}e0'})" if value < 0.0 else (text if "e" in text else f"{text}e0")


def sql_less(x: str, value: float) -> str:
    """An expression less a number."""
    return f"{x} + {sql_number(-value)}" if value < 0.0 else f"{x} - {sql_number(value)}"


def sql_raw(column: str, indicator: Indicator | None, dialect: str, number: str | None = None) -> str:
    """A feature as it is read: a column, by its `number` where that is no plain cast, or whether it has a level."""
    name = sql_name(column)
    if indicator is None:
        return number or f"CAST({name} AS {DOUBLE})"
    if indicator.level is None:
        return f"CAST(CASE WHEN {number or name} IS NULL THEN 1 ELSE 0 END AS {DOUBLE})"
    level = f"CASE WHEN {indicator.level.sql_test(name, dialect)} THEN 1 ELSE 0 END"
    return f"CAST(CASE WHEN {name} IS NULL THEN NULL ELSE {level} END AS {DOUBLE})"


def sql_step(step: Treatment, x: str) -> str:
    """A treatment of an expression, which it may name more than once: see `says_twice`."""
    return _SAID[type(step)](step, x)


def says_twice(step: Treatment) -> bool:
    """Whether a treatment in SQL names more than once what it treats."""
    return isinstance(step, (Cap, Transform, Power, Rank))


def sql_layers(raw: Mapping[str, str], treatments: Mapping[str, Sequence[Treatment]]) -> list[dict[str, str]]:
    """Layers of expressions from raw features (name: expression) to treated ones, so that no long one is said twice.

    A layer is computed before any of the next one's, in which a feature is called by its name.
    """
    left = {name: list(treatments[name]) for name in raw}
    now = dict(raw)
    layers: list[dict[str, str]] = []
    while True:
        for name, steps in left.items():
            plain = layers and now[name] == name
            while steps and (plain or not says_twice(steps[0])):
                step = steps.pop(0)
                said = sql_step(step, now[name] if plain else f"({now[name]})")
                plain = plain and said == now[name]
                now[name] = said
        layers.append(dict(now))
        if not any(left.values()):
            return layers
        now = {name: name for name in raw}


def _fill(step: Fill, x: str) -> str:
    return x if step.value is None else f"COALESCE({x}, {sql_number(step.value)})"


def _cap(step: Cap, x: str) -> str:
    low, high = sql_number(step.low), sql_number(step.high)
    return f"CASE WHEN {x} < {low} THEN {low} WHEN {x} > {high} THEN {high} ELSE {x} END"


def _transform(step: Transform, x: str) -> str:
    if step.rule == "sqrt":
        return f"CASE WHEN {x} >= 0 THEN SQRT({x}) END"
    if step.rule == "log":
        return f"CASE WHEN {x} > -1 THEN LN({x} + 1) END"
    return f"CASE WHEN {x} < 0 THEN -LN(1 - {x}) ELSE LN({x} + 1) END"


def _power(step: Power, x: str) -> str:
    above, below = _raised(f"({x} + 1)", step.exponent), _raised(f"(1 - {x})", 2.0 - step.exponent)
    return f"CASE WHEN {x} >= 0 THEN {above} ELSE -({below}) END"


def _raised(base: str, exponent: float) -> str:
    if exponent == 0.0:
        return f"LN({base})"
    return f"(POWER({base}, {sql_number(exponent)}) - 1) / {sql_number(exponent)}"


def _scale(step: Scale, x: str) -> str:
    return f"({sql_less(x, step.shift)}) / {sql_number(step.width)}"


def _rank(step: Rank, x: str) -> str:
    first = f"WHEN {x} <= {sql_number(step.values[0])} THEN {sql_number(step.shares[0])}"
    between = []
    for at in range(len(step.values) - 1):
        slope = (step.shares[at + 1] - step.shares[at]) / (step.values[at + 1] - step.values[at])
        line = f"{sql_number(step.shares[at])} + ({x} - {sql_number(step.values[at])}) * {sql_number(slope)}"
        between.append(f"WHEN {x} < {sql_number(step.values[at + 1])} THEN {line}")
    return f"CASE {first} {' '.join(between)} WHEN {x} IS NULL THEN NULL ELSE {sql_number(step.shares[-1])} END"


def _weight(step: Weight, x: str) -> str:
    return f"{x} * {sql_number(step.factor)}"


_SAID: dict[type, Callable[..., str]] = {
    Fill: _fill,
    Cap: _cap,
    Transform: _transform,
    Power: _power,
    Scale: _scale,
    Rank: _rank,
    Weight: _weight,
}
