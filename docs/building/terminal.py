"""The directive `terminal`: commands that are run when the page is built, with what they say."""

import re
import shlex
import shutil
from pathlib import Path

from docutils import nodes
from docutils.parsers.rst import directives
from sphinx.application import Sphinx
from sphinx.util.docutils import SphinxDirective

from building import world
from building.commands_in_process import COLUMNS, run


class Terminal(SphinxDirective):
    """Commands, one a line or continued after a backslash; `gauger …` is run, what follows `#` is a comment.

    `:exit:` is the code expected, `:lines:` how many lines of output are shown, `:before:` runs without showing,
    `:figure:` shows a picture that was written, `:alt:` says what is in it, `:alone:` keeps it out of tabs.
    """

    has_content = True
    option_spec = {  # noqa: RUF012 - Sphinx's contract
        "exit": directives.nonnegative_int,
        "lines": directives.positive_int,
        "before": directives.flag,
        "figure": directives.unchanged_required,
        "alt": directives.unchanged_required,
        "alone": directives.flag,
    }

    def run(self) -> list[nodes.Node]:
        """Run the commands in the page's folder."""
        worlds = Path(self.config.demo_worlds)
        folder = world.enter(worlds, self.env.docname, studies=self.env.docname.startswith("reference/"))
        shown = []
        for command in commands_of("\n".join(self.content)):
            shown.append(f"$ {folded(command)}")
            code, said = run(words_of(command), folder, self.options.get("figure"))
            if code != self.options.get("exit", 0):
                raise self.severe(f"{command}\nended with {code}:\n{said}")
            lines = said.strip("\n").rstrip().split("\n") if said.strip() else []
            most = self.options.get("lines", len(lines))
            shown += lines[:most]
            if len(lines) > most:
                shown.append(f"… {len(lines) - most} more lines")
        if "before" in self.options:
            return []
        text = "\n".join(shown)
        block = nodes.literal_block(text, text, language="console", classes=["terminal-text"])
        place = nodes.container("", block, classes=["terminal"], alone="alone" in self.options)
        if name := self.options.get("figure"):
            place += self._picture(folder / name)
        return [place]

    def _picture(self, file: Path) -> nodes.Node:
        named = f"{self.env.docname.replace('/', '-')}-{file.stem}{file.suffix}"
        kept = Path(self.env.srcdir) / "generated" / named
        kept.parent.mkdir(exist_ok=True)
        shutil.copyfile(file, kept)
        (picture,) = self.parse_text_to_nodes(f"```{{image}} /generated/{named}\n:alt: {self.options['alt']}\n```")
        return picture


def commands_of(text: str) -> list[str]:
    """Each command with its line breaks, without lines that are comments."""
    joined: list[str] = []
    goes_on = False
    for line in text.split("\n"):
        if goes_on:
            joined[-1] += f"\n{line}"
        elif line.strip() and not line.lstrip().startswith("#"):
            joined.append(line)
        goes_on = line.endswith("\\")
    return joined


def folded(command: str) -> str:
    """The command with its lines broken before options, so that they fit."""
    lines = [""]
    for part in re.split(r"\s+(?=--?[a-z])", re.sub(r"\s*\\\n\s*", " ", command)):
        if lines[-1] and len(lines[-1]) + len(part) > COLUMNS - 8:
            lines.append(part)
        else:
            lines[-1] = f"{lines[-1]} {part}".strip()
    return " \\\n    ".join(lines)


def words_of(command: str) -> list[str]:
    """The arguments of `gauger`."""
    words = shlex.split(command.replace("\\\n", " "), comments=True)
    if words[0] != "gauger":
        raise ValueError(f"only gauger is run here: {command}")
    return words[1:]


def _begin_anew(app: Sphinx, docname: str, _source: list[str]) -> None:
    world.leave(Path(app.config.demo_worlds), docname)


def setup(app: Sphinx) -> None:
    """Add the directive."""
    app.add_config_value("demo_worlds", "", "")
    app.add_directive("terminal", Terminal)
    app.connect("source-read", _begin_anew)
