"""The command line on studies and plans: nothing typed twice, what is typed wins and says so."""

import re
import shlex
import shutil
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess

import pandas as pd
import pytest

import gauger

Run = Callable[..., "CompletedProcess[str]"]


@pytest.fixture
def place(tmp_path: Path) -> Path:
    for name in ("members.csv", "visits.csv"):
        shutil.copy(gauger.demo_file(name), tmp_path / name)
    return tmp_path


@pytest.fixture
def few(tmp_path: Path, behaviour: pd.DataFrame) -> Path:
    few = behaviour[["member_id", "recency_days", "visits", "spend_mean"]].head(400)
    return gauger.write_table(few, tmp_path / "few.csv")


def _ok(shown: "CompletedProcess[str]") -> str:
    assert shown.returncode == 0, shown.stderr
    assert "Traceback" not in shown.stderr
    return " ".join(shown.stdout.split())


@pytest.mark.slow
def test_the_walk_of_the_readme_types_no_option_twice(command: Run, place: Path) -> None:
    """From events to audiences: every command after the plan knows what it needs."""
    readme = (Path(__file__).parents[2] / "README.md").read_text()
    (walk,) = re.findall(r"<!-- walk -->\n```sh\n(.*?)```", readme, re.S)
    lines = [line.split("#")[0].strip() for line in walk.splitlines() if line.startswith("gauger ")]
    assert [line.split()[1] for line in lines] == [
        *("look", "plan", "counts", "segment", "name", "profile", "report", "handoff"),
    ]
    typed = [word.split("=")[0] for line in lines for word in shlex.split(line) if word.startswith("--")]
    told = [word for word in typed if word not in ("--out", "--plan")]
    assert len(told) == len(set(told))
    for line in lines:
        _ok(command(*shlex.split(line)[1:]))
    named = gauger.open_study(place / "segments").names
    assert "regulars" in named.values()
    audiences = list((place / "autumn").glob("*.csv"))
    assert any("regulars" in path.read_text() for path in audiences)


def test_later_commands_take_the_folder_and_ask_for_nothing(command: Run, few: Path, tmp_path: Path) -> None:
    options = ("--key", "member_id", "--transform", "visits=log", "--cap", "0,0.99")
    _ok(command("segment", few.name, *options, "--count", 3, "--starts", 1, "--out", "s"))
    told = _ok(command("counts", "s", "--to", 3, "--starts", 1))
    assert "As s says." in told
    assert "gauger segment s --count" in told
    told = _ok(command("profile", "s"))
    assert "apart by" in told
    assert "3 segments of 400 members" in told
    assert "Index of the means" not in told
    told = _ok(command("profile", "s", "--members", "2", "--where", "visits >= 5"))
    assert "members in segment 2 with visits >= 5" in told
    _ok(command("tree", "s", "--condense", 20, "--out", "t"))
    assert gauger.open_study(tmp_path / "t").model.method == "Ward's linkage"
    assert "agree, adjusted Rand" in _ok(command("compare", "s", "t"))
    assert "Cramér's V" in _ok(command("compare", "s", "--column", "area", "--table", gauger.demo_file("members.csv")))
    assert "400 members assigned" in _ok(command("assign", "s", few.name, "--out", "a.csv"))
    assert "Advice" in _ok(command("drift", "s", few.name))
    told = _ok(command("migrate", "s", "t", "--value", "spend_mean", "--out", "m"))
    assert "by chance" in told
    assert "Their worth" in told
    assert {path.name for path in (tmp_path / "m").iterdir()} == {
        *("crossing.csv", "flows.csv", "customers.csv", "new-and-lost.csv", "flow.png", "worth.csv"),
    }


def test_what_is_typed_wins_over_the_plan_and_says_so(command: Run, few: Path, tmp_path: Path) -> None:
    _ok(command("plan", few.name, "--key", "member_id", "--out", "plan.toml"))
    told = _ok(command("segment", "--plan", "plan.toml", "--count", 2, "--scale", "robust", "--out", "s"))
    assert "As plan.toml says, but for --scale robust." in told
    plan = gauger.read_plan(tmp_path / "s" / "plan.toml")
    assert {part.scale for part in plan.features.values()} == {"robust"}
    assert plan.features["visits"].transform == "log"
    _ok(command("segment", "s", "--features", "visits,spend_mean", "--transform", "visits=sqrt", "--out", "s2"))
    plan = gauger.read_plan(tmp_path / "s2" / "plan.toml")
    assert list(plan.features) == ["visits", "spend_mean"]
    assert (plan.features["visits"].transform, plan.features["visits"].scale) == ("sqrt", "robust")
    assert plan.segments.count == 2


