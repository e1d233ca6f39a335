"""After a build: every link, picture and script of every page is there, and nothing is fetched from elsewhere."""

from html.parser import HTMLParser
from pathlib import Path
from urllib.parse import unquote, urlsplit

from sphinx.application import Sphinx
from sphinx.errors import SphinxError

_FETCHED = {"script": "src", "img": "src", "link": "href", "iframe": "src", "source": "src"}


class _Page(HTMLParser):
    """What a page links to, what it fetches, and the places in it that can be linked to."""

    def __init__(self) -> None:
        super().__init__()
        self.links: list[str] = []
        self.fetched: list[str] = []
        self.anchors: set[str] = set()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        own = {name: value or "" for name, value in attrs}
        self.anchors.update(own[name] for name in ("id", "name") if name in own)
        if tag == "a" and "href" in own:
            self.links.append(own["href"])
        elif own.get(_FETCHED.get(tag, ""), "") and own.get("rel") != "canonical":
            self.fetched.append(own[_FETCHED[tag]])


def faults_of(site: Path) -> list[str]:
    """Every link inside that leads nowhere, and everything that would be fetched from elsewhere."""
    pages = {}
    for file in site.rglob("*.html"):
        if "_static" not in file.parts:
            pages[file.resolve()] = page = _Page()
            page.feed(file.read_text(encoding="utf-8"))
    found = []
    for file, page in pages.items():
        where = file.relative_to(site.resolve())
        found += [f"{where} fetches {url}" for url in page.fetched if urlsplit(url).scheme not in ("", "data")]
        found += [f"{where} → {url}" for url in page.links + page.fetched if not _leads_somewhere(url, file, pages)]
    return found


def _leads_somewhere(url: str, file: Path, pages: dict[Path, _Page]) -> bool:
    parts = urlsplit(url)
    if parts.scheme or parts.netloc:
        return True
    target = (file.parent / unquote(parts.path)).resolve() if parts.path else file
    if not target.is_file():
        return False
    return not parts.fragment or target not in pages or unquote(parts.fragment) in pages[target].anchors


def _check(app: Sphinx, failure: Exception | None) -> None:
    if failure is None and app.builder.format == "html":
        faults = faults_of(Path(app.outdir))
        if faults:
            raise SphinxError("broken links:\n" + "\n".join(faults))


def setup(app: Sphinx) -> None:
    """Check when a build is done."""
    app.connect("build-finished", _check, priority=900)
