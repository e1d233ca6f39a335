"""Prepare features: choose, fill what is missing, cap, scale; each step recorded and reversible."""

from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from pandas.api import types

from gauger.errors import (
    ColumnValuesError,
    MissingValuesError,
    SettingError,
    listed,
)
from gauger.features.cautions import cautions_about
from gauger.features.feature_set import FeatureSet
from gauger.features.treatments import MISSING_RULES, SCALES, Treatment, learn_cap, learn_fill, learn_scale
from gauger.progress import task
from gauger.remarks import Remark
from gauger.tables.checking import checked_table, refuse_bad_key

Quantiles = tuple[float, float]

LARGEST = 1e150
"""Beyond this, squared distances would overflow."""


def prepare(
    table: pd.DataFrame,
    *,
    key: str,
    features: Sequence[str] | None = None,
    missing: str | Mapping[str, str] = "refuse",
    cap: Quantiles | Mapping[str, Quantiles] | None = None,
    scale: str | Mapping[str, str] = "zscore",
) -> FeatureSet:
    """Turn columns of a table, one row a customer, into features on one working scale.

    `features` names the columns to use; by default every numeric column but the key. The steps, in this order, each
    for all features alike or by feature (`{"age": "median"}`; the others keep the default):

    - `missing`: "refuse" (an error that counts them), "drop" (leave those customers out), "zero", or "median",
    - `cap`: None, or two quantiles (low, high) to which more extreme values are pulled in,
    - `scale`: "none", "zscore" (mean 0, standard deviation 1, so that features count alike) or "minmax" (0 to 1).

    The table is not modified. Cautions are in `.remarks`: raw-scales, identifier, constant, customers-left-out and
    others. Raises UnknownColumnError, KeyColumnError for a key that is missing or repeats, MissingValuesError,
    ColumnValuesError for text, dates, infinities or nothing at all in a feature, SettingError for an unknown word.

    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": ["a", "b", "c"], "visits": [2, 4, 9], "spend": [10.0, 30.0, 20.0]})
    >>> gauger.prepare(table, key="who", scale="minmax").values[:, 1].tolist()
    [0.0, 1.0, 0.5]
    """
    if isinstance(features, str):
        raise SettingError(f"features={features!r} must be a list of names: features=[{features!r}].")
    table = checked_table(table, [key, *(features or ())])
    names = _chosen(table, key, features)
    rules = _by_feature("missing", missing, "refuse", names, MISSING_RULES)
    scales = _by_feature("scale", scale, "zscore", names, SCALES)
    caps = cap if isinstance(cap, Mapping) else dict.fromkeys(names, cap)
    _refuse_strangers("cap", caps, names)
    refuse_bad_key(table[key])

    raw = np.column_stack([_as_numbers(table[name], name) for name in names])
    kept = _customers_kept(raw, names, rules)
    original = pd.DataFrame(raw[kept], columns=list(names), index=pd.Index(table[key].to_numpy()[kept], name=key))
    remarks = [*_left_out(table, key, names, features), *_dropped(original.index, kept, names, rules)]

    columns, treatments = [], {}
    with task("preparing features", len(names)) as advance:
        for name in names:
            column, treatments[name] = _treat(original[name].to_numpy(), rules[name], caps.get(name), scales[name])
            columns.append(column)
            advance(1)
    values = np.ascontiguousarray(np.column_stack(columns))
    values.flags.writeable = False
    remarks += cautions_about(table, names, original, values)
    return FeatureSet(key, original.index.to_numpy(), names, values, original, treatments, tuple(remarks))


def _treat(
    values: NDArray[np.float64], missing: str, cap: Quantiles | None, scale: str
) -> tuple[NDArray[np.float64], tuple[Treatment, ...]]:
    steps: list[Treatment] = []
    learners: tuple[Callable[[NDArray[np.float64]], Treatment | None], ...] = (
        lambda column: learn_fill(column, missing),
        lambda column: learn_cap(column, cap),
        lambda column: learn_scale(column, scale),
    )
    for learn in learners:
        step = learn(values)
        if step is not None:
            values = step.apply(values)
            steps.append(step)
    return values, tuple(steps)