def test_what_a_plan_refuses_is_refused_by_every_command(command: Run, few: Path, tmp_path: Path) -> None:
    _ok(command("plan", few.name, "--key", "member_id", "--out", "plan.toml"))
    with (tmp_path / "plan.toml").open("a") as file:
        file.write('\n[remarks]\nrefuse = ["raw-scales"]\n')
    shown = command(
        "segment", "--plan", "plan.toml", "--count", 2, "--scale", "none", "--transform", "none", "--out", "s"
    )
    assert shown.returncode == 1
    assert "gauger: the plan refuses raw-scales: " in " ".join(shown.stderr.split())
    assert not (tmp_path / "s").exists()


@pytest.mark.slow
def test_names_follow_when_a_study_is_made_again(command: Run, few: Path, tmp_path: Path) -> None:
    _ok(command("segment", few.name, "--key", "member_id", "--count", 3, "--out", "s"))
    _ok(command("name", "s", "1=regulars", "3=long away"))
    told = _ok(command("segment", "s", "--seed", 4, "--out", "s", "--replace"))
    assert "regulars" in told
    assert "long away" in told
    assert gauger.open_study(tmp_path / "s").names[1] == "regulars"
    few.write_text(few.read_text() + "new,1,2,3\n")
    again = command("segment", "s", "--out", "s", "--replace")
    assert (again.returncode, "has changed" in again.stderr) == (0, False)
    assert "has changed" not in command("profile", "s").stderr


def test_folders_and_files_in_each_others_place_are_told(command: Run, few: Path, tmp_path: Path) -> None:
    (tmp_path / "s").mkdir()
    for words, message in (
        (("profile", "s"), "s is a folder without plan.toml: no study"),
        (("counts", "s"), "no study. Name one that"),
        (("assign", "s", few.name, "--out", "a.csv"), "no study"),
        (("handoff", "s", few.name, "--campaign", "x", "--out", "o"), "no study"),
        (("name", few.name, "1=x"), "few.csv is a file, not the folder of a study"),
        (("migrate", "s", "s"), "no study"),
        (("migrate", few.name, few.name, "--key", "membr"), "there is no column 'membr'"),
        (("look", "s"), "s has no file that can be read in it"),
        (("run", "nowhere.toml", "--out", "o"), "there is no file nowhere.toml"),
    ):
        shown = command(*words)
        assert shown.returncode == 1, words
        assert message in " ".join(shown.stderr.split()), words
        assert shown.stderr.count("gauger: ") == 1


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("counts",), "say which customers"),
        (("counts", "few.csv"), "say which column identifies a customer"),
        (("segment", "few.csv", "--key", "member_id", "--out", "o"), "say how many segments"),
        (("profile", "few.csv", "--key", "member_id"), "say who is in which segment"),
        (("counts", "few.csv", "--key", "member_id", "--source", "x"), "--source is for a study"),
        (("counts", "plan.toml"), "say --plan plan.toml"),
        (("name", "s", "regulars"), "must be a number and a name"),
        (("name", "s", "1=a", "1=b"), "named twice"),
        (("name", "s"), "say which names"),
        (("plan", "--key", "a", "--out", "p.toml"), "say which customers"),
        (("plan", "few.csv", "--key", "a", "--out", "p.csv"), "a plan is a .toml file"),
        (("plan", "few.csv", "--key", "a", "--when", "b", "--out", "p.toml"), "goes with --events"),
        (("migrate", "a.csv", "b.csv", "--table", "c.csv"), "which column of the table"),
        (("handoff", "few.csv", "few.csv", "--campaign", "x", "--out", "o"), "identifies a customer"),
    ],
)
@pytest.mark.usefixtures("few")
def test_wrong_usage_of_studies_has_exit_code_2(command: Run, words: tuple[str, ...], message: str) -> None:
    shown = command(*words)
    assert shown.returncode == 2
    assert message in re.sub(r"[\s│]+", " ", shown.stderr)


def test_a_study_whose_source_is_gone_names_the_option(command: Run, few: Path, tmp_path: Path) -> None:
    _ok(command("segment", few.name, "--key", "member_id", "--count", 2, "--starts", 1, "--out", "s"))
    few.rename(tmp_path / "elsewhere.csv")
    shown = command("counts", "s", "--to", 3)
    assert shown.returncode == 1
    assert "--source FILE" in shown.stderr
    assert "source-changed" not in shown.stderr
    _ok(command("profile", "s", "--source", "elsewhere.csv"))
    with (tmp_path / "elsewhere.csv").open("a") as file:
        file.write("new,1,2,3\n")
    shown = command("profile", "s", "--source", "elsewhere.csv")
    assert "has changed since the study was made" in " ".join(shown.stderr.split())
