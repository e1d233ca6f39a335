import re
from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from own_databases import Shop, own_shop, planted, quoted, segmented

import gauger
from gauger.sources import DatabaseTable
from tests.examples import examples

PLAIN: dict[str, Any] = {"key": "who", "features": ["visits", "spend", "age"]}
TREATED: dict[str, Any] = {
    "key": "who",
    "features": ["visits", "spend", "age"],
    "categories": ["area"],
    "missing": {"age": "median", "spend": "mean", "visits": 0, "area": "zero"},
    "flag_missing": ["age"],
    "cap": {"spend": (0.01, 0.97), "age": (0.0, 0.9)},
    "transform": {"spend": "signed_log", "visits": "sqrt"},
    "scale": {"visits": "minmax", "age": "robust", "spend": "zscore"},
    "weight": {"visits": 2.0},
}


def _treated_members(rows: int = 200) -> pd.DataFrame:
    table = planted(5, rows, 3)
    rng = np.random.default_rng(6)
    table["area"] = np.array(["north", "south", 'it\'s "east"'])[(table["visits"] // 30).astype(int) % 3]
    table["visits"] = table["visits"].abs()
    for name, share in {"visits": 0.05, "spend": 0.1, "age": 0.2, "area": 0.05}.items():
        table.loc[rng.random(rows) < share, name] = None
    return table


def _segments(shop: Shop, into: str = "segments") -> pd.DataFrame:
    return shop.frame(
        f"SELECT who, segment, segment_name, distance FROM {quoted(into)}", "who", "segment", "name", "distance"
    )


def test_two_runs_give_the_same_bits_whatever_the_order_of_rows(shop: Shop) -> None:
    table = _treated_members()
    results = []
    for rows in (table, table.iloc[::-1]):
        shop.write("base", rows)
        found = segmented(shop.url, table="base", into="segments", count=3, replace=True, **TREATED)
        distances = [one.mean_distance for one in found.model.segments]
        results.append((found.model.centres.tobytes(), found.wcss, found.model.fingerprint, distances))
    assert results[0] == results[1]


@pytest.mark.slow
@examples(15)
@given(
    st.lists(st.tuples(st.sampled_from([-3.0, 0.0, 0.5, 1.0, 7.25, 1e6]), st.integers(-4, 9)), min_size=3, max_size=40),
    st.integers(1, 3),
    st.sampled_from(["zscore", "minmax", "none"]),
)
def test_small_tables_end_where_nobody_would_change_segment(
    request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory, rows: list[Any], count: int, scale: str
) -> None:
    table = pd.DataFrame(rows, columns=["x", "y"]).astype(float)
    table.insert(0, "who", range(len(table)))
    if len(table[["x", "y"]].drop_duplicates()) < count:
        return
    shop = own_shop("duckdb", request, tmp_path_factory.mktemp("small"))
    shop.write("base", table)
    found = segmented(shop.url, table="base", into="segments", key="who", count=count, scale=scale, starts=4)
    values = gauger.prepare(table, key="who", scale=scale).values
    codes = _segments(shop).sort_values("who")["segment"].to_numpy()
    centres = found.model.centres
    squares = ((values[:, None, :] - centres[None]) ** 2).sum(axis=2)
    own = squares[np.arange(len(table)), codes - 1]
    size = max(1.0, float(np.abs(values).max()) ** 2)
    assert (own <= squares.min(axis=1) + 1e-9 * size).all()
    for number in range(1, count + 1):
        np.testing.assert_allclose(centres[number - 1], values[codes == number].mean(axis=0), atol=1e-9 * size)
    assert found.wcss == pytest.approx(own.sum(), rel=1e-9, abs=1e-9 * size)
    memory = gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale=scale), count, starts=4)
    as_it_comes = gauger.prepare(gauger.open_table(shop.url, table="base"), key="who", scale=scale)
    assert np.array_equal(gauger.segment_by_kmeans(as_it_comes, count, starts=4).scaled_centres, memory.scaled_centres)


