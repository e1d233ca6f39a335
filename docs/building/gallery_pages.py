"""The gallery: every figure, drawn when the site is built by the code that stands beside it."""

import ast
import inspect
import textwrap
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import gauger

_MARK = "# %% "
_WORKERS = 2


def scripts(docs: Path) -> list[Path]:
    """The scripts in their order: one a family of figures."""
    return sorted((docs / "gallery").glob("*.py"))


def cells_of(script: Path) -> tuple[str, str, dict[str, str]]:
    """The title of a family, what all its figures begin with, and the code of each figure by its name."""
    head, *cells = script.read_text(encoding="utf-8").split(_MARK)
    title = ast.get_docstring(ast.parse(head)) or ""
    begin = head.split('"""', 2)[2].strip()
    figures = {cell.partition("\n")[0].strip(): cell.partition("\n")[2].strip() for cell in cells}
    return title, begin, figures


def draw_all(script: Path, folder: Path) -> dict[str, str]:
    """Draw a family into a folder; what each figure shows, in words, by its name."""
    _, begin, figures = cells_of(script)
    names: dict[str, Any] = {}
    exec(compile(begin, str(script), "exec"), names)
    words = {}
    for name, code in figures.items():
        body = ast.parse(code)
        last = body.body.pop()
        assert isinstance(last, ast.Expr), f"{script.name}, {name}: the last line is the figure"
        exec(compile(body, str(script), "exec"), names)
        figure = eval(compile(ast.Expression(last.value), str(script), "eval"), names)
        figure.savefig(folder / f"{name}.png")
        words[name] = gauger.draw.describe(figure)
    return words


def pages(docs: Path) -> dict[str, str]:
    """A page a figure, and the gallery that leads to them; the figures are drawn beside them."""
    folder = docs / "gallery" / "generated"
    folder.mkdir(parents=True, exist_ok=True)
    families = scripts(docs)
    with ProcessPoolExecutor(_WORKERS, mp_context=get_context("fork")) as pool:
        told = list(pool.map(draw_all, families, [folder] * len(families)))
    found = {}
    parts = ["# Gallery", _INTRO.strip()]
    for script, words in zip(families, told, strict=True):
        title, begin, figures = cells_of(script)
        parts += [f"## {title}", _cards(words)]
        for name, code in figures.items():
            found[f"gallery/generated/{name}.rst"] = _page(name, f"{begin}\n{code}", words[name])
    found["gallery/generated/describe.rst"] = _HEARD
    listed = "\n".join(f"generated/{name.rpartition('/')[2][:-4]}" for name in found)
    parts.append(f"```{{toctree}}\n:hidden:\n\n{listed}\n```")
    return {"gallery/index.md": "\n\n".join(parts) + "\n", **found}


_INTRO = """
All figures are drawn from the demo's made-up data when these pages are built; a click leads to the code. Each is a function
on `gauger.draw` that takes a result and returns a Matplotlib figure of 1280 x 800 pixels, titled with its finding:
`.savefig("name.png")` keeps it. A figure that cannot show everything says what it leaves out, more than 20,000 customers are
shaded by how many they are, and an axis follows what was done to its feature. Colours stay with a segment; names, markers
and hatches tell it too. [describe](generated/describe.rst) tells a figure in words to who cannot see it.
"""


_HEARD = """
describe
========

.. currentmodule:: gauger

.. autofunction:: gauger.draw.describe
""".lstrip()


def _cards(words: dict[str, str]) -> str:
    cards = []
    for name, told in words.items():
        summary = inspect.getdoc(getattr(gauger.draw, name)).split("\n")[0]  # type: ignore[union-attr]
        alt = told.split(". ")[0].replace("\n", " ")
        cards.append(
            f":::{{grid-item-card}} {name}\n:img-top: generated/{name}.png\n:img-alt: {alt}\n:link: generated/{name}\n"
            f":link-type: doc\n\n{summary}\n:::"
        )
    return "::::{grid} 1 2 2 3\n:gutter: 3\n\n" + "\n\n".join(cards) + "\n\n::::"


def _page(name: str, code: str, words: str) -> str:
    alt = " ".join(words.split())
    block = textwrap.indent(code, "   ")
    return (
        f"{name}\n{'=' * len(name)}\n\n.. currentmodule:: gauger\n\n.. image:: {name}.png\n   :alt: {alt}\n\n"
        f".. code-block:: python\n\n{block}\n\n.. autofunction:: gauger.draw.{name}\n"
    )
