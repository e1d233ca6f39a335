"""Tabs of themselves: a terminal and the Python cell right after it are two ways to do the same, side by side."""

from docutils import nodes
from sphinx.application import Sphinx
from sphinx.transforms import SphinxTransform
from sphinx_design.shared import create_component

_GROUP = "way"


class TwoWays(SphinxTransform):
    """Put each terminal and the Python cells right after it into tabs, which all of a site switch together."""

    default_priority = 850

    def apply(self, **_unused: object) -> None:
        """Go through the page."""
        for place in list(self.document.findall(nodes.container)):
            if "terminal" in place["classes"] and not place.get("alone"):
                self._into_tabs(place)

    @staticmethod
    def _into_tabs(terminal: nodes.container) -> None:
        parent = terminal.parent
        at = parent.index(terminal)
        cells = []
        for node in parent.children[at + 1 :]:
            if not (isinstance(node, nodes.container) and "cell" in node["classes"]):
                break
            cells.append(node)
        if not cells:
            return
        for cell in cells:
            parent.remove(cell)
        tabs = create_component("tab-set", classes=["sd-tab-set"])
        parent.replace(terminal, tabs)
        tabs += _tab("Command line", "terminal", [terminal])
        tabs += _tab("Python", "python", cells)


def _tab(label: str, name: str, content: list[nodes.Node]) -> nodes.container:
    item = create_component("tab-item", classes=["sd-tab-item"], selected=False)
    item += nodes.rubric(label, "", nodes.Text(label), classes=["sd-tab-label"], sync_id=name, sync_group=_GROUP)
    item += create_component("tab-content", classes=["sd-tab-content"], children=content)
    return item


def setup(app: Sphinx) -> None:
    """Add the transform."""
    app.add_transform(TwoWays)
