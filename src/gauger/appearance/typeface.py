"""The typeface of figures and pages: Source Sans, under the SIL Open Font License, which a package brings."""

from contextlib import AbstractContextManager
from importlib.resources import as_file, files
from pathlib import Path

FAMILY = "Source Sans Pro"


def typeface_file(cut: str) -> AbstractContextManager[Path]:
    """The file of a cut, such as "Regular" or "Bold"."""
    return as_file(files("font_source_sans_pro") / "files" / f"SourceSansPro-{cut}.ttf")
