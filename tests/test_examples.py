"""Every example runs as it stands, and the README's runs too."""

import re
import runpy
import sys
from contextlib import nullcontext
from pathlib import Path

import pytest

import gauger
from tests.short_cuts import drawn_in_full

ROOT = Path(__file__).parent.parent
EXAMPLES = sorted((ROOT / "examples").glob("*.py"))


@pytest.mark.slow
@pytest.mark.parametrize("path", EXAMPLES, ids=lambda path: path.stem)
def test_the_example_runs(
    path: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    fewer = ["200000"] if path.name == "more_than_memory.py" else []
    monkeypatch.setattr(sys, "argv", [str(path), str(tmp_path), *fewer])
    with drawn_in_full() if path.name == "first_segments.py" else nullcontext():
        runpy.run_path(str(path), run_name="__main__")
    shown = capsys.readouterr()
    assert shown.err == ""
    assert shown.out
    if path.name == "first_segments.py":
        assert "not seen for long" in (tmp_path / "assignments.csv").read_text()
        assert (tmp_path / "segments.png").read_bytes().startswith(b"\x89PNG")


def test_the_quarterly_plan_is_one_and_runs_in_the_checks() -> None:
    """Two whole runs take too long here: the checks of a fresh clone run it."""
    plan = gauger.read_plan(ROOT / "examples" / "quarterly_plan" / "plan.toml")
    assert plan.events.file == "${OSTREL_VISITS}"
    assert "examples/quarterly_plan/run.py" in (ROOT / ".ci" / "run").read_text()


@pytest.mark.slow
@pytest.mark.usefixtures("drawn")
def test_the_python_example_of_the_readme_runs(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (code,) = re.findall(r"```python\n(.*?)```", (ROOT / "README.md").read_text(), re.DOTALL)
    (tmp_path / "readme.py").write_text(code)
    monkeypatch.chdir(tmp_path)
    runpy.run_path("readme.py", run_name="__main__")
    assert (tmp_path / "segments.png").read_bytes().startswith(b"\x89PNG")


def test_every_picture_is_linked_and_every_link_is_there() -> None:
    pictures = ROOT / "docs" / "screenshots"
    own = set(re.findall(r"\(([\w\-]+\.png)\)", (pictures / "README.md").read_text()))
    assert own == {path.name for path in pictures.glob("*.png")}
    assert len(own) < 20
    pages = [ROOT / "README.md", *(path for path in (ROOT / "docs").rglob("*.md") if "_build" not in path.parts)]
    linked = {name for page in pages for name in re.findall(r"screenshots/([\w\-]+\.png)", page.read_text())}
    assert linked <= own
    assert "docs/screenshots/README.md" in (ROOT / "README.md").read_text()


def test_every_link_of_the_readme_leads_somewhere() -> None:
    links = re.findall(r"\]\(([^)#]+)(?:#[^)]*)?\)", (ROOT / "README.md").read_text())
    assert [link for link in links if not (ROOT / link).exists()] == []
