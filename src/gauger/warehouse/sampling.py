"""Customers chosen by hashes of their keys: the only rows that leave a database, when they are asked for."""

from collections.abc import Mapping, Sequence

import numpy as np
import pandas as pd

from gauger.engine import Wanted, learned_features
from gauger.features import FeatureSet, Indicator, Recipe, Treatment, prepare
from gauger.tables import Session, frame_of, sql_name
from gauger.warehouse.customers import Customers
from gauger.warehouse.learning import Learned, learn
from gauger.warehouse.relations import FLOAT, NUMBERS, TEXT
from gauger.wording import Noun

_MORE, _ALSO = 1.2, 200
"""How much more of a sample is let through than is wanted, and how many besides, so that chance leaves enough:
judgement."""


def chance_of(customers: Customers, seed: int) -> str:
    """The whole number of 64 bits by which customers fall in an order of chance."""
    return customers.dialect.key_hash(sql_name(customers.key), seed)


def chance_below(most: int, everyone: int) -> str | None:
    """What must hold of `chance` for somewhat more than `most` to be left; None where all are."""
    share = (_MORE * most + _ALSO) / everyone
    return None if share >= 1.0 else f"chance < {round((share - 0.5) * 2.0**64)}"


def draw_sample(learned: Learned, most: int) -> pd.DataFrame:
    """Fetch up to so many customers: the key, the measures and the categories, as they are."""
    customers, wanted = learned.customers, learned.wanted
    names = [wanted.key, *wanted.measures, *wanted.categories]
    told = [f"{_as_it_is(customers, name)} AS c{at}" for at, name in enumerate(names)]
    source = customers.dialect.select(
        "numbered", [*told, f"{chance_of(customers, wanted.seed)} AS chance"], customers.source
    )
    below = chance_below(most, learned.survey.kept)
    columns = ", ".join(f"c{at}" for at in range(len(names)))
    rows = customers.rows(
        f"SELECT {columns} FROM {source}{f' WHERE {below}' if below else ''} ORDER BY chance, c0 LIMIT {most}"
    )
    return frame_of(names, rows)


def features_of_sample(session: Session, table: str, wanted: Wanted) -> tuple[FeatureSet, int]:
    """The customers of a sample, fetched and prepared as everyone is, and how many there are in all."""
    learned = learn(session, table, wanted)
    return as_features(learned, draw_sample(learned, wanted.sample)), learned.survey.kept


def _as_it_is(customers: Customers, name: str) -> str:
    kind = customers.relation.kinds[name]
    if name == customers.key and kind == FLOAT:
        return customers.written_key
    if name in customers.measures and kind in NUMBERS:
        return customers.known(name)
    return f"CAST({sql_name(name)} AS TEXT)" if kind == TEXT else sql_name(name)


def nobody(
    key: str,
    treatments: Mapping[str, Sequence[Treatment]],
    indicators: Mapping[str, Indicator],
    recipes: Mapping[str, Recipe],
    noun: Noun,
) -> FeatureSet:
    """Features that were learned, of nobody who is at hand."""
    names = tuple(treatments)
    nothing = np.empty((0, len(names)))
    original = pd.DataFrame(nothing, columns=list(names), index=pd.Index([], name=key))
    own = {name: tuple(steps) for name, steps in treatments.items()}
    return FeatureSet(
        key, np.empty(0, dtype=object), names, nothing, original, own, dict(indicators), recipes=recipes, noun=noun
    )


def as_features(learned: Learned, rows: pd.DataFrame | None) -> FeatureSet:
    """Customers who were fetched, perhaps none, on the scale that everyone was treated to."""
    wanted, names, indicators = learned.wanted, learned.names, learned.customers.indicators
    recipes = {name: recipe for name, recipe in learned.recipes.items() if name not in indicators}
    if rows is None:
        noun = Noun.given(wanted.preparation.get("noun"), wanted.key)
        return nobody(wanted.key, dict(zip(names, learned.treatments, strict=True)), indicators, recipes, noun)
    guess = prepare(rows, key=wanted.key, **wanted.preparation)
    return learned_features(guess, rows, names, indicators, learned.treatments, recipes)
