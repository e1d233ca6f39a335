"""Customers chosen by hashes of their keys: the only rows that leave a database, when they are asked for."""

import numpy as np
import pandas as pd

from gauger.engine import Wanted, learned_features
from gauger.features import FeatureSet, prepare, sql_name
from gauger.tables import Session, frame_of
from gauger.warehouse.customers import Customers
from gauger.warehouse.learning import Learned, learn
from gauger.warehouse.relations import NUMBERS, TEXT
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
    if name in customers.measures and kind in NUMBERS:
        return customers.known(name)
    return f"CAST({sql_name(name)} AS TEXT)" if kind == TEXT else sql_name(name)


def no_sample(learned: Learned) -> pd.DataFrame:
    """Nobody."""
    wanted = learned.wanted
    return pd.DataFrame(columns=[wanted.key, *wanted.measures, *wanted.categories])


def as_features(learned: Learned, rows: pd.DataFrame) -> FeatureSet:
    """Customers who were fetched, on the scale that everyone was treated to."""
    wanted, names, indicators = learned.wanted, learned.names, learned.customers.indicators
    recipes = {name: recipe for name, recipe in learned.recipes.items() if name not in indicators}
    if len(rows):
        guess = prepare(rows, key=wanted.key, **wanted.preparation)
        return learned_features(guess, rows, names, indicators, learned.treatments, recipes)
    given = wanted.preparation.get("noun")
    return FeatureSet(
        wanted.key,
        np.empty(0, dtype=object),
        names,
        np.empty((0, len(names))),
        pd.DataFrame(np.empty((0, len(names))), columns=list(names), index=pd.Index([], name=wanted.key)),
        dict(zip(names, learned.treatments, strict=True)),
        dict(indicators),
        recipes=recipes,
        noun=Noun.of_key(wanted.key) if given is None else Noun.called(str(given)),
    )
