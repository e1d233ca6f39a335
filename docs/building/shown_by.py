"""The role `shown-by`: a promise names the test that shows it, and a build fails where that test is gone."""

from pathlib import Path

from docutils import nodes
from sphinx.application import Sphinx
from sphinx.util.docutils import SphinxRole

TESTS = Path(__file__).parents[2] / "tests"


class ShownBy(SphinxRole):
    """The name of a test function."""

    def run(self) -> tuple[list[nodes.Node], list[nodes.system_message]]:
        """The file and the name of the test."""
        files = [file for file in TESTS.rglob("test_*.py") if f"def {self.text}(" in file.read_text(encoding="utf-8")]
        if not files:
            told = self.inliner.reporter.error(f"there is no test {self.text}", line=self.lineno)
            return [], [told]
        where = f"{files[0].relative_to(TESTS.parent)}::{self.text}"
        return [nodes.literal(where, where, classes=["shown-by"])], []


def setup(app: Sphinx) -> None:
    """Add the role."""
    app.add_role("shown-by", ShownBy())
