"""The directive `measured`: a table of figures, made of a results file that a benchmark wrote; never typed."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from docutils import nodes
from sphinx.application import Sphinx
from sphinx.util.docutils import SphinxDirective

from benchmarks import advice, by_blocks, in_the_warehouse, intervals, sizes

RESULTS = Path(__file__).parents[1] / "results"
SOURCES = {
    "advice": advice,
    "by_blocks": by_blocks,
    "in_the_warehouse": in_the_warehouse,
    "intervals": intervals,
    "sizes": sizes,
}


def tables() -> dict[str, tuple[str, Callable[[Any], str]]]:
    """Each table that there is: the results file it is made of, and what makes it."""
    return {name: (file, make) for file, source in SOURCES.items() for name, make in source.TABLES.items()}


class Measured(SphinxDirective):
    """One of the tables, by name."""

    required_arguments = 1

    def run(self) -> list[nodes.Node]:
        """Make the table anew from its results."""
        file, make = tables()[self.arguments[0]]
        results = RESULTS / f"{file}.json"
        self.env.note_dependency(str(results))
        text = make(json.loads(results.read_text(encoding="utf-8")))
        return self.parse_text_to_nodes(text, allow_section_headings=True)


def setup(app: Sphinx) -> None:
    """Add the directive."""
    app.add_directive("measured", Measured)