def test_a_segment_that_empties_begins_anew_and_repeats_count(shop: Shop) -> None:
    table = pd.DataFrame({"who": range(60), "visits": [0.0] * 40 + [1.0] * 10 + [2.0] * 5 + [50.0] * 5})
    shop.write("base", table)
    found = segmented(shop.url, table="base", into="segments", key="who", count=4, replace=True)
    assert found.sizes.tolist() == [40, 10, 5, 5]
    with pytest.raises(gauger.errors.SettingError, match="only 4 distinct combinations"):
        segmented(shop.url, table="base", into="segments", key="who", count=5, replace=True)


def test_tables_that_are_there_are_kept_unless_they_are_to_be_replaced(shop: Shop) -> None:
    shop.write("base", planted(2, 60))
    shop.write("segments", pd.DataFrame({"mine": [1]}))
    wanted = {"table": "base", "into": "segments", "count": 2, **PLAIN}
    with pytest.raises(gauger.errors.DatabaseError, match="table segments already exists; add --replace"):
        segmented(shop.url, **wanted)
    assert shop.run("SELECT mine FROM segments") == [(1,)]
    shop.run("DROP TABLE segments", "DROP TABLE IF EXISTS segments_centres")
    for again in (False, True):
        segmented(shop.url, replace=again, **wanted)
    assert shop.run("SELECT COUNT(*) FROM segments")[0][0] == 60
    with pytest.raises(gauger.errors.DatabaseError, match="table base is read by this command"):
        segmented(shop.url, **{**wanted, "into": "base"}, replace=True)


