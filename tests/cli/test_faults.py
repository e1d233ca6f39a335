"""What a new user gets for wrong input: one message, the right exit code, no traceback, nothing half-written."""

import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess

import numpy as np
import pandas as pd
import pytest

import gauger

Run = Callable[..., "CompletedProcess[str]"]

GOOD = "who,visits,spend\na,1,10\nb,2,30\nc,9,20\nd,8,50\n"
SEGMENT = ("segment", "t.csv", "--key", "who", "--count", "2", "--out", "out")
TREE = ("tree", "t.csv", "--key", "who", "--out", "out")
DENSITY = ("segment", "t.csv", "--key", "who", "--method", "density", "--out", "out")
LEVELS = ("segment", "t.csv", "--key", "who", "--method", "density-levels", "--out", "out")
COMPARE = ("compare", "t.csv", "--key", "who", "--out", "out", "--assignments", "t.csv")


@pytest.mark.parametrize(
    ("content", "arguments", "message"),
    [
        (None, SEGMENT, "there is no file t.csv"),
        ("", SEGMENT, "t.csv is empty"),
        ("PK\x03\x04", SEGMENT, "t.csv is not what its ending says"),
        (GOOD, ("segment", "t.csv", "--key", "whom", *SEGMENT[4:]), "did you mean 'who'?"),
        (GOOD, (*SEGMENT, "--features", "vists"), "did you mean 'visits'?"),
        (GOOD + "a,3,4\n", SEGMENT, "the key 'who' repeats in data row 5 (1 row too many)"),
        (GOOD + ",3,4\n", SEGMENT, "the key 'who' is missing in 1 row (data row 5)"),
        (GOOD + "e,many,4\n", (*SEGMENT, "--features", "visits"), "1 value that is not a number, written like 'aaaa'"),
        (GOOD + "e,inf,4\n", SEGMENT, "'visits' is infinite or beyond measure in 1 row (data row 5)"),
        ("who,visits\na,\nb,\n", SEGMENT, "'visits' has no value for any customer"),
        (GOOD, (*SEGMENT[:4], "--count", "9", "--out", "out"), "9 segments asked for, but there are only 4 customers"),
        (GOOD, (*SEGMENT, "--seeding", "best"), "--seeding 'best' is none of kmeans++, random or first"),
        (GOOD, (*SEGMENT, "--learn-on", "-3"), "--learn-on -3.0 must be above 0"),
        (GOOD, (*DENSITY, "--radius", "0"), "--radius 0.0 must be above 0"),
        (GOOD, (*DENSITY, "--radius", "inf"), "--radius must be a number, not inf"),
        (GOOD, (*DENSITY, "--radius", "1", "--min-points", "5"), "min_points=5 must be a whole number from 2"),
        (GOOD, (*DENSITY, "--coarseness", "1.5"), "--coarseness 1.5 must be at most 1"),
        (GOOD, (*DENSITY, "--metric", "city_blok"), "did you mean city_block?"),
        (GOOD, (*DENSITY, "--radius", "1", "--label", "x"), "there is no customer 'x' to label"),
        (GOOD, (*LEVELS, "--smallest", "1"), "--smallest 1 must be at least 2"),
        (GOOD, ("radius", "t.csv", "--key", "who", "--min-points", "4,x"), "must be whole numbers with commas"),
        ("who,visits\na,1\nb,1\nc,1\nd,1\n", ("radius", "t.csv", "--key", "who"), "all customers are equal"),
        ("who,visits\na,1\nb,2\n", ("radius", "t.csv", "--key", "who"), "needs 4 min points"),
        (GOOD, (*COMPARE, "--against", "no.csv"), "there is no column 'segment'"),
        (GOOD, ("counts", "t.csv", "--key", "who"), "counts go up to 10, but there are only 4 customers"),
        (GOOD, ("counts", "t.csv", "--key", "who", "--from", "3", "--to", "2"), "counts is empty"),
        (GOOD, (*SEGMENT[:-1], "t.csv"), "cannot write into t.csv"),
        (GOOD, (*TREE, "--linkage", "wards"), "--linkage 'wards' is none of"),
        (GOOD, (*TREE, "--metric", "cosine", "--linkage", "ward"), "linkage='ward' needs Euclidean geometry"),
        (GOOD, (*TREE, "--height", "300"), "height=300 is outside the tree: merges lie between"),
        (GOOD, (*TREE, "--count", "5"), "count=5 must be a whole number from 1 to 4"),
        (GOOD, ("features", "t.csv", "--customer", "who", "--when", "visits", "--out", "b.csv"), "not dates"),
        (GOOD, ("profile", "t.csv", "--key", "who", "--assignments", "t.csv"), "there is no column 'segment'"),
    ],
)
def test_one_message_exit_code_1_and_nothing_written(
    command: Run, tmp_path: Path, content: str | None, arguments: tuple[str, ...], message: str
) -> None:
    if content is not None:
        (tmp_path / "t.csv").write_text(content)
    before = sorted(tmp_path.iterdir())
    shown = command(*arguments)
    assert shown.returncode == 1
    assert message in " ".join(shown.stderr.split())
    assert shown.stderr.count("gauger: ") == 1
    assert "Traceback" not in shown.stderr
    assert sorted(tmp_path.iterdir()) == before


