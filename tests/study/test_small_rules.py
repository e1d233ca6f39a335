"""Small rules of studies and plans: which databases are approved, which dates are taken, what places are refused."""

from dataclasses import fields, replace
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from pydantic import ValidationError

import gauger
from gauger.errors import OutputError, PlanError, SettingError
from gauger.study import proposals
from gauger.study.drafting import _only_date
from gauger.study.plan_files import plan_from_text, text_of
from gauger.study.plan_parts import CountsPart, FeaturePart, HandOffPart, SourcePart, TreePart
from gauger.study.proposals import Proposal
from gauger.study.results import study_results
from gauger.study.saving import _period
from gauger.study.sources import connections_of, moved_part
from gauger.study.study_files import read_assignments

PLAN = """
key = "who"
[source]
url = "postgresql://shop/base"
table = "base"
[profile.table]
url = "postgresql://shop/base"
query = "SELECT 1"
[segments]
method = "kmeans"
count = 2
[[compare]]
column = "area"
table = { url = "postgresql://shop/areas", table = "areas" }
[hand_off]
campaign = "tea"
format = "postgresql://shop/out"
contacts = { file = "contacts.csv" }
suppress = { url = "postgresql://shop/never", table = "never" }
"""

DAYS = pd.to_datetime(["2025-01-01", "2025-02-01"])


@pytest.mark.parametrize(
    ("columns", "words"),
    [
        ({"paid": [1.0, 2.0]}, "; no column holds dates."),
        ({"day": DAYS, "due": DAYS}, "; day and due hold dates."),
    ],
)
def test_without_a_single_column_of_dates_one_must_be_named(columns: dict[str, object], words: str) -> None:
    table = pd.DataFrame({"who": ["a", "b"], **columns})
    with pytest.raises(SettingError, match="say when events happened") as refused:
        _only_date(table, "who")
    assert str(refused.value).endswith(words)
    assert _only_date(table.assign(day=DAYS).drop(columns="due", errors="ignore"), "who") == "day"


@pytest.mark.parametrize("into", [True, False])
def test_every_database_of_a_plan_is_approved_with_what_it_does_there(into: bool) -> None:
    written = 'into = "placed"' if into else ""
    plan = plan_from_text(PLAN.replace("count = 2", f"count = 2\n{written}"), Path("plan.toml"))
    found = {one.named: (one.url.rpartition("/")[2], one.writes, one.query) for one in connections_of(plan)}
    assert found == {
        "source": ("base", into, None),
        "profile.table": ("base", False, "SELECT 1"),
        "compare.table 1": ("areas", False, None),
        "hand_off.suppress": ("never", False, None),
        "hand_off": ("out", True, None),
    }


@pytest.mark.parametrize(("customers", "found"), [(3, ("a", "b", -1.0)), (2, None)])
def test_features_are_alike_from_three_customers_on(customers: int, found: tuple[str, str, float] | None) -> None:
    values = np.array([0.0, 1.0, 5.0])[:customers]
    table = pd.DataFrame({"who": range(customers), "a": values, "b": -values})
    assert proposals._most_alike(gauger.prepare(table, key="who")) == (found if found is None else pytest.approx(found))


@pytest.mark.parametrize("of_events", [True, False])
def test_a_meaning_of_gaps_names_the_others_unless_behaviour_has_them(of_events: bool) -> None:
    table = pd.DataFrame({"who": range(8), "visits": [1.0, np.nan, *range(6)]})
    found = proposals._filled(table, Proposal({"visits": FeaturePart()}), of_events)
    why = found.reasons["visits"]["missing"]
    assert why.startswith("1 customer lacks it (12%): taken as usual")
    assert ('"zero" if nothing happened' in why) is not of_events


def test_a_value_is_far_from_its_bound_on(monkeypatch: pytest.MonkeyPatch) -> None:
    features = gauger.prepare(
        pd.DataFrame({"who": range(9), "a": [0.0] * 8 + [9.0], "b": [*range(9)]}), key="who", scale="none"
    )
    found = Proposal({"a": FeaturePart(), "b": FeaturePart()})
    spread = features.values.std(axis=0)
    far = (np.abs(features.values - features.values.mean(axis=0)).max(axis=0) / spread).tolist()
    for bound, capped in ((far[1], ["a", "b"]), (np.nextafter(far[1], np.inf), ["a"])):
        monkeypatch.setattr(proposals, "_FAR", bound)
        better = proposals._with_caps(found, features)
        assert better is not None
        assert [name for name, part in better.features.items() if part.cap] == capped


@pytest.mark.parametrize(("first", "period"), [("2025-01-01", ["2025-01-01", "2026-01-01"]), (None, None)])
def test_a_period_has_both_ends(first: str | None, period: list[str] | None) -> None:
    table = pd.DataFrame({"who": [1]})
    table.attrs = {"as_of": "2026-01-01", "first": first}
    assert _period(table) == period