def test_what_fails_late_leaves_nothing(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    shop.write("base", planted(2, 60))
    shop.run("DROP TABLE IF EXISTS late", "DROP TABLE IF EXISTS late_centres")

    def broken(*_: object) -> None:
        raise gauger.errors.DatabaseError("the line went dead")

    monkeypatch.setattr("gauger.sources.databases.database_place.write_centres", broken)
    with pytest.raises(gauger.errors.DatabaseError, match="went dead"):
        segmented(shop.url, table="base", into="late", count=2, **PLAIN)
    with pytest.raises(gauger.errors.GaugerError):
        shop.run("SELECT * FROM late")


HOSTILE = (
    "select",
    "a b",
    'qu"ote',
    "it's",
    "f1",
    "segment_1",
    "Ünï",
    "x); DROP TABLE base; --",
    "%s",
    "a.b",
    ":p",
    "{x}",
)


@pytest.mark.slow
def test_any_name_is_only_a_name(shop: Shop) -> None:
    table = planted(3, 60).rename(columns={"visits": HOSTILE[0], "spend": HOSTILE[1], "age": HOSTILE[2]})
    for at, name in enumerate(HOSTILE[3:]):
        table[name] = table[HOSTILE[at % 3]] * (1.0 + at)
    table["level"] = [HOSTILE[at % 3] for at in range(60)]
    key = "key'\"; --"
    table = table.rename(columns={"who": key})
    for base, into in (('ba"se', 'my "seg"ments'), ("x'; DROP TABLE base; --", "SELECT")):
        shop.write(base, table)
        found = segmented(
            shop.url,
            table=quoted(base),
            into=quoted(into),
            key=key,
            features=list(HOSTILE),
            categories=["level"],
            count=4,
            replace=True,
        )
        assert found.sizes.sum() == 60
        named = found.model.assign(
            gauger.open_table(shop.url, table=quoted(base)), into=quoted("again'"), gate="learned", replace=True
        )
        assert named.sizes["customers"].sum() == 60
        drift = gauger.drift(found.model, gauger.open_table(shop.url, table=quoted(base)))
        assert set(drift.features["reading"]) == {"stable"}
        assert len(gauger.look(gauger.open_table(shop.url, table=quoted(base)), key=key).columns) == len(table.columns)
        assert shop.run(f"SELECT COUNT(*) FROM {quoted(base)}") == [(60,)]


def test_wrong_names_are_told(shop: Shop) -> None:
    shop.write("base", planted(4, 20))
    wanted: dict[str, Any] = {"into": "segments", "count": 2, "key": "who", "replace": True}
    with pytest.raises(gauger.errors.UnknownTableError, match="did you mean 'base'"):
        segmented(shop.url, table="bases", **wanted)
    with pytest.raises(gauger.errors.UnknownColumnError, match=r"did you mean '?visits"):
        segmented(shop.url, table="base", features=["visit"], **wanted)
    shop.run("ALTER TABLE base ADD COLUMN area TEXT", "UPDATE base SET area = 'x'")
    with pytest.raises(gauger.errors.ColumnValuesError, match="'area' has 20 values that are not a number"):
        segmented(shop.url, table="base", features=["area"], **wanted)
    with pytest.raises(gauger.errors.SettingError, match="cannot be learned in a database"):
        segmented(shop.url, table="base", features=["visits"], scale="rank", **wanted)
    shop.write("bare", planted(4, 20).head(0).astype({"who": str}))
    with pytest.raises(gauger.errors.SettingError, match="the table has no rows"):
        segmented(shop.url, table="bare", features=["visits"], **wanted)
    with pytest.raises(gauger.errors.SettingError, match="only 20 customers"):
        segmented(shop.url, table="base", features=["visits"], **{**wanted, "count": 21})


def test_customers_left_out_are_in_no_table_and_told(shop: Shop) -> None:
    table = planted(4, 60)
    table.loc[table.index[:5], "age"] = None
    shop.write("base", table)
    found = segmented(shop.url, table="base", into="segments", count=2, missing={"age": "drop"}, replace=True, **PLAIN)
    assert (found.customers, found.left_out) == (55, 5)
    assert not set(_segments(shop)["who"]) & set(table["who"][:5])
    assert [one.code for one in found.remarks] == ["customers-left-out"]


@pytest.mark.slow
def test_only_a_sample_that_was_asked_for_leaves_the_database(shop: Shop) -> None:
    table = planted(7, 300)
    shop.write("base", table)
    most: dict[str, int] = {}
    there = DatabaseTable(shop.url, "base", gauger.Execution(sample=0))
    with there.working() as place:
        fetch = place.session.fetch

        def counting(statement: str) -> list[Any]:
            rows = fetch(statement)
            most[statement] = len(rows)
            return rows

        place.session = replace(place.session, fetch=counting)
        features = gauger.prepare(there, key="who", features=["visits", "spend"])
        assert gauger.segment_by_kmeans(features, 3).profile.means.shape == (4, 2)
    of_columns = r"pg_attribute|_info|information_schema|place IN"  # and of SQLite's quantiles, values of one column
    about_customers = {told: rows for told, rows in most.items() if not re.search(of_columns, told)}
    assert max(about_customers.values()) == 3  # a row a segment, and never one a customer
    found = segmented(shop.url, table="base", into="segments", count=3, sample=50, replace=True, **PLAIN)
    assert found.sample is not None
    assert len(found.sample.codes) == 50
    assert found.sample.noun.many == "sampled customers"
    few = gauger.prepare(gauger.open_table(shop.url, table="base", execution=gauger.Execution(sample=50)), **PLAIN)
    assert set(few.keys) == set(found.sample.features.keys) <= set(table["who"])


def test_a_view_and_a_schema_are_read(postgres: str) -> None:
    shop = Shop(postgres)
    shop.run('DROP SCHEMA IF EXISTS "Week.4" CASCADE', 'CREATE SCHEMA "Week.4"')
    shop.write("plain", planted(8, 80))
    shop.run('CREATE VIEW "Week.4"."Base" AS SELECT * FROM plain WHERE visits IS NOT NULL')
    found = segmented(postgres, table='"Week.4"."Base"', into='"Week.4".segments', count=4, noun="guest", **PLAIN)
    assert found.customers == 80
    ((told,),) = shop.run("SELECT obj_description('\"Week.4\".segments'::regclass)")
    assert "4 segments of 80 guests of Week.4.Base by k-means on visits, spend, age" in told
    assert shop.run('SELECT COUNT(*) FROM "Week.4".segments_centres') == [(4,)]
    shop.run('DROP SCHEMA "Week.4" CASCADE')


KINDS = {
    "postgres": {
        "amount": ("NUMERIC(12, 2)", "'12.50'"),
        "price": ("MONEY", "'7.25'"),
        "flag": ("BOOLEAN", "TRUE"),
        "small": ("SMALLINT", "3"),
        "real": ("REAL", "1.5"),
        "who": ("UUID", "gen_random_uuid()"),
        "kind": ("CHAR(6)", "'abc'"),
        "day": ("DATE", "'2025-03-01'"),
    },
    "duckdb": {
        "amount": ("DECIMAL(12, 2)", "'12.50'"),
        "flag": ("BOOLEAN", "TRUE"),
        "small": ("UTINYINT", "3"),
        "real": ("FLOAT", "1.5"),
        "who": ("UUID", "gen_random_uuid()"),
        "kind": ("ENUM('abc', 'de')", "'abc'"),
        "day": ("DATE", "'2025-03-01'"),
        "huge": ("HUGEINT", "170"),
    },
}


@pytest.mark.parametrize("kind", ["postgres", "duckdb"])
def test_every_kind_of_number_and_key_is_taken(kind: str, request: pytest.FixtureRequest, tmp_path: Any) -> None:
    shop = own_shop(kind, request, tmp_path)
    columns = KINDS[kind]
    listed = ", ".join(f"{name} {told}" for name, (told, _) in columns.items())
    values = ", ".join(value for _, value in columns.values())
    others = ", ".join("NULL" if name in ("amount",) else value for name, (_, value) in columns.items())
    shop.run("DROP TABLE IF EXISTS kinds", f"CREATE TABLE kinds ({listed})")
    for at in range(30):
        own = (
            (others if at == 4 else values).replace("12.50", f"{at}.50").replace("'abc'", "'de'" if at % 3 else "'abc'")
        )
        shop.run(f"INSERT INTO kinds VALUES ({own})")
    measures = [name for name in columns if name not in ("who", "kind", "day")]
    found = segmented(
        shop.url,
        table="kinds",
        into="by_kind",
        key="who",
        features=measures,
        categories=["kind", "flag"][:1],
        missing={"amount": "mean"},
        count=2,
        replace=True,
    )
    assert found.customers == 30
    assert found.model.names[-2:] == ("kind_is_abc", "kind_is_de")
    assert found.profile.means.loc["everyone", "amount"] == pytest.approx(
        np.mean([at + 0.5 for at in range(30) if at != 4])
    )
    looked = gauger.look(gauger.open_table(shop.url, table="kinds"), key="who").columns
    assert looked.loc["amount", "missing"] == 1
    assert looked.loc["flag", "role"] == "constant"


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["postgres", "duckdb"])
def test_nan_is_a_gap_and_infinity_is_refused(kind: str, request: pytest.FixtureRequest, tmp_path: Any) -> None:
    shop = own_shop(kind, request, tmp_path)
    shop.write("base", planted(9, 40))
    shop.run("UPDATE base SET age = 'NaN' WHERE who IN ('M0001', 'M0002')")
    with pytest.raises(gauger.errors.MissingValuesError, match="age"):
        segmented(shop.url, table="base", into="segments", count=2, replace=True, **PLAIN)
    found = segmented(
        shop.url, table="base", into="segments", count=2, missing={"age": "median"}, replace=True, **PLAIN
    )
    assert found.profile.known.loc["everyone"].tolist() == [40, 40, 38]
    placed = found.model.assign(gauger.open_table(shop.url, table="base"), into="again", replace=True)
    assert placed.sizes["customers"].tolist() == found.sizes.tolist()
    shop.run("UPDATE base SET spend = 'Infinity' WHERE who = 'M0003'")
    with pytest.raises(gauger.errors.ColumnValuesError, match="'spend' is infinite or beyond measure in 1 row"):
        segmented(shop.url, table="base", into="segments", count=2, missing={"age": "median"}, replace=True, **PLAIN)


