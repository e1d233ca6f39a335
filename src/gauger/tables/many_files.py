"""Several files as one source: a folder, a pattern, or a list."""

from collections.abc import Sequence
from glob import has_magic
from os import PathLike
from pathlib import Path

from gauger.errors import MissingFileError, SettingError, TableFileError
from gauger.tables.reading import READABLE
from gauger.tables.text import kind_of_file

Source = str | PathLike[str] | Sequence[str | PathLike[str]]

_UNSEEN = (".", "_")
"""Names in a folder that begin so are notes of other programs, or unfinished."""


def is_many_files(source: object) -> bool:
    """Whether a source is a folder, a pattern or a list of files rather than one file."""
    if not isinstance(source, (str, PathLike)):
        return isinstance(source, Sequence)
    return Path(source).is_dir() or (has_magic(str(source)) and not Path(source).exists())


def files_of(source: Source) -> list[Path]:
    """The files of a folder (whatever is in it, at any depth), of a pattern such as base/*.parquet, or those named."""
    if not isinstance(source, (str, PathLike)):
        if not isinstance(source, (list, tuple)) or isinstance(source, bytes):
            raise SettingError(f"files are named by a path, a pattern or a list, not by {type(source).__name__}.")
        if not source:
            raise SettingError("the list of files is empty: name at least one.")
        return [file for one in source for file in files_of(one)]
    place = Path(source)
    if place.is_dir():
        inside = (path for path in sorted(place.rglob("*")) if path.is_file())
        found = [path for path in inside if not _unseen(path.relative_to(place)) and kind_of_file(path) in READABLE]
        if not found:
            raise TableFileError(f"{place} has no file that can be read in it: {', '.join(READABLE)} files are.")
        return found
    if place.exists() or not has_magic(str(source)):
        return [place]
    anchor = Path(place.anchor)
    found = sorted(path for path in anchor.glob(str(place.relative_to(anchor))) if path.is_file())
    if not found:
        raise MissingFileError(f"no file is called like {source}. Check the folder and the spelling.")
    return found


def _unseen(path: Path) -> bool:
    return any(step.startswith(_UNSEEN) for step in path.parts)
