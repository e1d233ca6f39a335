"""Every block of code in README and pages runs when the site is built, or says why it cannot and is at least right."""

import re
import shlex
from collections.abc import Iterator
from pathlib import Path

import click
import pytest
import typer
from building.terminal import commands_of, folded, words_of

from gauger.cli.app import app

ROOT = Path(__file__).parents[2]
PAGES = sorted(path for path in (ROOT / "docs").rglob("*.md") if not {"_build", "generated"} & set(path.parts))
FENCE = re.compile(r"^```(\S*)([^\n]*)\n(.*?)^```", re.M | re.S)
RUNS = ("{terminal}", "{code-cell}")
SHOWS_NO_CODE = ("{toctree}", "{measured}", "{image}", "{eval-rst}", "text", "toml")


def _blocks(page: Path) -> Iterator[tuple[str, str, str]]:
    for kind, rest, body in FENCE.findall(page.read_text()):
        yield kind, rest.strip(), body


@pytest.mark.parametrize("page", PAGES, ids=lambda page: str(page.relative_to(ROOT)))
def test_every_block_runs_or_says_why_not(page: Path) -> None:
    kinds = [kind for kind, _, _ in _blocks(page)]
    assert [kind for kind in kinds if kind not in (*RUNS, *SHOWS_NO_CODE, "{not-run}", "{literalinclude}")] == []
    for kind, rest, _ in _blocks(page):
        if kind == "{not-run}":
            assert re.match(r"(sh|python) it .{12,}", rest), rest
        if kind == "{literalinclude}":  # examples are run by tests/test_examples.py
            assert (page.parent / rest).resolve().parent == ROOT / "examples"
    if "{code-cell}" in kinds:
        assert page.read_text().startswith("---\nfile_format: mystnb\n")


@pytest.mark.slow
@pytest.mark.parametrize("page", [ROOT / "README.md", *PAGES], ids=lambda page: str(page.relative_to(ROOT)))
def test_every_command_that_is_not_run_has_options_that_there_are(page: Path) -> None:
    blocks = [body for kind, _, body in _blocks(page) if kind in ("{not-run}", "sh")]
    inline = re.findall(r"`(gauger [a-z]+ [^`]*)`", page.read_text())
    for command in [*(one for body in blocks for one in commands_of(body)), *inline]:
        words = shlex.split(command.replace("\\\n", " "), comments=True)
        if "gauger" in words:
            _understood(words[words.index("gauger") + 1 :])


def _understood(words: list[str]) -> None:
    """Every option of a command is one of its own."""
    group = typer.main.get_command(app)
    assert isinstance(group, click.Group) or hasattr(group, "commands")
    options = [word.partition("=")[0] for word in words if word.startswith("--")]
    names = [word for word in words if word in group.commands]
    known = {"--install-completion", "--show-completion", "--version", "--help"}
    if names:
        known |= {name for one in group.commands[names[0]].params for name in (*one.opts, *one.secondary_opts)}
    assert set(options) <= known, words


def test_commands_are_told_apart_by_lines_and_go_on_after_a_backslash() -> None:
    text = "# a comment\ngauger look a.csv\ngauger counts a.csv \\\n    --key who   # why\n"
    assert commands_of(text) == ["gauger look a.csv", "gauger counts a.csv \\\n    --key who   # why"]
    assert words_of(commands_of(text)[1]) == ["counts", "a.csv", "--key", "who"]


def test_long_commands_are_broken_before_an_option() -> None:
    command = f"gauger counts behaviour.csv --key member_id --features {','.join(['visits'] * 9)} --cap 0,0.99"
    lines = folded(command).split("\n")
    assert lines[0].endswith(" \\")
    assert all(line.startswith("    --") for line in lines[1:])
    assert max(map(len, lines)) <= 100
    assert words_of(folded(command)) == words_of(command)
    assert folded("gauger demo") == "gauger demo"


def test_only_gauger_is_run() -> None:
    with pytest.raises(ValueError, match="only gauger is run here"):
        words_of("rm -rf somewhere")
