"""A level is the same level whatever its kind and wherever it is read."""

import datetime
import sqlite3
from pathlib import Path
from xml.etree import ElementTree

import duckdb
import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pmml_reader import segment_by_pmml

import gauger
from gauger.features.category_levels import Level, distinct_levels

_N = 120
_KINDS: dict[str, list[object]] = {
    "text": ["North", "n/a", "it's", "007"],
    "text of codes": ["1e5", "+44", "007", "north"],
    "flag": [True, False],
    "whole": [1, 2, 10],
    "decimal": [1.5, 2.25, 10.0],
    "date": [datetime.datetime(2025, 1, 31), datetime.datetime(2025, 2, 28), datetime.datetime(2024, 12, 1)],
    "moment": [datetime.datetime(2025, 1, 31, 10, 30), datetime.datetime(2025, 1, 31, 10, 31)],
}
_WAYS = ("memory", "csv", "parquet", "duckdb", "sqlite", "postgres", "pmml")


def _customers(kind: str) -> pd.DataFrame:
    """Customers whose segments hang on nothing but the level."""
    rng = np.random.default_rng(4)
    values = pd.Series(rng.choice(np.array(_KINDS[kind], dtype=object), _N)).infer_objects()
    return pd.DataFrame({"who": [f"c{row:03d}" for row in range(_N)], "level": values})


def _assigned(way: str, model: gauger.SegmentModel, table: pd.DataFrame, folder: Path, url: str) -> list[int]:
    if way == "memory":
        return model.assign(table)["segment"].tolist()
    if way in ("csv", "parquet"):
        source = gauger.write_table(table, folder / f"table.{way}")
        model.assign(gauger.open_table(source), into=folder / "out.parquet")
        again = model.assign(gauger.read_table(source))["segment"].tolist()
        assert gauger.read_table(folder / "out.parquet")["segment"].tolist() == again
        return again
    if way == "pmml":
        root = ElementTree.parse(model.save(folder / "model.pmml")).getroot()
        return [segment_by_pmml(root, row) for row in table.to_dict("records")]
    statement = model.sql("customers", dialect=way)
    if way == "duckdb":
        with duckdb.connect() as connection:
            connection.register("customers", table)
            found = connection.execute(statement).df()
    elif way == "sqlite":
        with sqlite3.connect(":memory:") as lite:
            table.to_sql("customers", lite, index=False)
            found = pd.read_sql(statement, lite)
    else:
        sqlalchemy = pytest.importorskip("sqlalchemy")
        engine = sqlalchemy.create_engine(url)
        table.to_sql("customers", engine, index=False, if_exists="replace")
        found = pd.read_sql(sqlalchemy.text(statement.replace(":", r"\:")), engine)
        engine.dispose()
    return found.set_index("who").loc[table["who"], "segment"].tolist()


@pytest.mark.parametrize("kind", _KINDS)
@pytest.mark.parametrize("way", _WAYS)
def test_a_level_of_any_kind_is_the_same_on_every_way(way: str, kind: str, tmp_path: Path, postgres: str) -> None:
    table = _customers(kind)
    seg = gauger.segment_by_kmeans(
        gauger.prepare(table, key="who", features=[], categories=["level"]), len(_KINDS[kind])
    )
    assert seg.wcss == pytest.approx(0.0, abs=1e-9)  # a segment a level
    model = gauger.load_model(gauger.build_model(seg).save(tmp_path / "model.json"))
    assert _assigned(way, model, table, tmp_path, postgres) == seg.codes.tolist()


def test_what_is_stored_as_another_kind_counts_when_it_reads_as_the_level() -> None:
    assert Level.of(1.5).is_that_of("1.50")
    assert Level.of(True).is_that_of("TRUE")
    assert Level.of(True).is_that_of(1)
    assert Level.of("2.0").is_that_of(2)
    assert Level.of(datetime.date(2025, 1, 31)).is_that_of("2025-01-31 00:00")
    assert not Level.of("1.5").is_that_of("1.50")
    assert not Level.of(7).is_that_of("007")
    assert not Level.of(100000.0).is_that_of("1e5")
    assert not Level.of("true").is_that_of("True")


@given(st.one_of(st.booleans(), st.integers(-(2**53), 2**53), st.floats(allow_nan=False, allow_infinity=False)))
def test_a_number_or_flag_is_its_own_level_after_csv(value: object) -> None:
    assert Level.of(value).is_that_of(str(value)) or "e" in str(value)
    assert Level.of(value) == Level.of(np.asarray(value)[()])


def test_levels_are_in_the_order_of_their_size() -> None:
    assert [level.text for level in distinct_levels(pd.Series([10, 2, -1, 2]))] == ["-1", "2", "10"]


def test_a_new_level_is_told_of_with_the_words_of_the_table() -> None:
    table = pd.DataFrame({"who": [1, 2, 3, 4], "tier": [1, 2, 1, 2]})
    features = gauger.prepare(table, key="who", features=[], categories=["tier"])
    later = gauger.prepare_alike(pd.DataFrame({"who": [5, 6], "tier": ["1.0", "gold"]}), features)
    assert later.values.any(axis=1).tolist() == [True, False]
    (remark,) = [one for one in later.remarks if one.code == "new-levels"]
    assert "tier (gold)" in remark.text


@pytest.mark.parametrize("name", ["as_read", "placed", "shop AS (SELECT customer"])
def test_sql_reads_a_table_of_any_name(name: str) -> None:
    table = _customers("whole")
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=[], categories=["level"]), 3)
    with sqlite3.connect(":memory:") as lite:
        table.to_sql(name, lite, index=False)
        found = pd.read_sql(gauger.build_model(seg).sql(name, dialect="sqlite"), lite)
    assert found.set_index("who").loc[table["who"], "segment"].tolist() == seg.codes.tolist()