@pytest.mark.slow
def test_names_of_features_that_tables_have_themselves(shop: Shop) -> None:
    table = planted(9, 40).rename(columns={"visits": "Segment", "spend": "customers", "age": "distance"})
    shop.write("base", table)
    segmented(shop.url, table="base", into="segments", key="who", count=2, replace=True)
    rows = shop.run('SELECT "Segment_", "customers_", "distance", customers FROM segments_centres ORDER BY segment')
    assert len(rows) == 2
    assert sum(row[3] for row in rows) == 40


@pytest.mark.slow
def test_features_that_spoil_a_study_are_told_as_in_memory(shop: Shop) -> None:
    rng = np.random.default_rng(21)
    table = planted(21, 300)
    table["spend"] = np.round(rng.lognormal(3.0, 1.5, 300), 2)
    table["again"] = table["visits"] * 2.0 + rng.normal(0.0, 0.5, 300)
    table["same"] = 4.0
    shop.write("base", table)
    wanted: dict[str, Any] = {"key": "who", "features": ["visits", "spend", "again", "same"], "scale": "none"}
    found = segmented(shop.url, table="base", into="segments", count=2, replace=True, **wanted)
    memory = {str(one) for one in gauger.prepare(table, **wanted).remarks}
    told = {str(one) for one in found.remarks if one.code in ("constant", "heavy-tail", "correlated", "raw-scales")}
    assert {one.code for one in found.remarks} >= {"constant", "heavy-tail", "correlated"}
    assert told <= memory
    only_one = segmented(shop.url, table="base", into="segments", key="who", features=["visits"], count=2, replace=True)
    assert only_one.remarks == ()


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["postgres", "duckdb"])
def test_whom_a_nan_leaves_out_teaches_nothing(kind: str, request: pytest.FixtureRequest, tmp_path: Any) -> None:
    shop = own_shop(kind, request, tmp_path)
    table = planted(22, 60)
    table.loc[table.index[:6], ["age", "spend"]] = [None, 9_999.0]
    shop.write("base", table)
    shop.run("UPDATE base SET age = 'NaN' WHERE age IS NULL")
    wanted: dict[str, Any] = {**PLAIN, "missing": {"age": "drop"}, "cap": {"spend": (0.0, 0.9)}}
    found = segmented(shop.url, table="base", into="segments", count=2, replace=True, **wanted)
    memory = gauger.prepare(table, **wanted)
    assert found.customers == 54
    cap = found.model.features[1].treatments[1]
    assert vars(cap) == pytest.approx(vars(memory.treatments["spend"][1]))


