"""Profile, look, drift and behaviour in a database beside the same of a table in memory."""

import datetime
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from own_databases import Shop, planted, segmented
from own_postgres import PASSWORD

import gauger
from gauger.profiling import Profile

PLAIN: dict[str, Any] = {"key": "who", "features": ["visits", "spend"]}
DATES = {"duckdb": "DATE", "postgres": "TIMESTAMP", "sqlite": "TEXT"}


@pytest.fixture(autouse=True)
def _password(monkeypatch: pytest.MonkeyPatch) -> None:
    """The password that plans take from the environment."""
    monkeypatch.setenv("GAUGER_PASSWORD", PASSWORD)


def _members(rows: int = 240) -> pd.DataFrame:
    table = planted(11, rows)
    rng = np.random.default_rng(12)
    table["spend_total"] = np.round(rng.lognormal(3.0, 1.5, rows), 2)
    table["again"] = table["visits"] * 0.002 + rng.normal(0.0, 0.0001, rows)
    table["balance"] = rng.normal(0.0, 5.0, rows)
    table["answer"] = rng.integers(1, 6, rows)
    table["income"] = np.array(["75-99K", "100K+", "under 75K", "unknown"])[rng.integers(0, 4, rows)]
    table["yes"] = rng.integers(0, 2, rows)
    table["same"] = "x"
    table["code"] = np.where(rng.random(rows) < 0.97, 1, rng.integers(2, 90, rows))
    table["age_then"] = np.where(rng.random(rows) < 0.2, 999, rng.integers(20, 80, rows))
    table["joined"] = pd.Timestamp("2024-01-01") + pd.to_timedelta(rng.integers(0, 900, rows), unit="D")
    table.loc[rng.random(rows) < 0.3, "balance"] = None
    table.loc[rng.random(rows) < 0.3, "income"] = None
    return table


def _written(shop: Shop, table: pd.DataFrame, name: str = "base") -> None:
    stored = table.assign(joined=table["joined"].dt.strftime("%Y-%m-%d")) if "joined" in table else table
    shop.write(name, stored, {"joined": DATES[shop.dialect]})


def test_numbers_too_small_to_square_are_profiled_as_in_memory(shop: Shop, tmp_path: Path) -> None:
    table = planted(11)
    table = table.assign(tiny=table["spend"] * 1e-200, alike=table["spend"] * 3e-200)
    _written(shop, table)
    asked: dict[str, Any] = {"key": "who", "features": ["tiny", "visits"]}
    segmented(shop.url, table="base", into="segments", count=4, replace=True, out=tmp_path / "study", **asked)
    found = gauger.open_study(tmp_path / "study").profile
    memory = gauger.profile(gauger.segment_by_kmeans(gauger.prepare(table, **asked), 4), table)
    own, other = found.drivers.loc[memory.drivers.index], memory.drivers
    np.testing.assert_allclose(own["eta_squared"], other["eta_squared"], rtol=1e-7)
    assert own.loc["tiny", "eta_squared"] > 0.5
    assert own["repeats"].to_dict() == other["repeats"].to_dict()
    assert own.loc["alike", "repeats"] == "tiny"
    deviations = found.standard_deviations["tiny"] / memory.standard_deviations["tiny"]
    np.testing.assert_allclose(deviations, 1.0, rtol=1e-7)


def test_a_profile_is_that_of_memory(shop: Shop, tmp_path: Path) -> None:
    table = _members()
    _written(shop, table)
    segmented(shop.url, table="base", into="segments", count=4, replace=True, out=tmp_path / "study", **PLAIN)
    study = gauger.open_study(tmp_path / "study")
    found = study.profile
    memory = gauger.profile(gauger.segment_by_kmeans(gauger.prepare(table, **PLAIN), 4), table)
    parts = [
        "sizes",
        "means",
        "medians",
        "lower_quartiles",
        "upper_quartiles",
        "standard_deviations",
        "index",
        "scores",
    ]
    parts += ["differences", "measures", "categories", "category_index", "known", "drivers", "associations"]
    parts += ["dates"] if shop.dialect != "sqlite" else []
    for part in parts:
        own, other = getattr(found, part), getattr(memory, part)
        own = own.reindex(index=other.index, columns=other.columns)
        numbers = other.select_dtypes("number").columns
        np.testing.assert_allclose(
            own[numbers].to_numpy(dtype=float), other[numbers].to_numpy(dtype=float), rtol=1e-7, atol=1e-9, err_msg=part
        )
        words = [name for name in other.columns if name not in numbers]
        assert own[words].astype(str).equals(other[words].astype(str)), part
    assert found.suggested_names == memory.suggested_names
    assert found.ordered == memory.ordered
    assert found.in_words(1).startswith("segment 1: ")
    assert isinstance(found, Profile)


