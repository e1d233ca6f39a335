"""What builds the site: commands as children, links that are checked, tabs, promises with their tests."""

import io
from pathlib import Path

import pytest
from building import link_check, shown_by, world
from building.commands_in_process import run
from sphinx.application import Sphinx
from sphinx.errors import SphinxError

import gauger

CONF = """
import sys
sys.path.insert(0, {docs!r})
from building import beside, link_check, not_run, shown_by
extensions = ["myst_nb", "sphinx_design"]
html_theme = "basic"
html_show_sourcelink = False
nb_execution_mode = "force"
nb_ipywidgets_js = {{}}

def setup(app):
    for part in (beside, link_check, not_run, shown_by):
        part.setup(app)
    app.add_directive("terminal", Said)

from docutils import nodes
from sphinx.util.docutils import SphinxDirective

class Said(SphinxDirective):
    has_content = True
    def run(self):
        text = "\\n".join(self.content)
        return [nodes.container("", nodes.literal_block(text, text), classes=["terminal"])]
"""

PAGE = """---
file_format: mystnb
kernelspec: {name: python3}
---

# A page

```{terminal}
$ gauger look members.csv
```

```{code-cell}
6 * 7
```

```{terminal}
$ gauger demo
```

Alone, {shown-by}`test_a_page_is_put_together`.

```{not-run} sh it needs a server that is not here
gauger look postgresql://host/shop
```
"""


@pytest.fixture
def project(tmp_path: Path) -> Path:
    source = tmp_path / "source"
    source.mkdir()
    (source / "conf.py").write_text(CONF.format(docs=str(Path(__file__).parents[2] / "docs")))
    return source


def _build(source: Path, page: str) -> str:
    (source / "index.md").write_text(page)
    out, told = source.parent / "site", io.StringIO()
    app = Sphinx(source, source, out, source.parent / "trees", "html", status=None, warning=told, freshenv=True)
    app.build(force_all=True)
    lines = (line for line in told.getvalue().splitlines() if "already registered" not in line)  # by the app before
    assert [line for line in lines if "WARNING" in line or "ERROR" in line] == []
    return (out / "index.html").read_text()


@pytest.mark.slow
def test_a_page_is_put_together(project: Path) -> None:
    shown = _build(project, PAGE)
    assert shown.count('class="sd-tab-set docutils"') == 1
    assert shown.index("Command line</label>") < shown.index("gauger look members.csv") < shown.index("Python</label>")
    assert shown.index("Python</label>") < shown.index("42") < shown.index("gauger demo")
    assert 'data-sync-id="terminal"' in shown
    assert "tests/docs/test_building.py::test_a_page_is_put_together" in shown
    assert "postgresql://host/shop" in shown
    assert "it needs a server" not in shown


@pytest.mark.slow
def test_a_promise_whose_test_is_gone_fails(project: Path) -> None:
    gone = "test_that_nobody" + "_wrote"
    with pytest.raises(AssertionError, match=gone):
        _build(project, f"# A page\n\n{{shown-by}}`{gone}`\n")
    assert shown_by.TESTS.name == "tests"


@pytest.mark.slow
def test_a_broken_link_fails(project: Path) -> None:
    with pytest.raises((SphinxError, AssertionError), match="nowhere"):
        _build(project, '# A page\n\n<a href="nowhere.html">there</a>\n')


def test_every_kind_of_fault_in_a_site_is_found(tmp_path: Path) -> None:
    (tmp_path / "there.html").write_text('<h1 id="top">there</h1>')
    (tmp_path / "index.html").write_text(
        '<a href="there.html#top">good</a><a href="there.html#bottom">bad</a><a href="#own">bad</a>'
        '<a href="https://example.org/">elsewhere is not looked at</a><img src="gone.png">'
        '<script src="https://example.org/a.js"></script><img src="data:image/png;base64,AA==">'
    )
    assert sorted(link_check.faults_of(tmp_path)) == [
        "index.html fetches https://example.org/a.js",
        "index.html → #own",
        "index.html → gone.png",
        "index.html → there.html#bottom",
    ]


def test_a_command_is_heard_with_its_code_and_in_its_order(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text(gauger.demo_file("houses.csv").read_text())
    code, said = run(["look", "t.csv", "--key", "house"], tmp_path)
    assert code == 0
    assert said.index("t.csv: ") < said.index("Next: gauger plan t.csv")
    assert "\x1b" not in said
    assert max(map(len, said.splitlines())) <= 100
    code, said = run(["look", "t.csv", "--key", "hose"], tmp_path)
    assert code == 1
    assert "did you mean" in said
    assert run(["look"], tmp_path)[0] == 2


@pytest.mark.slow
def test_the_worlds_have_what_the_pages_start_from(tmp_path: Path) -> None:
    world.make(tmp_path)
    tables = world.enter(tmp_path, "how-to/count", studies=False)
    assert {"members.csv", "visits.csv", "behaviour.csv", "base"} <= {path.name for path in tables.iterdir()}
    assert not (tables / "segments").exists()
    studies = world.enter(tmp_path, "reference/x", studies=True)
    assert (studies / "segments" / "model.json").is_file()
    assert gauger.measure(studies / "spring", gauger.read_table(studies / "outcomes.csv")).headline()
    (tables / "mine.csv").write_text("a\n1\n")
    assert world.enter(tmp_path, "how-to/count", studies=False) == tables
    world.leave(tmp_path, "how-to/count")
    assert not (world.enter(tmp_path, "how-to/count", studies=False) / "mine.csv").exists()