@pytest.mark.slow
@pytest.mark.parametrize("scale", [1e-200, 1e-290, 1e140])
def test_values_of_any_size_are_segmented_as_in_memory(scale: float, shop: Shop) -> None:
    rng = np.random.default_rng(6)
    table = pd.DataFrame({"who": range(40), "visits": rng.gamma(2.0, 3.0, 40) * scale})
    shop.write("sized", table)
    memory = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2, starts=2)
    found = segmented(shop.url, table="sized", into="sizes", key="who", count=2, replace=True)
    assert found.sizes.tolist() == memory.sizes.tolist()
    spread = found.profile.standard_deviations["visits"].iloc[-1] / scale
    assert spread == pytest.approx(float((table["visits"] / scale).std()), rel=1e-9)


def test_a_small_table_starts_in_a_database_as_in_memory(shop: Shop) -> None:
    lots = [0] * 8 + [1, 3, 4, 4, -4, 8, 9, 9]
    table = pd.DataFrame([*((-3.0, lot) for lot in lots), (1e6, 0)], columns=["x", "y"]).astype(float)
    table.insert(0, "who", range(len(table)))
    shop.write("base", table)
    found = gauger.segment_by_kmeans(gauger.prepare(gauger.open_table(shop.url, table="base"), key="who"), 3)
    memory = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 3)
    assert np.array_equal(found.scaled_centres, memory.scaled_centres)
    assert found.wcss == pytest.approx(memory.wcss, rel=1e-9)
