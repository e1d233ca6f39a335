"""The Tab key in a real bash: commands, options, columns of the table that was typed, and words."""

import gzip
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pandas as pd
import pytest

import gauger

GAUGER = Path(sys.executable).parent / "gauger"

ASK = """
source completion.sh
COMP_WORDS=({words})
COMP_CWORD=$((${{#COMP_WORDS[@]}} - 1))
_gauger_completion {program}
printf '%s\\n' "${{COMPREPLY[@]}}"
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    place = tmp_path_factory.mktemp("shell")
    table = pd.DataFrame({"member_id": ["a", "b"], "visits": [1, 2], "visits_trend": [0.1, 0.2]})
    gauger.write_table(table, place / "members.csv")
    gauger.write_table(table, place / "members.parquet")
    (place / "later.csv.gz").write_bytes(gzip.compress(b"member_id;area\na;coast\n"))
    (place / "damaged.parquet").write_bytes(b"PAR1 and nothing more")
    shown = subprocess.run(
        [GAUGER, "--show-completion", "bash"], capture_output=True, text=True, check=True, env=_environment()
    )
    (place / "completion.sh").write_text(shown.stdout)
    return place


def _environment() -> dict[str, str]:
    return {**os.environ, "SHELL": "/bin/bash", "_TYPER_COMPLETE_TEST_DISABLE_SHELL_DETECTION": "1"}


def _offered(folder: Path, *words: str) -> list[str]:
    bash = shutil.which("bash")
    assert bash
    quoted = " ".join(f"'{word}'" for word in ("gauger", *words))
    script = ASK.format(words=quoted, program=GAUGER)
    done = subprocess.run([bash, "-c", script], cwd=folder, capture_output=True, text=True, check=True)
    assert done.stderr == ""
    return done.stdout.split()


@pytest.mark.slow
def test_commands_and_options_are_completed(folder: Path) -> None:
    assert _offered(folder, "me") == ["measure"]
    assert _offered(folder, "counts", "members.csv", "--cap") == ["--cap"]


@pytest.mark.slow
@pytest.mark.parametrize("table", ["members.csv", "members.parquet"])
def test_columns_are_those_of_the_table(folder: Path, table: str) -> None:
    assert _offered(folder, "counts", table, "--key", "m") == ["member_id"]
    assert _offered(folder, "counts", table, "--features", "member_id,vis") == [
        "member_id,visits",
        "member_id,visits_trend",
    ]


@pytest.mark.slow
def test_columns_of_packed_text_and_of_the_second_table(folder: Path) -> None:
    assert _offered(folder, "features", "later.csv.gz", "--category", "") == ["member_id", "area"]
    assert _offered(folder, "handoff", "segments", "members.csv", "--columns", "visits_") == ["visits_trend"]


@pytest.mark.slow
@pytest.mark.parametrize("table", ["damaged.parquet", "nowhere.csv", "postgresql://host/shop"])
def test_a_table_that_cannot_be_read_offers_nothing(folder: Path, table: str) -> None:
    assert _offered(folder, "counts", table, "--key", "") == []


@pytest.mark.slow
def test_words_are_offered(folder: Path) -> None:
    assert _offered(folder, "segment", "members.csv", "--method", "den") == ["density", "density-levels"]
    assert _offered(folder, "tree", "members.csv", "--linkage", "w") == ["weighted", "ward"]
    assert _offered(folder, "segment", "members.csv", "--scale", "") == ["none", "zscore", "minmax", "robust", "rank"]
