"""Drafts of plans: every column has its place with a reason, and every proposal is what the remarks ask for."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError
from gauger.study.plan_files import plan_from_text

RNG = np.random.default_rng(8)
N = 400
VISITS = RNG.gamma(0.7, 6.0, N).round() + 1
TABLE = pd.DataFrame(
    {
        "who": [f"m{row:05d}" for row in range(N)],
        "visits": VISITS.astype(int),
        "spend": np.exp(RNG.normal(3.0, 1.2, N)).round(2),
        "spend_in_cents": 0.0,
        "balance": RNG.normal(0.0, 50.0, N).round(2),
        "age": np.where(RNG.random(N) < 0.1, np.nan, RNG.integers(18, 80, N)),
        "score": np.where(RNG.random(N) < 0.05, 999, RNG.integers(20, 90, N)),
        "rating": RNG.integers(1, 6, N),
        "area": RNG.choice(["north", "south"], N),
        "joined": pd.date_range("2020-01-01", periods=N),
        "app": RNG.integers(0, 2, N),
        "country": "X",
        "mostly": np.where(RNG.random(N) < 0.8, np.nan, RNG.random(N)),
        "bins": np.where(RNG.random(N) < 0.97, 0.0, RNG.random(N)),
    }
).assign(spend_in_cents=lambda table: table["spend"] * 100.0)


@pytest.fixture(scope="module")
def draft(tmp_path_factory: pytest.TempPathFactory) -> gauger.PlanDraft:
    folder = tmp_path_factory.mktemp("draft")
    source = gauger.write_table(TABLE, folder / "members.csv")
    return gauger.draft_plan(source, key="who", beside=folder)


def test_every_column_is_a_feature_or_left_out_with_a_reason(draft: gauger.PlanDraft) -> None:
    assert {*draft.plan.features, *draft.left_out, "who"} == set(TABLE.columns)
    assert list(draft.plan.features) == ["visits", "spend", "balance", "age", "score"]
    for name, why in (
        ("spend_in_cents", "it says the same as spend (r = 1.00)"),
        ("rating", "a code in steps"),
        ("joined", "a date"),
        ("app", "a flag: a filter"),
        ("country", "the same for everyone"),
        ("mostly", "missing for 8"),
        ("bins", "nearly the same for everyone"),
    ):
        assert why in draft.left_out[name], name
        assert f"#   {name}: " in draft.text


def test_each_proposal_is_what_the_remarks_would_ask_for(draft: gauger.PlanDraft) -> None:
    plan = draft.plan
    assert plan.features["spend"].transform == "log"
    assert plan.features["visits"].transform == "log"
    assert plan.features["balance"].transform is None
    assert plan.features["age"].missing == plan.features["score"].missing == "median"
    assert plan.source.as_missing == {"score": "999"}
    assert 'transform = "log" # a long tail (skew' in draft.text
    left = {remark.code for remark in draft.remarks}
    assert not left & {
        "heavy-tail",
        "correlated",
        "code-as-measure",
        "constant",
        "near-constant",
        "sentinel",
        "raw-scales",
    }


def test_a_draft_is_a_plan_that_reads_back_and_runs(draft: gauger.PlanDraft, tmp_path: Path) -> None:
    assert plan_from_text(draft.text, Path("plan.toml")) == draft.plan
    source = gauger.write_table(TABLE, tmp_path / "members.csv")
    made = gauger.draft_plan(source, key="who", beside=tmp_path)
    assert made.plan.source.file == "members.csv"
    text = made.text.replace('count = "auto"', "count = 2").replace("starts = 10", "starts = 1")
    optional = text.index("# [profile.table]")
    said = "\n".join(line.removeprefix("#").removeprefix(" ") for line in text[optional:].split("\n"))
    assert plan_from_text(text[:optional] + said, Path("plan.toml")).remarks.refuse == ["raw-scales", "few-customers"]


def test_behaviour_is_drafted_from_events_and_their_only_dates(tmp_path: Path) -> None:
    visits = {"file": gauger.demo_file("visits.csv"), "amount": "ticket_spend", "event_key": "visit_id"}
    made = gauger.draft_plan(None, key="member_id", events=visits, beside=tmp_path)
    assert made.plan.events.when == "visited_on"
    assert made.plan.source is None
    assert {"recency_days", "visits", "spend_mean"} <= set(made.plan.features)
    with pytest.raises(SettingError, match="say where the events are"):
        gauger.draft_plan(None, key="member_id", events={"when": "x"})
    with pytest.raises(SettingError, match="say which customers"):
        gauger.draft_plan(None, key="member_id")


def test_a_table_without_measures_is_told_so() -> None:
    with pytest.raises(SettingError, match="nothing in the table can be a feature"):
        gauger.draft_plan(TABLE[["who", "area", "joined", "country"]], key="who")


def test_a_strangers_names_and_levels_stay_comments(tmp_path: Path) -> None:
    table = TABLE[["who", "visits", "spend"]].assign(**{"odd\n[x]\x1b": RNG.choice(["a", "b"], N), '"]': RNG.random(N)})
    made = gauger.draft_plan(table, key="who", beside=tmp_path)
    assert plan_from_text(made.text, Path("plan.toml")) == made.plan
    assert "\x1b" not in made.text