def _chosen(table: pd.DataFrame, key: str, features: Sequence[str] | None) -> tuple[str, ...]:
    if table.empty:
        raise SettingError("there are no customers to prepare: the table has no rows.")
    if features is None:
        names = [name for name in table.columns if name != key and types.is_numeric_dtype(table[name])]
        if not names:
            raise SettingError(f"the table has no numeric column besides {key!r}: there is nothing to segment by.")
        return tuple(names)
    if not features:
        raise SettingError("features is empty: name at least one column to segment by.")
    twice = sorted({name for name in features if list(features).count(name) > 1})
    if twice:
        raise SettingError(f"features names {listed(map(repr, twice))} twice: it would count double.")
    if key in features:
        raise SettingError(f"the key {key!r} cannot be a feature: it names customers and says nothing about them.")
    return tuple(features)


def _by_feature(
    setting: str, given: str | Mapping[str, str], default: str, names: Sequence[str], allowed: Iterable[str]
) -> dict[str, str]:
    chosen = {**dict.fromkeys(names, default), **given} if isinstance(given, Mapping) else dict.fromkeys(names, given)
    _refuse_strangers(setting, chosen, names)
    for word in chosen.values():
        if word not in allowed:
            raise SettingError.not_one_of(setting, word, allowed)
    return chosen


def _refuse_strangers(setting: str, chosen: Mapping[str, object], names: Sequence[str]) -> None:
    strangers = [name for name in chosen if name not in names]
    if strangers:
        raise SettingError(f"{setting} speaks of {listed(map(repr, strangers))}, not among the features {list(names)}.")


def _as_numbers(column: pd.Series, name: str) -> NDArray[np.float64]:
    if types.is_datetime64_any_dtype(column) or types.is_timedelta64_dtype(column):
        raise ColumnValuesError(f"{name!r} holds dates or times; turn them into days first (such as recency_days).")
    if types.is_complex_dtype(column):
        raise ColumnValuesError.not_numbers(name, column.head(3).tolist(), len(column))
    if not types.is_numeric_dtype(column):
        numbers = pd.to_numeric(column, errors="coerce")
        wrong = column[numbers.isna() & column.notna()]
        if not wrong.empty:
            raise ColumnValuesError.not_numbers(name, wrong.head(3).tolist(), len(wrong))
        column = numbers
    values: NDArray[np.float64] = column.to_numpy(dtype=np.float64, na_value=np.nan)
    infinite = np.flatnonzero(np.abs(values) > LARGEST)
    if infinite.size:
        raise ColumnValuesError.infinite(name, infinite[:3].tolist(), infinite.size)
    if np.isnan(values).all():
        raise ColumnValuesError(f"{name!r} has no value for any customer. Leave it out of the features.")
    return values


def _customers_kept(raw: NDArray[np.float64], names: Sequence[str], rules: Mapping[str, str]) -> NDArray[np.bool_]:
    gaps = np.isnan(raw)
    refused = {
        name: int(gaps[:, place].sum())
        for place, name in enumerate(names)
        if rules[name] == "refuse" and gaps[:, place].any()
    }
    if refused:
        raise MissingValuesError.in_features(refused, len(raw))
    dropping = [place for place, name in enumerate(names) if rules[name] == "drop"]
    kept = ~np.asarray(gaps[:, dropping].any(axis=1))
    if not kept.any():
        raise MissingValuesError(
            f"missing='drop' leaves nobody: every customer lacks one of {listed(names, most=6)}. "
            "Leave out the feature with the most gaps, or fill it."
        )
    return kept


def _dropped(index: pd.Index, kept: NDArray[np.bool_], names: Sequence[str], rules: Mapping[str, str]) -> list[Remark]:
    gone = len(kept) - len(index)
    if not gone:
        return []
    blamed = tuple(name for name in names if rules[name] == "drop")
    return [
        Remark(
            "customers-left-out",
            f"{gone:,} of {len(kept):,} customers lack a value in {listed(blamed, most=6)} and are left out of "
            "everything that follows.",
            blamed,
        )
    ]


def _left_out(table: pd.DataFrame, key: str, names: Sequence[str], features: Sequence[str] | None) -> list[Remark]:
    others = tuple(name for name in table.columns if name != key and name not in names)
    if features is not None or not others:
        return []
    return [
        Remark("columns-left-out", f"not numeric, so not used as features: {listed(others, most=6)}.", others),
    ]
