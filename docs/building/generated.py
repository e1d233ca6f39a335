"""Pages that are made before the others are read: the reference of the code itself, and the gallery of figures."""

from pathlib import Path

from sphinx.application import Sphinx

from building import command_pages, error_pages, file_pages, gallery_pages, python_pages, remark_pages, world
from building.commands_in_process import warm_up

WORLDS = "_build/worlds"
_RUNNING = ("how-to/", "start/", "reference/generated/command-")


def _make(app: Sphinx) -> None:
    docs = Path(app.srcdir)
    worlds = docs / WORLDS
    app.config.demo_worlds = str(worlds)
    pages: dict[str, str] = {}
    for part in (python_pages, command_pages, remark_pages, error_pages, file_pages):
        pages |= part.pages()
    warm_up()
    world.make(worlds)
    pages |= gallery_pages.pages(docs)
    for name, text in pages.items():
        _write(docs / name, text)
    for file in (*(docs / "reference" / "generated").glob("*"), *(docs / "gallery" / "generated").glob("*.rst")):
        if str(file.relative_to(docs)) not in pages:
            file.unlink()


def _write(file: Path, text: str) -> None:
    """Write a page, unless it stands there already: what has not changed is not read again."""
    file.parent.mkdir(parents=True, exist_ok=True)
    if not file.exists() or file.read_text(encoding="utf-8") != text:
        file.write_text(text, encoding="utf-8")


def _spread(_app: Sphinx, _env: object, docnames: list[str]) -> None:
    """Deal out the pages that run something, so that no worker has them all: Sphinx hands out runs of pages."""
    heavy = [name for name in docnames if name.startswith(_RUNNING)]
    light = [name for name in docnames if not name.startswith(_RUNNING)]
    step = len(docnames) / max(len(heavy), 1)
    places = {round(at * step): name for at, name in enumerate(heavy)}
    rest = iter(light)
    docnames[:] = [places.get(at) or next(rest) for at in range(len(docnames))]


def setup(app: Sphinx) -> None:
    """Make the pages when a build begins."""
    app.connect("builder-inited", _make)
    app.connect("env-before-read-docs", _spread)