@pytest.mark.parametrize(
    "arguments",
    [
        ("sgment",),
        ("segment",),
        ("segment", "t.csv"),
        (*SEGMENT[:4], "--count", "few", "--out", "o"),
        (*SEGMENT, "--over", "visits"),
        (*SEGMENT[:4], "--out", "o"),
        (*SEGMENT, "--method", "densty"),
        (*SEGMENT, "--radius", "2"),
        (*DENSITY, "--count", "2"),
        (*DENSITY, "--learn-on", "0.5"),
        (*LEVELS, "--seeding", "random"),
        (*DENSITY, "--radius", "2", "--coarseness", "0.5"),
        (*LEVELS, "--radius", "2"),
        (*COMPARE, "--against", "t.csv"),
    ],
)
def test_wrong_usage_has_exit_code_2(command: Run, tmp_path: Path, arguments: tuple[str, ...]) -> None:
    (tmp_path / "t.csv").write_text(GOOD)
    shown = command(*arguments)
    assert shown.returncode == 2
    assert "Usage: gauger" in shown.stderr
    assert "Traceback" not in shown.stderr


def test_results_are_kept_unless_replace_is_said(command: Run, tmp_path: Path) -> None:
    (tmp_path / "events.csv").write_text("who,day\na,2025-01-01\n")
    again = ("features", "events.csv", "--customer", "who", "--when", "day", "--out", "b.csv")
    (tmp_path / "b.csv").write_text("mine")
    refused = command(*again)
    assert refused.returncode == 1
    assert "b.csv is there already. Nothing was written" in " ".join(refused.stderr.split())
    assert (tmp_path / "b.csv").read_text() == "mine"
    assert command(*again, "--replace").returncode == 0
    assert (tmp_path / "b.csv").read_text().startswith("who,recency_days")


def test_cautions_travel_to_stderr(command: Run, tmp_path: Path) -> None:
    rows = "".join(f"c{row},{row % 7},{row * 997 % 1000 * 1000}\n" for row in range(300))
    (tmp_path / "t.csv").write_text("who,visits,spend\n" + rows + "x,5000,1\n")
    quickly = ("--from", "3", "--to", "4", "--starts", "1", "--max-iterations", "1")
    shown = command("counts", "t.csv", "--key", "who", "--scale", "none", *quickly)
    assert "remark: the features are on very different scales" in shown.stderr
    assert "still moving" in " ".join(shown.stderr.split())
    assert "remark" not in shown.stdout


def _start_long_study(tmp_path: Path) -> "subprocess.Popen[str]":
    rng = np.random.default_rng(0)
    table = pd.DataFrame(rng.normal(size=(200_000, 4)), columns=list("abcd")).assign(who=range(200_000))
    gauger.write_table(table, tmp_path / "large.parquet")
    process = subprocess.Popen(
        [sys.executable, "-m", "gauger", "counts", "large.parquet", "--key", "who", "--out", "out/study"],
        cwd=tmp_path,
        stderr=subprocess.PIPE,
        stdout=subprocess.DEVNULL,
        text=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )
    deadline = time.monotonic() + 60
    while not list(tmp_path.glob("out/study/.gauger-*")):
        assert time.monotonic() < deadline
        assert process.poll() is None
        time.sleep(0.01)
    return process


@pytest.mark.slow
def test_ctrl_c_stops_with_one_message_and_leaves_nothing(tmp_path: Path) -> None:
    process = _start_long_study(tmp_path)
    process.send_signal(signal.SIGINT)
    _, errors = process.communicate(timeout=60)
    assert process.returncode == 130
    assert errors.strip() == "gauger: stopped by Ctrl-C. Nothing was written."
    assert not (tmp_path / "out").exists()


@pytest.mark.slow
def test_a_kill_leaves_no_result_that_looks_whole(tmp_path: Path) -> None:
    process = _start_long_study(tmp_path)
    process.kill()
    process.communicate(timeout=60)
    assert [path.name for path in (tmp_path / "out" / "study").iterdir() if not path.name.startswith(".")] == []
