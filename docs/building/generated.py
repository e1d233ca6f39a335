"""Pages that are made before the others are read: the reference of the code itself, and the gallery of figures."""

from pathlib import Path

from sphinx.application import Sphinx

from building import command_pages, error_pages, file_pages, gallery_pages, python_pages, remark_pages, world

WORLDS = "_build/worlds"


def _make(app: Sphinx) -> None:
    docs = Path(app.srcdir)
    worlds = docs / WORLDS
    app.config.demo_worlds = str(worlds)
    pages: dict[str, str] = {}
    for part in (python_pages, command_pages, remark_pages, error_pages, file_pages):
        pages |= part.pages()
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


def setup(app: Sphinx) -> None:
    """Make the pages when a build begins."""
    app.connect("builder-inited", _make)