def test_a_look_is_that_at_a_table_in_memory(shop: Shop) -> None:
    table = _members()
    _written(shop, table)
    seen = gauger.look(gauger.open_table(shop.url, table="base"), key="who")
    memory = gauger.look(table, key="who")
    columns = [name for name in memory.columns.index if shop.dialect != "sqlite" or name != "joined"]
    for name in columns:
        own, other = seen.columns.loc[name], memory.columns.loc[name]
        for part in ("role", "because", "missing", "distinct"):
            assert own[part] == other[part], (name, part)
        for part in ("min", "median", "max", "skew"):
            value = other[part]
            if isinstance(value, float) and value == value:
                assert own[part] == pytest.approx(value, rel=1e-7), (name, part)
    assert {str(one) for one in seen.remarks} == {str(one) for one in memory.remarks}


def test_others_are_assigned_as_in_memory(shop: Shop) -> None:
    table = planted(13, 120)
    shop.write("base", table)
    other = planted(14, 50).assign(visits=lambda rows: rows["visits"] * 1.4)
    other.loc[other.index[:3], "spend"] = None
    shop.write("other", other)
    model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, **PLAIN), 4))
    for gate in (None, "learned", 0.5):
        done = model.assign(gauger.open_table(shop.url, table="other"), into="placed", gate=gate, replace=True)
        rows = shop.frame(
            "SELECT who, segment, segment_name, distance, why FROM placed", "who", "code", "name", "d", "why"
        )
        both = model.assign(other, gate=gate).merge(rows, on="who")
        assert len(both) == 50
        assert (both["segment"] == both["code"]).all()
        assert (both["segment_name"] == both["name"]).all()
        assert (both["why_x"] == both["why_y"]).all()
        assert done.sizes["customers"].sum() == 50
        assert done.remarks == gauger.remarks_of(model.assign(other, gate=gate))


@pytest.mark.slow
@pytest.mark.parametrize("with_customers", [False, True])
@pytest.mark.parametrize("measures", ["all", None])
def test_behaviour_is_that_of_memory(shop: Shop, with_customers: bool, measures: str | None) -> None:
    events = gauger.read_table(gauger.demo_file("visits.csv")).head(3_000)
    members = gauger.read_table(gauger.demo_file("members.csv"))[["member_id"]]
    stored = events.assign(visited_on=events["visited_on"].dt.strftime("%Y-%m-%d"))
    shop.write("events", stored, {"visited_on": DATES[shop.dialect]})
    shop.write("people", members)
    settings: dict[str, Any] = {
        "customer": "member_id",
        "when": "visited_on",
        "amount": "ticket_spend",
        "category": "film_kind",
        "event_key": "visit_id",
        "measures": measures,
    }
    there = {"into": "behaviour", "customers": "people" if with_customers else None, "replace": True}
    if shop.dialect == "sqlite":
        with pytest.raises(gauger.errors.DatabaseError, match="SQLite has no dates"):
            gauger.summarise_events(gauger.open_table(shop.url, table="events"), **there, **settings)
        return
    made = gauger.summarise_events(gauger.open_table(shop.url, table="events"), **there, **settings)
    memory = gauger.summarise_events(events, customers=members if with_customers else None, **settings)
    found = gauger.read_table(shop.url, table="behaviour").sort_values("member_id", ignore_index=True)
    assert made.customers == len(memory) == len(found)
    assert list(made.columns) == list(memory.columns)
    for name in memory.columns:
        if pd.api.types.is_numeric_dtype(memory[name]):
            np.testing.assert_allclose(
                found[name].to_numpy(dtype=float, na_value=np.nan),
                memory[name].to_numpy(dtype=float, na_value=np.nan),
                rtol=1e-9,
                err_msg=name,
            )
        else:
            assert found[name].astype(str).equals(memory[name].astype(str)), name
    told = {one.code for one in made.remarks}
    assert told == {one.code for one in gauger.remarks_of(memory)}


def test_events_that_will_not_do_are_refused(postgres: str) -> None:
    shop = Shop(postgres)
    shop.write(
        "events",
        pd.DataFrame({"who": ["a", None], "day": ["2025-01-01", "2025-01-02"], "sum": [1.0, None]}),
        {"day": "DATE"},
    )
    there = gauger.open_table(postgres, table="events")
    wanted = {"into": "behaviour", "replace": True}
    with pytest.raises(gauger.errors.KeyColumnError, match="nobody knows whose"):
        gauger.summarise_events(there, customer="who", when="day", **wanted)
    with pytest.raises(gauger.errors.MissingValuesError, match="'sum' is missing in 1 event"):
        gauger.summarise_events(there, customer="day", when="day", amount="sum", **wanted)
    with pytest.raises(gauger.errors.ColumnValuesError, match="holds no dates"):
        gauger.summarise_events(there, customer="who", when="who", **wanted)


