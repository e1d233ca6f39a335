"""Prepare features: choose, fill what is missing, cap, transform, scale, weigh; each step recorded and reversible."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms import map_jobs
from gauger.algorithms.statistics import skewness
from gauger.columns import (
    AnyTable,
    ColumnFacts,
    OpenTable,
    Values,
    about_whole_keys,
    checked_keys,
    checked_table,
)
from gauger.errors import ColumnValuesError, MissingValuesError, SettingError
from gauger.features.category_levels import distinct_levels
from gauger.features.columns import Indicator, as_numbers, level_indicators, numeric_columns
from gauger.features.feature_cautions import FeatureFacts, feature_cautions
from gauger.features.feature_set import FeatureSet
from gauger.features.preparation import Preparation, refuse_category_rule, refuse_shared_names
from gauger.features.recipes import Quantiles, Recipe
from gauger.features.transforms import learn_transform
from gauger.features.treatments import NO_RANGE, Treatment, learn_cap, learn_fill, learn_scale, learn_weight
from gauger.progress import task
from gauger.remarks import Remark
from gauger.wording import listed


def prepare(
    table: AnyTable | OpenTable,
    *,
    key: str,
    features: Sequence[str] | None = None,
    categories: Sequence[str] | None = None,
    missing: str | float | Mapping[str, str | float] = "refuse",
    flag_missing: Sequence[str] | None = None,
    cap: Quantiles | Mapping[str, Quantiles] | None = None,
    transform: str | Mapping[str, str] | None = None,
    scale: str | Mapping[str, str] = "zscore",
    weight: float | Mapping[str, float] | None = None,
    noun: str | None = None,
) -> FeatureSet:
    """Turn columns of a table, one row a customer, into features on one working scale.

    The steps are taken in the order of the parameters, each for all features alike or by feature (`{"age": "median"}`;
    the others keep the default). Each is recorded and can be undone. The table is not modified.

    Parameters
    ----------
    table : pandas.DataFrame, another table or OpenTable
        One row per customer. Of a table that stays where it lives (`open_table`), treatments are learned from everyone,
        and a sample of the customers is fetched.
    key : str
        The column that identifies a customer.
    features : sequence of str, optional
        The columns to use; by default every numeric column but the key.
    categories : sequence of str, optional
        Columns of text, codes or flags that enter as indicators, one a level (`area_is_north`), weighted so that the
        whole category varies as much as one z-scored measure (with "zscore" and "robust"), or that two levels are as
        far apart as the ends of a min-max scale (else). Their missing values are refused, dropped, or at "zero" no
        level.
    missing : {"refuse", "drop", "zero", "mean", "median"}, number or mapping
        What a missing value becomes: an error that counts them; those customers left out; or a value.
    flag_missing : sequence of str, optional
        Features that get a second one: 1 where the value was missing.
    cap : (low, high) or mapping, optional
        Two quantiles to which more extreme values are pulled in (winsorising).
    transform : {"log", "signed_log", "sqrt", "power"} or mapping, optional
        What pulls in a long tail: log(x + 1); the same mirrored for negative values; the square root; or the power
        transformation of Yeo & Johnson, its exponent chosen by maximum likelihood.
    scale : {"zscore", "minmax", "robust", "rank", "none"} or mapping
        Mean 0 and standard deviation 1, so that features count alike; 0 to 1; median 0 and quartiles like those of a
        normal distribution, which extreme customers do not move; the share of customers below; or as it is.
    weight : number or mapping, optional
        A number above 0; 2 lets a feature count twice as far.
    noun : str, optional
        The word for one of those who are segmented, such as "house", for figures, reports and remarks; by default what
        the key's name says (house_id), else "customer".

    Returns
    -------
    FeatureSet
        `.values` (n_customers, n_features) on the working scale, with the cautions in `.remarks`. Of an OpenTable it
        holds the sample, which a remark and the noun ("sampled members") say unless it is everyone; segmenting it
        segments everyone.

    Raises
    ------
    UnknownColumnError
        For a column that is not there.
    KeyColumnError
        For a key that is missing or repeats.
    MissingValuesError
        For missing values of which nothing was said.
    ColumnValuesError
        For text, dates, infinities or nothing at all in a feature.
    SettingError
        For an unknown word, or one that does not fit the values.

    Notes
    -----
    O(n d log n).

    References
    ----------
    Yeo & Johnson (2000), Biometrika 87(4), 954-959.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": ["a", "b", "c"], "visits": [2, 4, 9], "spend": [10.0, 30.0, 20.0]})
    >>> gauger.prepare(table, key="who", scale="minmax").values[:, 1].tolist()
    [0.0, 1.0, 0.5]
    """
    asked = Preparation(key, features, categories, missing, flag_missing, cap, transform, scale, weight, noun)
    return table.prepared(asked) if isinstance(table, OpenTable) else prepare_table(table, asked)


def prepare_table(table: AnyTable, asked: Preparation) -> FeatureSet:
    """The features of a table in memory, as `prepare` says."""
    key, every_number = asked.key, asked.features is None
    table = checked_table(table, asked.columns)
    if table.empty:
        raise nobody_to_prepare()
    asked = asked.with_features(numeric_columns(table, key))
    names, categories = asked.measures, asked.levelled
    recipes = asked.recipes()
    keys = checked_keys(own := table[key])

    raw = {name: as_numbers(table, name, {}) for name in names}
    kept = _customers_kept(table, raw, recipes, categories)
    chosen = table if kept.all() else table[kept]
    indicators = {one.name: one for one in (Indicator(name, None) for name in asked.flagged)}
    for column in categories:
        indicators |= level_indicators(column, distinct_levels(chosen[column]), recipes[column].weight or 1.0)
    refuse_shared_names(names, indicators)
    columns = {name: values if kept.all() else values[kept] for name, values in raw.items()}
    columns |= {name: indicator.of(chosen) for name, indicator in indicators.items()}
    shares = {name: float(np.nanmean(columns[name])) for name in indicators}
    all_recipes = recipes | asked.treatments.of_indicators(indicators, shares, recipes)

    index = pd.Index((keys if kept.all() else keys[kept]).to_numpy(copy=True), name=key)
    remarks = [] if keys is own else [about_whole_keys(key)]
    remarks += about_columns_left_out([name for name in table.columns if every_number and name not in asked.columns])
    remarks += about_left_out(len(table) - len(index), len(table), recipes)
    values, treatments, evidence = _treat_all(chosen, columns, all_recipes)
    remarks += feature_cautions(chosen, index, values, evidence, indicators)
    original = pd.DataFrame(columns, index=index, copy=True)
    return FeatureSet(
        key,
        index.to_numpy(),
        tuple(columns),
        values,
        original,
        treatments,
        indicators,
        tuple(remarks),
        recipes,
        asked.who,
    )


def nobody_to_prepare() -> SettingError:
    """The refusal of a table without rows."""
    return SettingError("there are no customers to prepare: the table has no rows.")


def _treat_all(
    table: pd.DataFrame, columns: Mapping[str, Values], recipes: Mapping[str, Recipe]
) -> tuple[NDArray[np.float64], dict[str, tuple[Treatment, ...]], list[FeatureFacts]]:
    n_customers = len(next(iter(columns.values())))
    working = np.empty((len(columns), n_customers))
    treatments, evidence = {}, []
    with task("preparing features", len(columns)) as advance:
        sources = {name: table[name] if name in table.columns else None for name in columns}
        treated = map_jobs(lambda name: _treat(name, sources[name], columns[name], recipes[name]), columns)
        for index, (name, one) in enumerate(zip(columns, treated, strict=True)):
            working[index] = one.values
            treatments[name] = one.steps
            evidence.append(one.evidence)
            advance(1)
    values = working.T  # a customer's features side by side in name, a feature's customers side by side in memory
    values.flags.writeable = False
    return values, treatments, evidence


@dataclass(frozen=True, eq=False)
class _Treated:
    values: Values
    steps: tuple[Treatment, ...]
    evidence: FeatureFacts


def _treat(name: str, source: pd.Series | None, column: Values, recipe: Recipe) -> _Treated:
    facts = ColumnFacts.of(column)
    fill = learn_fill(facts, recipe.missing)
    steps: list[Treatment] = [fill]
    values = fill.apply(column) if facts.missing else column
    filled = facts if fill.value is None else facts.with_filled(fill.value)
    # A monotone step keeps the order, so what is learned from ordered values needs no second sort.
    needs_all = recipe.scale in ("zscore", "robust", "rank") or recipe.transform == "power"
    ordered = filled.ordered if needs_all else filled.ordered[[0, -1]]
    cap = learn_cap(filled, recipe.cap)
    if cap is not None:
        values, ordered = cap.apply(values), cap.apply(ordered)
        steps.append(cap)
    transform = learn_transform(name, ordered, recipe.transform)
    if transform is not None:
        values, ordered = transform.apply(values), transform.apply(ordered)
        steps.append(transform)
    tail = skewness(values) if facts.distinct > 2 else np.nan
    still = bool(ordered[-1] - ordered[0] < NO_RANGE)
    for step in (learn_scale(ordered, recipe.scale), learn_weight(recipe.weight)):
        if step is not None:
            values = step.apply(values)
            steps.append(step)
    evidence = FeatureFacts.of(
        name, source, facts, fill, tail=tail, still=still, transformed=transform is not None, capped=cap is not None
    )
    return _Treated(values, tuple(steps), evidence)


def _customers_kept(
    table: pd.DataFrame, raw: Mapping[str, Values], recipes: Mapping[str, Recipe], categories: Sequence[str]
) -> NDArray[np.bool_]:
    gaps = {name: np.isnan(values) for name, values in raw.items()}
    gaps |= {name: table[name].isna().to_numpy() for name in categories}
    refuse_gaps({name: int(gap.sum()) for name, gap in gaps.items()}, len(table), recipes, categories)
    kept = np.ones(len(table), dtype=np.bool_)
    for name, gap in gaps.items():
        if recipes[name].missing == "drop":
            kept &= ~gap
    if not kept.any():
        raise nobody_left(gaps)
    return kept


def refuse_gaps(gaps: Mapping[str, int], rows: int, recipes: Mapping[str, Recipe], categories: Sequence[str]) -> None:
    """Raise for columns without a value, and for gaps of which nothing was said, or what a category cannot have."""
    empty = [name for name, count in gaps.items() if count == rows]
    if empty:
        raise ColumnValuesError(f"{empty[0]!r} has no value for any customer. Leave it out of the features.")
    refused = {name: count for name, count in gaps.items() if count and recipes[name].missing == "refuse"}
    if refused:
        raise MissingValuesError.in_features(refused, rows)
    for name in categories:
        refuse_category_rule(name, recipes[name].missing, gaps[name])


def nobody_left(names: Iterable[str]) -> MissingValuesError:
    """That gaps leave everyone out."""
    return MissingValuesError(
        f"missing='drop' leaves nobody: every customer lacks one of {listed(names, most=6)}. "
        "Leave out the feature with the most gaps, or fill it."
    )


def about_left_out(gone: int, rows: int, recipes: Mapping[str, Recipe]) -> list[Remark]:
    """How many customers gaps leave out."""
    if not gone:
        return []
    blamed = tuple(name for name, recipe in recipes.items() if recipe.missing == "drop")
    return [
        Remark(
            "customers-left-out",
            f"{gone:,} of {rows:,} customers lack a value in {listed(blamed, most=6)} and are left out of "
            "everything that follows.",
            blamed,
        )
    ]


def about_columns_left_out(others: Sequence[str]) -> list[Remark]:
    """The columns left out because they do not hold numbers, where no features were named."""
    if not others:
        return []
    text = f"not numeric, so not used as features: {listed(others, most=6)}."
    return [Remark("columns-left-out", text, tuple(others))]