def test_where_a_study_of_everyone_goes_is_asked_for_in_words(tmp_path: Path) -> None:
    table = pd.DataFrame({"who": [f"c{at:02}" for at in range(30)], "visits": np.arange(30.0) % 7})
    gauger.write_table(table, tmp_path / "base.parquet")
    base = gauger.open_table(tmp_path / "base.parquet", execution=gauger.Execution(sample=10))
    seg = gauger.segment_by_kmeans(gauger.prepare(base, key="who"), 2)
    for wrong, words in (
        ({"source": table}, "an open table is its own source"),
        ({"reading": {}}, "an open table is its own source"),
        ({"into": "placed"}, "names a table of a database"),
        ({"format": "xlsx"}, "format"),
    ):
        with pytest.raises(SettingError, match=words):
            gauger.save_study(seg, tmp_path / "out", **wrong)
    own = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    with pytest.raises(SettingError, match="into= is for customers who stay in a database"):
        gauger.save_study(own, tmp_path / "out", into="placed")
    with pytest.raises(SettingError, match="nobody is in a segment: there is nothing to report"):
        gauger.write_report(
            replace(own, codes=own.codes * 0, scaled_centres=own.scaled_centres[:0]), tmp_path / "a.html"
        )
    assert sorted(path.name for path in tmp_path.iterdir()) == ["base.parquet"]


def test_what_a_plan_leaves_out_is_as_the_functions_have_it() -> None:
    counts = {"lowest": 1, "highest": 10, "starts": 10, "max_iterations": 300, "seed": 0}
    assert CountsPart().model_dump() == counts
    tree = TreePart(method="tree").model_dump(exclude_none=True)
    assert tree == {"method": "tree", "ward_heights": "distance", "optimal_order": False, "p": 3.0, "seed": 0}
    handed = HandOffPart(contacts=SourcePart(file="a.csv"), campaign="tea")
    rules = {one.name: one.default for one in fields(gauger.HandOffRules)}
    for name in ("holdout", "consent", "refusal_binds", "sub_addresses", "unreadable", "min_size", "address", "seed"):
        assert getattr(handed, name) == rules[name], name


def test_a_part_of_a_plan_takes_nothing_for_another_type_and_is_never_changed() -> None:
    for wrong in ({"starts": "3"}, {"starts": True}, {"starts": 2.0}, {"strats": 2}):
        with pytest.raises(ValidationError):
            CountsPart.model_validate(wrong)
    with pytest.raises(ValidationError):
        CountsPart().starts = 3


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        ('method = "kmean"', "did you mean kmeans\\?$"),
        ('method = "kmeans"\ncount = 2\nseding = "random"', r"segments.seding: .*did you mean seeding"),
        ('method = "density"\nraduis = 2', r"segments.raduis: .*did you mean radius\?$"),
        ('method = "kmeans"\ncount = 2\nradius = 2', "segments.radius: there is no such setting$"),
        ('method = "tree"\nlinkage = "wrad"', r"'wrad' is none of .*did you mean ward\?$"),
    ],
)
def test_what_was_meant_is_among_the_settings_of_the_method(wrong: str, words: str) -> None:
    with pytest.raises(PlanError, match=words):
        plan_from_text(f'key = "who"\n[source]\nfile = "base.csv"\n[segments]\n{wrong}\n', Path("plan.toml"))


def test_features_are_written_one_by_one_and_a_source_in_a_database_stays_where_it_is() -> None:
    plan = plan_from_text(PLAN, Path("plan.toml"))
    written = text_of(plan.model_copy(update={"features": {"visits": FeaturePart()}}))
    assert "[features.visits]" in written
    assert "[features]" not in written
    assert "[source]" in written
    assert plan.source is not None
    assert moved_part(plan.source, Path("a"), Path("b")) is plan.source
    assert moved_part(SourcePart(file="base.csv"), Path("a"), Path("a/b")).file == "../base.csv"


def test_keys_that_parts_have_as_numbers_can_be_read_as_text(tmp_path: Path) -> None:
    for keys, name in (([7, 8], "numbers"), (["7", "8"], "text")):
        (tmp_path / name / "assignments").mkdir(parents=True)
        placed = pd.DataFrame({"who": keys, "segment": [1, 2]})
        gauger.write_table(placed, tmp_path / name / "assignments" / "0.parquet")
        assert read_assignments(tmp_path / name, keys_as_text="who")["who"].tolist() == ["7", "8"]
        assert read_assignments(tmp_path / name)["who"].tolist() == keys


def test_a_study_never_replaces_what_it_is_made_of(tmp_path: Path) -> None:
    table = pd.DataFrame({"who": list("abcd"), "visits": [1, 2, 8, 9]})
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    centres = gauger.save_study(seg, tmp_path / "out", source=table).folder / "centres.csv"
    before = centres.read_bytes()
    with (
        pytest.raises(OutputError, match=r"centres\.csv"),
        study_results(tmp_path / "out", replace=True, sources=[centres]),
    ):
        raise AssertionError
    assert centres.read_bytes() == before