def test_a_study_knows_what_it_is_and_keeps_its_names(shop: Shop, tmp_path: Path) -> None:
    shop.write("base", planted(15, 120))
    folder = tmp_path / "study"
    found = segmented(shop.url, table="base", into="segments", count=4, replace=True, out=folder, **PLAIN)
    assert not (folder / "assignments.csv").exists()
    assert not any("pear" in path.read_text() for path in folder.glob("*.[tj]*"))  # a part of the password
    study = gauger.open_study(folder)
    assert study.plan.into == "segments"
    with pytest.raises(
        gauger.errors.StudyError, match=r"stay in their database.*in the table segments there.*--sample"
    ):
        _ = study.table
    assert study.model.fingerprint == found.model.fingerprint
    named = gauger.name_study(folder, {1: "it's us"})
    assert named.names[1] == "it's us"
    assert shop.run("SELECT DISTINCT segment_name FROM segments WHERE segment = 1") == [("it's us",)]
    assert shop.run("SELECT segment_name FROM segments_centres WHERE segment = 1") == [("it's us",)]
    assert named.profile.sizes.loc[1, "name"] == "it's us"
    page = gauger.write_report(folder, tmp_path / "report.html").read_text()
    assert "stay in their database" in page
    assert "120 customers" in page
    assert "Mixed up with" not in page  # nobody knows without customers
    gauger.write_workbook(folder, tmp_path / "report.xlsx")
    again = gauger.run_plan(folder / "plan.toml", tmp_path / "again", replace=True)
    assert (tmp_path / "again" / "profile" / "means.csv").exists()
    assert again.model.centres.tobytes() == study.model.centres.tobytes()
    shop.run("DROP TABLE segments")
    with pytest.raises(gauger.errors.DatabaseError, match="segment again"):
        _ = gauger.open_study(folder).profile


@pytest.mark.parametrize("rows", [2, 3])
def test_a_look_at_a_few_rows_is_that_of_memory(rows: int, shop: Shop) -> None:
    table = pd.DataFrame({"who": ["a1", "b2", "c3"], "visits": [1.0, 2.0, 7.5], "number": [1, 2, 3]})[:rows]
    shop.write("base", table)
    seen, memory = gauger.look(gauger.open_table(shop.url, table="base")), gauger.look(table)
    assert seen.columns["role"].tolist() == memory.columns["role"].tolist()
    assert seen.columns["skew"].tolist() == pytest.approx(memory.columns["skew"].tolist(), nan_ok=True)


def test_dates_from_tomorrow_on_are_counted_as_in_memory(shop: Shop) -> None:
    today = datetime.date(2026, 3, 5)
    days = [today + datetime.timedelta(days=gap) for gap in (-9, 0, 1, 1, 2, 3)]
    table = pd.DataFrame({"who": list("abcdef"), "due": [day.isoformat() for day in days]})
    shop.write("base", table, {"due": "DATE"})
    seen = gauger.look(gauger.open_table(shop.url, table="base"), today=today)
    memory = gauger.look(table.assign(due=pd.to_datetime(table["due"])), today=today)
    (told,) = (str(one) for one in memory.remarks)
    assert told.startswith("due (4) holds dates after 2026-03-05")
    assert [str(one) for one in seen.remarks] == ([] if shop.dialect == "sqlite" else [told])  # which has no dates


def test_segments_that_nobody_is_in_any_more_are_told_as_in_memory(shop: Shop) -> None:
    table = planted(5, 120)
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 4)
    now = table[seg.codes != 2].reset_index(drop=True)
    shop.write("base", now)
    found = gauger.drift(seg.model, gauger.open_table(shop.url, table="base"))
    memory = gauger.drift(seg.model, now)
    pd.testing.assert_frame_equal(found.segments, memory.segments, check_dtype=False, rtol=1e-9)
    assert memory.segments.loc[2, "share_now"] == 0.0


def test_a_feature_that_nobody_has_any_more_is_told_as_in_memory(shop: Shop) -> None:
    table = planted(5, 120)
    model = gauger.segment_by_kmeans(gauger.prepare(table, key="who", missing="median"), 4).model
    now = table.assign(spend=np.nan)
    shop.write("base", now)
    found, memory = gauger.drift(model, gauger.open_table(shop.url, table="base")), gauger.drift(model, now)
    pd.testing.assert_frame_equal(found.features, memory.features, check_dtype=False, rtol=1e-9)
    assert [str(one) for one in found.remarks] == [str(one) for one in memory.remarks]


def test_what_is_counted_is_few_or_many_in_names_as_in_memory(shop: Shop, tmp_path: Path) -> None:
    table = planted(5, 120).assign(visits=lambda own: own["visits"].round().astype(int))
    shop.write("base", table)
    segmented(shop.url, table="base", into="segments", count=4, replace=True, out=tmp_path / "study", **PLAIN)
    found = gauger.open_study(tmp_path / "study").profile
    memory = gauger.profile(gauger.segment_by_kmeans(gauger.prepare(table, **PLAIN), 4), table)
    assert found.suggested_names == memory.suggested_names
    said = " ".join(found.suggested_names.values())
    assert "visits" in said
    assert {"few", "many"} & {*said.split()}
    assert {"low", "high"} & {*said.split()}
