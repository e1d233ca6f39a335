"""Where the count is left to the advice and there is one group, nothing is written and the ways on are named."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from typer.testing import CliRunner

import gauger
from gauger.cli.app import app
from gauger.errors import NoGroupsError


@pytest.fixture(scope="module")
def cloud(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("cloud")
    rng = np.random.default_rng(3)
    table = pd.DataFrame({"who": range(500), "visits": rng.normal(20.0, 3.0, 500), "spend": rng.normal(9.0, 1.0, 500)})
    table.to_csv(folder / "cloud.csv", index=False)
    (folder / "plan.toml").write_text(
        'key = "who"\n[source]\nfile = "cloud.csv"\n[features.visits]\n[features.spend]\n[counts]\nhighest = 4\n'
    )
    return folder


def test_segment_stops_with_the_advice_and_the_ways_on(cloud: Path) -> None:
    out = ["--count", "auto", "--out", str(cloud / "segments")]
    told = CliRunner().invoke(app, ["segment", str(cloud / "cloud.csv"), "--key", "who", *out])
    assert told.exit_code == 1
    assert not (cloud / "segments").exists()
    said = " ".join(told.output.split())
    assert "no groups were found: no structure." in said
    assert "--method bands" in said
    assert "--count 4" in said
    assert "like everyone" not in said


def test_a_plan_that_leaves_the_count_to_the_advice_stops_too_and_one_that_says_a_count_goes_on(cloud: Path) -> None:
    for method in ("kmeans", "tree"):
        own = (cloud / "plan.toml").read_text() + f'[segments]\nmethod = "{method}"\n'
        (cloud / "own.toml").write_text(own)
        with pytest.raises(NoGroupsError, match="no groups were found"):
            gauger.run_plan(cloud / "own.toml", cloud / "study")
    with pytest.raises(NoGroupsError, match="no more clustered than one cloud"):
        gauger.run_plan(cloud / "plan.toml", cloud / "study")
    assert not (cloud / "study").exists()
    plan = (cloud / "plan.toml").read_text() + "[segments]\ncount = 3\n"
    (cloud / "three.toml").write_text(plan)
    assert gauger.run_plan(cloud / "three.toml", cloud / "three").segmentation.count == 3
