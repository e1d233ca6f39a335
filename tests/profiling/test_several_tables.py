"""Behaviour and another table are described together, each measure once."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import KeyColumnError, SettingError, UnknownColumnError

OWN = pd.DataFrame(
    {"who": range(40), "visits": [1, 2, 3, 4, 21, 22, 23, 24] * 5, "spend_total": np.arange(40) * 2.0, "age": 30.0}
)
OTHER = pd.DataFrame({"who": range(40), "age": 20.0 + np.arange(40) % 9, "tenure": np.arange(40) % 7})


def _segments() -> gauger.Segmentation:
    return gauger.segment_by_kmeans(gauger.prepare(OWN, key="who", features=["visits"]), 2)


def test_each_column_is_described_once_as_the_first_table_has_it() -> None:
    found = gauger.profile(_segments(), [OWN.drop(columns="age"), OTHER], resamples=0)
    assert list(found.means) == ["visits", "spend_total", "age", "tenure"]
    first = gauger.profile(_segments(), [OTHER, OWN.drop(columns="spend_total")], resamples=0)
    assert first.means.loc["everyone", "age"] == pytest.approx(OTHER["age"].mean())
    given = pd.DataFrame({"who": range(40), "segment": _segments().codes})
    told = gauger.profile_assignments(given, [OWN.drop(columns="age"), OTHER], key="who")
    assert list(told.means) == ["visits", "spend_total", "age", "tenure"]


@pytest.mark.parametrize(
    ("other", "error"),
    [
        (OTHER.rename(columns={"who": "id"}), UnknownColumnError),
        (pd.concat([OTHER, OTHER]), KeyColumnError),
        (OTHER.assign(who=OTHER["who"] + 1_000), SettingError),
    ],
)
def test_a_table_that_cannot_be_matched_is_refused(other: pd.DataFrame, error: type[Exception]) -> None:
    with pytest.raises(error):
        gauger.profile(_segments(), [OWN, other], resamples=0)


def test_a_plan_s_other_table_is_shown_next_to_the_behaviour_by_every_command(tmp_path: Path) -> None:
    OWN.drop(columns="age").to_csv(tmp_path / "own.csv", index=False)
    OTHER.to_csv(tmp_path / "other.csv", index=False)
    plan = """
key = "who"
[source]
file = "own.csv"
[features.visits]
[segments]
count = 2
[profile.table]
file = "other.csv"
[report]
title = "Who comes how often"
"""
    (tmp_path / "plan.toml").write_text(plan)
    study = gauger.run_plan(tmp_path / "plan.toml", tmp_path / "study")
    written = gauger.read_table(tmp_path / "study" / "profile" / "means.csv")
    for name in ("visits", "spend_total", "age", "tenure"):
        assert name in written.columns or name in written.iloc[:, 0].tolist()
        assert name in study.profile.means
    gauger.write_report(tmp_path / "study", tmp_path / "page.html")
    page = (tmp_path / "page.html").read_text()
    assert "Who comes how often" in page
    assert "spend_total" in page
    assert "tenure" in page
