"""Features learned from everyone where they live: as in memory where they fit, else by exact sums and quantiles."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import pandas as pd

from gauger.columns import about_whole_keys
from gauger.features import (
    FeatureSet,
    Preparation,
    Recipe,
    about_columns_left_out,
    about_left_out,
    prepare_table,
)
from gauger.remarks import Remark
from gauger.sources.feature_columns import FeatureColumns
from gauger.sources.learned_everyone import Workplace, as_sample, nobody, of_sample, treated_alike
from gauger.sources.places import Place, Scaling
from gauger.sources.segmenting_everyone import LearnedEveryone
from gauger.sources.surveys import Survey
from gauger.sources.treatment_learning import dropped_by, learn_scaling, refuse_unlearnable


def learn_everyone(table: Workplace, place: Place, asked: Preparation, *, sampled: int, few: int) -> FeatureSet:
    """The features of a sample of the customers, treated as everyone is; `.everyone` knows all of them.

    Up to `sampled` customers are fetched. Where that is everyone, or where there are no more than `few`, treatments are
    learned as in memory, to the same bits; else from exact sums and quantiles of everyone.
    """
    open_features = asked.features is None
    numeric, others = place.numeric(asked)
    asked = asked.with_features(numeric)
    recipes = asked.recipes()
    refuse_unlearnable(recipes, place.where)
    seen = place.survey(asked, recipes, sampled)
    seen.refuse_unfit(asked, recipes)
    rows = place.sample(asked, seen, sampled)
    fits = len(rows) == seen.kept or seen.kept <= few
    guess = prepare_table(rows, asked) if len(rows) else None
    basis = guess if len(rows) == seen.kept else prepare_table(place.few(asked, seen), asked) if fits else None
    if basis is not None:
        scaling = _as_in_memory(basis, recipes, seen)
        said = list(basis.remarks)
    else:
        scaling = learn_scaling(place, asked, seen, recipes, rows, guess.treatments if guess is not None else {})
        said = list(of_sample(guess.remarks if guess is not None else (), len(rows), seen.kept, asked.who))
        known = {one.code for one in said}
        said += [one for one in place.cautions(scaling) if one.code not in known]
    remarks = [about_whole_keys(asked.key)] if seen.keys.decimals and seen.keys.become_whole else []
    remarks += about_columns_left_out([name for name in others if open_features and name not in asked.columns])
    remarks += about_left_out(seen.rows - seen.kept, seen.rows, recipes)
    everyone = LearnedEveryone(table, asked, scaling, rows, sampled if sampled or not few else None, fits)
    features = guess if guess is not None and everyone.whole else sample_features(rows, guess, scaling, recipes, asked)
    remarks = [*about_sample(everyone), *remarks, *said]
    return replace(features, remarks=tuple(remarks), everyone=everyone)


def _as_in_memory(basis: FeatureSet, recipes: Mapping[str, Recipe], seen: Survey) -> Scaling:
    """What was learned in memory from everyone."""
    measures = tuple(name for name in basis.names if name not in basis.indicators)
    columns = FeatureColumns(basis.key, measures, basis.indicators, dropped_by(recipes), seen.not_a_number)
    working = basis.values.T
    return Scaling(
        columns,
        tuple(basis.treatments[name] for name in basis.names),
        seen,
        np.column_stack([working.min(axis=1), working.max(axis=1)]),
        working.mean(axis=1),
        working.std(axis=1),
    )


def sample_features(
    rows: pd.DataFrame,
    guess: FeatureSet | None,
    scaling: Scaling,
    recipes: Mapping[str, Recipe],
    asked: Preparation,
) -> FeatureSet:
    """Some customers, perhaps nobody, on the scale that everyone was treated to."""
    names = scaling.columns.names
    treatments = dict(zip(names, scaling.treatments, strict=True))
    if guess is None:
        return nobody(asked.key, treatments, scaling.columns.indicators, recipes, asked.who)
    features = treated_alike(guess, rows, treatments, scaling.columns.indicators)
    return as_sample(replace(features, recipes=recipes))


def about_sample(everyone: LearnedEveryone) -> list[Remark]:
    """That what follows is of a sample, and of how many."""
    rows, noun = len(everyone.sample_table), everyone.asked.who
    if rows == everyone.customers or not rows:
        return []
    text = (
        f"figures and studies are of a sample of {rows:,} out of {noun.counted(everyone.customers)}, chosen by a hash"
    )
    return [Remark("sample-of-all", f"{text} of {everyone.asked.key}. Segments are of everyone.")]
