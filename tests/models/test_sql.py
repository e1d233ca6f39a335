"""The SQL statement, run where the customers live: DuckDB, SQLite and a real PostgreSQL, against Python."""

import sqlite3

import duckdb
import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError
from tests.examples import thoroughly

_NEAR = 1e-9


@pytest.fixture(scope="module")
def models(demo_features: gauger.FeatureSet, mixed_features: gauger.FeatureSet) -> dict[str, gauger.SegmentModel]:
    fifths = {"recency_days": 5, "visits": 5, "spend_mean": [10, 20]}
    return {
        "k-means": gauger.build_model(gauger.segment_by_kmeans(demo_features, 6)),
        "everything": gauger.build_model(gauger.segment_by_kmeans(mixed_features, 4)),
        "one segment": gauger.build_model(gauger.segment_by_kmeans(demo_features, 1)),
        "cells": gauger.build_model(gauger.segment_by_bands(demo_features, fifths, low_is_good=["recency_days"])),
        "scores": gauger.build_model(gauger.segment_by_bands(demo_features, fifths, combine="score", score_bands=4)),
    }


@pytest.fixture(scope="module")
def tables(behaviour: pd.DataFrame, members: pd.DataFrame) -> dict[str, pd.DataFrame]:
    """Every demo member, and 10,000 made-up customers with missing and extreme values."""
    both = behaviour.merge(members, on="member_id")
    rng = np.random.default_rng(8)
    random: dict[str, object] = {"member_id": [f"R{at:05d}" for at in range(10_000)]}
    for name in ("recency_days", "visits", "spend_mean", "seats_mean", "age", "east_km", "north_km"):
        known = both[name].dropna().to_numpy(dtype=float)
        values = rng.choice(known, 10_000) * rng.choice([1.0, 1.0, 0.5, -1.0, 1e3, 1e7], 10_000)
        random[name] = np.where(rng.random(10_000) < 0.05, np.nan, values)
    levels = [*members["household"].dropna().unique(), "commune", None]
    random["household"] = rng.choice(np.array(levels, dtype=object), 10_000)
    return {"demo": both[list(random)], "random": pd.DataFrame(random)}


def _run(dialect: str, statement: str, table: pd.DataFrame, url: str) -> pd.DataFrame:
    if dialect == "duckdb":
        connection = duckdb.connect()
        connection.register("everyone", table)
        return connection.execute(statement).df()
    plain = table.astype({name: float for name in table.columns if pd.api.types.is_numeric_dtype(table[name])})
    if dialect == "sqlite":
        with sqlite3.connect(":memory:") as lite:
            plain.to_sql("everyone", lite, index=False)
            return pd.read_sql(statement, lite)
    sqlalchemy = pytest.importorskip("sqlalchemy")
    engine = sqlalchemy.create_engine(url)
    try:
        plain.to_sql("everyone", engine, index=False, if_exists="replace")
        return pd.read_sql(sqlalchemy.text(statement.replace(":", r"\:")), engine)
    finally:
        engine.dispose()


@pytest.mark.parametrize("rows", thoroughly(["random", "demo"]))
@pytest.mark.parametrize("name", ["k-means", "everything", "one segment", "cells", "scores"])
@pytest.mark.parametrize("dialect", ["duckdb", "sqlite", "postgres"])
def test_the_database_gives_the_segments_of_python(
    models: dict[str, gauger.SegmentModel],
    tables: dict[str, pd.DataFrame],
    postgres: str,
    dialect: str,
    name: str,
    rows: str,
) -> None:
    model, table = models[name], tables[rows]
    wanted = model.assign(table, gate="learned").set_index("member_id")
    found = _run(dialect, model.sql("everyone", dialect=dialect, gate="learned"), table, postgres)
    assert found.columns.tolist() == ["member_id", "segment", "segment_name", "distance", "why"]
    found = found.set_index("member_id").loc[wanted.index]
    apart = found["distance"].to_numpy(dtype=float, na_value=np.nan)
    np.testing.assert_allclose(apart, wanted["distance"], rtol=_NEAR)
    elsewhere = found["segment"].to_numpy() != wanted["segment"].to_numpy()
    ties = int(elsewhere.sum())  # none of these customers is as near to two centres
    assert ties == 0
    assert found["segment_name"].tolist() == wanted["segment_name"].tolist()
    assert found["why"].tolist() == wanted["why"].tolist()
    assert (wanted["why"] == "").any()
    if rows == "random":
        assert "missing" in set(wanted["why"])


def test_names_and_levels_are_only_names_and_levels(members: pd.DataFrame) -> None:
    table = members.rename(columns={"east_km": 'east "km"; DROP', "member_id": "select"})
    table["household"] = table["household"].str.replace("family", "it's")
    features = gauger.prepare(
        table, key="select", features=['east "km"; DROP'], categories=["household"], missing={"household": "zero"}
    )
    seg = gauger.segment_by_kmeans(features, 3).rename({1: 'it\'s "them"'})
    model = gauger.build_model(seg)
    connection = duckdb.connect()
    connection.execute("CREATE SCHEMA shop")
    connection.register("given", table)
    connection.execute('CREATE TABLE shop."odd name" AS SELECT * FROM given')
    found = connection.execute(model.sql("shop.odd name", dialect="duckdb")).df().set_index("select")
    assert found.loc[features.keys, "segment"].tolist() == seg.codes.tolist()
    assert 'it\'s "them"' in set(found["segment_name"])


def test_what_sql_cannot_say_is_refused(models: dict[str, gauger.SegmentModel], demo_features) -> None:
    tree = gauger.build_model(gauger.build_tree(demo_features).cut(count=3))
    with pytest.raises(SettingError, match=r"not the nearest of 2,355 customers"):
        tree.sql("members")
    with pytest.raises(SettingError, match="dialect='oracle7'"):
        models["k-means"].sql("members", dialect="oracle7")
