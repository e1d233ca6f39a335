"""Whatever data hold is shown as text: brackets, escapes, marks that turn text around, dollars, HTML."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.wording import visible
from tests.conftest import Run

NAMES = ("spend [/month]", "spend [eur]", "cost $a$ b_{x", "bell\x07 \x9b31m", "<img src=x>")
LEVELS = ("[red]", "a\u202eb", "$x_ \x1b[2J")


@pytest.fixture(scope="module")
def table() -> pd.DataFrame:
    rng = np.random.default_rng(0)
    group = rng.integers(0, 3, 200)
    columns = {name: rng.gamma(2.0, 20.0, 200) * (group + 1) for name in NAMES}
    return pd.DataFrame({"who": [f"c{at}\x1b[31m" for at in range(200)], **columns, "lvl": np.array(LEVELS)[group]})


@pytest.mark.slow
def test_the_command_shows_names_and_levels_as_they_are_and_no_control_signs(
    command: Run, tmp_path: Path, table: pd.DataFrame
) -> None:
    gauger.write_table(table, tmp_path / "t.csv")
    runs = {
        "look": ("look", "t.csv", "--key", "who"),
        "segment": ("segment", "t.csv", "--key", "who", "--count", 3, "--categories", "lvl", "--out", "s"),
        "profile": ("profile", "t.csv", "--key", "who", "--assignments", "s/assignments.csv", "--members", 1),
    }
    for name, words in runs.items():
        shown = command(*words)
        assert (shown.returncode, "Traceback" in shown.stderr) == (0, False), shown.stderr
        assert not any(sign in shown.stdout + shown.stderr for sign in ("\x1b", "\x9b", "\x07", "\u202e"))
        if name != "profile":
            assert "spend [/month]" in shown.stdout
            assert "spend [eur]" in shown.stdout
            assert "\\x9b31m" in shown.stdout


@pytest.mark.slow
def test_a_result_prints_itself_without_control_signs(table: pd.DataFrame) -> None:
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", categories=["lvl"]), 3)
    for told in (seg, gauger.profile(seg), gauger.look(table, key="who"), seg.features):
        assert not any(sign in repr(told) for sign in ("\x1b", "\x9b", "\x07", "\u202e"))
        assert "<img src=x" not in told._repr_html_()
    assert visible("a\x1b[31m\u202eb\nc é") == "a\\x1b[31m\\u202eb\nc é"


@pytest.mark.slow
def test_figures_take_no_name_for_a_formula(table: pd.DataFrame, tmp_path: Path) -> None:
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", categories=["lvl"]), 3)
    for index, figure in enumerate(
        (gauger.draw.scatter(seg), gauger.draw.profile_bars(gauger.profile(seg, table)), gauger.draw.pair_grid(seg))
    ):
        figure.savefig(tmp_path / f"{index}.png")


def test_an_advice_shows_itself_in_a_notebook(table: pd.DataFrame) -> None:
    study = gauger.study_counts(gauger.prepare(table, key="who", features=list(NAMES)), counts=range(1, 4))
    shown = study.advice._repr_html_()
    assert study.advice.headline() in shown.replace("&#x27;", "'")
    assert "<img" not in shown
    assert shown.count("<li>") == len(study.advice.sentences())
