"""The directive `not-run`: code that a build cannot run, with the reason, so that everything else is known to run."""

from docutils import nodes
from sphinx.application import Sphinx
from sphinx.util.docutils import SphinxDirective


class NotRun(SphinxDirective):
    """Code in the language of the first word; the rest of the line is the reason why it is not run, for authors."""

    has_content = True
    required_arguments = 2
    final_argument_whitespace = True

    def run(self) -> list[nodes.Node]:
        """Show the code."""
        text = "\n".join(self.content)
        return [nodes.literal_block(text, text, language=self.arguments[0])]


def setup(app: Sphinx) -> None:
    """Add the directive."""
    app.add_directive("not-run", NotRun)
