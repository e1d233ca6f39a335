"""Prepare other customers with what was learned: the same treatments, unchanged."""

from collections.abc import Iterable, Iterator, Mapping

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.columns import AnyTable, Values, checked_table, refuse_bad_key
from gauger.errors import ColumnValuesError, MissingValuesError
from gauger.features.category_levels import Level, strangers_of
from gauger.features.columns import Indicator, as_numbers
from gauger.features.feature_set import FeatureSet
from gauger.features.treatments import Fill
from gauger.remarks import Remark
from gauger.wording import listed, plural


def prepare_alike(table: AnyTable, features: FeatureSet) -> FeatureSet:
    """Prepare other customers with the treatments that were learned, which are kept as they are.

    Gaps are filled with what was learned, or refused or dropped as they were; so are values that a treatment cannot
    take, such as refunds under a logarithm.

    Parameters
    ----------
    table : pandas.DataFrame or another table
        Other customers, with the same key and columns.
    features : FeatureSet
        What was learned.

    Returns
    -------
    FeatureSet
        The other customers on the working scale of `features`. Remarks say which values lie outside the range that was
        learned on, and which levels of a category were never seen (they get no indicator).

    Raises
    ------
    UnknownColumnError, KeyColumnError, MissingValuesError, ColumnValuesError
        As `prepare` does.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> features = gauger.prepare(pd.DataFrame({"who": ["a", "b"], "visits": [0, 10]}), key="who", scale="minmax")
    >>> later = gauger.prepare_alike(pd.DataFrame({"who": ["c"], "visits": [5]}), features)
    >>> later.values.tolist()
    [[0.5]]
    """
    needed = [name for name in features.names if name not in features.indicators]
    needed += dict.fromkeys(indicator.column for indicator in features.indicators.values())
    table = checked_table(table, [features.key, *dict.fromkeys(needed)])
    refuse_bad_key(table[features.key])
    raw = {name: as_numbers(table, name, features.indicators) for name in features.names}
    kept = _customers_kept(raw, features)
    working = features.treat(pd.DataFrame(raw, copy=False))
    taken, beyond = _that_treatments_take(working, kept, features)
    raw = {name: values[taken] for name, values in raw.items()}
    index = pd.Index(table[features.key].to_numpy()[taken], name=features.key)
    original = pd.DataFrame(raw, index=index, copy=False)
    values = working if taken.all() else working.T[:, taken].T
    values.flags.writeable = False
    kept_rows = table[taken]
    remarks = [
        *_dropped(int(kept.sum()), len(kept)),
        *_beyond_treatment(beyond),
        *_outside(raw, features),
        *about_new_levels(new_levels(kept_rows, features.indicators.values()), "the features were"),
    ]
    return FeatureSet(
        features.key,
        index.to_numpy(),
        features.names,
        values,
        original,
        features.treatments,
        features.indicators,
        tuple(remarks),
        noun=features.noun,
    )


def _customers_kept(raw: Mapping[str, Values], features: FeatureSet) -> np.ndarray:
    kept = np.ones(len(next(iter(raw.values()))), dtype=np.bool_)
    refused = {}
    for name, values in raw.items():
        fill = features.treatments[name][0]
        gaps = np.isnan(values)
        if isinstance(fill, Fill) and fill.value is None and gaps.any():
            if fill.rule == "drop":
                kept &= ~gaps
            else:
                column = features.indicators[name].column if name in features.indicators else name
                refused[column] = int(gaps.sum())
    if refused:
        raise MissingValuesError.in_features(refused, len(kept))
    return kept


def _that_treatments_take(
    working: NDArray[np.float64], kept: NDArray[np.bool_], features: FeatureSet
) -> tuple[NDArray[np.bool_], dict[str, int]]:
    """Who of those kept has a working value in every feature (n,), and how many lack one by feature.

    A logarithm cannot take a refund. Raises ColumnValuesError unless the feature's customers without a value are
    dropped.
    """
    lost = {}
    taken = kept.copy()
    for index, name in enumerate(features.names):
        odd = kept & ~np.isfinite(working[:, index])
        if odd.any():
            lost[name] = int(odd.sum())
            taken &= ~odd
    refused = {name: count for name, count in lost.items() if _missing_rule(features, name) != "drop"}
    if refused:
        raise ColumnValuesError.beyond_treatment(refused, len(kept))
    if lost and not taken.any():
        raise ColumnValuesError.beyond_treatment(lost, len(kept))
    return taken, lost


def _missing_rule(features: FeatureSet, name: str) -> str | None:
    fill = features.treatments[name][0]
    return fill.rule if isinstance(fill, Fill) else None


def _beyond_treatment(lost: Mapping[str, int]) -> Iterator[Remark]:
    if lost:
        parts = [f"{name} ({count:,} {plural(count, 'customer')})" for name, count in lost.items()]
        yield Remark(
            "beyond-treatment",
            f"{listed(parts, most=6)} have values that the treatment learned cannot take, such as refunds under a "
            "logarithm, and are left out as those without a value are.",
            tuple(lost),
        )


def _dropped(n_kept: int, n_all: int) -> Iterator[Remark]:
    if n_kept < n_all:
        yield Remark(
            "customers-left-out", f"{n_all - n_kept:,} of {n_all:,} customers lack a value and are left out as before."
        )


def _outside(raw: Mapping[str, Values], features: FeatureSet) -> Iterator[Remark]:
    shown, found = [], []
    for name, values in raw.items():
        learned = features.original[name].to_numpy()
        low, high = np.nanmin(learned), np.nanmax(learned)
        count = int(np.count_nonzero((values < low) | (values > high)))
        if count:
            found.append(name)
            shown.append(f"{name} ({count:,} beyond {low:,.6g} … {high:,.6g})")
    if found:
        yield Remark(
            "outside-learned-range",
            f"{listed(shown)} {plural(len(found), 'goes', 'go')} beyond the values that the treatment was learned on: "
            "it is extrapolated there, not learned again. Prepare all customers together if these are not exceptions.",
            tuple(found),
        )


def new_levels(table: pd.DataFrame, indicators: Iterable[Indicator]) -> dict[str, set[str]]:
    """The levels of each category that have no indicator, where there are any."""
    seen: dict[str, set[Level]] = {}
    for indicator in indicators:
        if indicator.level is not None:
            seen.setdefault(indicator.column, set()).add(indicator.level)
    new = {column: strangers_of(table[column], levels) for column, levels in seen.items()}
    return {column: levels for column, levels in new.items() if levels}


def about_new_levels(found: Mapping[str, set[str]], what: str) -> Iterator[Remark]:
    """A remark on levels of categories that were not there when `what` was learned."""
    if found:
        shown = [f"{column} ({listed(sorted(levels))})" for column, levels in found.items()]
        yield Remark(
            "new-levels",
            f"{listed(shown)} {plural(len(found), 'has', 'have')} levels that were not there when {what} learned: such "
            "customers have none of its indicators.",
            tuple(found),
        )
