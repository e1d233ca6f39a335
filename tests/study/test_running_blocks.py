"""A plan by blocks goes from files of events to assignments, and what is looked at is a sample."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger

PLAN = """
format = "gauger plan"
version = 1
key = "member_id"
made_at = "2026-01-01T00:00:00+00:00"
[events]
file = "visits/*.parquet"
when = "visited_on"
amount = "ticket_spend"
event_key = "visit_id"
[features.visits]
transform = "log"
[features.recency_days]
transform = "log"
cap = [0.0, 0.99]
[segments]
method = "kmeans"
count = 3
by_blocks = true
sample = 300
[counts]
highest = 2
"""


@pytest.mark.slow
def test_a_plan_by_blocks_runs_from_events_to_assignments(tmp_path: Path) -> None:
    visits = gauger.read_table(gauger.demo_file("visits.csv"))[:9_000]
    (tmp_path / "visits").mkdir()
    for index, rows in enumerate(np.array_split(np.arange(len(visits)), 3)):
        gauger.write_table(visits.iloc[rows], tmp_path / "visits" / f"{index}.parquet")
    (tmp_path / "plan.toml").write_text(PLAN)
    told: list[str] = []
    study = gauger.run_plan(tmp_path / "plan.toml", tmp_path / "out", tell=lambda step, _: told.append(step))
    assert told == ["Summarised", "Read", "Counts", "Segments", "Profile"]
    behaviour = gauger.summarise_events(
        visits, customer="member_id", when="visited_on", amount="ticket_spend", event_key="visit_id"
    )
    everyone = pd.concat([pd.read_parquet(path) for path in (tmp_path / "out" / "assignments").iterdir()])
    assert set(everyone["member_id"]) == set(behaviour["member_id"])
    assert len(everyone) == len(behaviour)
    assert len(study.segmentation.codes) == 300
    assert study.plan.out_of_core
    assert (tmp_path / "out" / "profile" / "means.csv").exists()
    again = gauger.run_plan(tmp_path / "plan.toml", tmp_path / "again")
    assert (again.folder / "model.json").read_bytes() == (study.folder / "model.json").read_bytes()
