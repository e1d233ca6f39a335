"""Write tables and folders of results: whole or not at all, and never over what is there unless told to."""

import os
import shutil
import tempfile
from collections.abc import Sequence
from os import PathLike
from pathlib import Path
from types import TracebackType

import pandas as pd

from gauger.errors import GaugerError, OutputError, TableFileError, listed, plural


def write_table(table: pd.DataFrame, path: str | PathLike[str], *, replace: bool = False) -> Path:
    """Write a DataFrame, without its index, as csv or Parquet by the path's ending, and return the path.

    The file appears whole, by a rename. Raises OutputError when it exists and `replace` is not set, or when the
    folder cannot be written; TableFileError for another ending.

    >>> import gauger, pandas as pd, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     gauger.write_table(pd.DataFrame({"visits": [3]}), f"{folder}/t.csv").name
    't.csv'
    """
    file = Path(path)
    with ResultFolder(file.parent, [file.name], replace=replace) as results:
        results.add_table(file.name, table)
    return file


class ResultFolder:
    """A folder that receives a known set of files together, when its `with` block ends well.

    The files are written into a hidden folder beside their place and moved at the end; an error or Ctrl-C inside the
    block leaves the target as it was. Entering raises OutputError when a file is there already and `replace` is not
    set, or when the folder cannot be written, so that no work is wasted.
    """

    def __init__(self, folder: str | PathLike[str], names: Sequence[str], *, replace: bool = False) -> None:
        self.folder = Path(folder)
        self.names = tuple(names)
        self.replace = replace
        self._made: list[Path] = []
        self._stage = Path()

    def __enter__(self) -> "ResultFolder":
        there = [name for name in self.names if (self.folder / name).exists()]
        if there and not self.replace:
            raise OutputError(
                f"{self.folder} already holds {listed(there)}. Nothing was written: choose another place, "
                "or say replace=True (on the command line: --replace)."
            )
        try:
            self._make_folder()
            self._stage = Path(tempfile.mkdtemp(prefix=".gauger-", dir=self.folder))
        except OSError as error:
            self._unmake_folder()
            raise OutputError(f"cannot write into {self.folder}: {error.strerror}. Choose another place.") from error
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            if kind is None:
                self._publish()
        finally:
            shutil.rmtree(self._stage, ignore_errors=True)
            if kind is not None:
                self._unmake_folder()
        if isinstance(error, OSError) and not isinstance(error, GaugerError):
            raise OutputError(f"writing into {self.folder} failed: {error.strerror}. Nothing was kept.") from error

    def path(self, name: str) -> Path:
        """Where to write one of the announced files for now."""
        if name not in self.names:
            raise ValueError(f"{name} was not announced")
        place = self._stage / name
        place.parent.mkdir(parents=True, exist_ok=True)
        return place

    def add_table(self, name: str, table: pd.DataFrame) -> None:
        """Write a DataFrame, without its index, as csv or Parquet by the name's ending."""
        suffix = Path(name).suffix.lower()
        if suffix == ".csv":
            table.to_csv(self.path(name), index=False, lineterminator="\n")
        elif suffix == ".parquet":
            table.to_parquet(self.path(name), index=False)
        else:
            raise TableFileError(f"{name} ends in {suffix!r}; Gauger writes .csv and .parquet files.")

    @property
    def paths(self) -> list[Path]:
        """Where the announced files stand once the block has ended well."""
        return [self.folder / name for name in self.names]

    def _publish(self) -> None:
        lacking = [name for name in self.names if not (self._stage / name).exists()]
        if lacking:
            raise ValueError(f"{plural(len(lacking), 'file')} announced but not written: {listed(lacking)}")
        for name in self.names:
            target = self.folder / name
            target.parent.mkdir(parents=True, exist_ok=True)
            os.replace(self._stage / name, target)

    def _make_folder(self) -> None:
        lacking = [place for place in (self.folder, *self.folder.parents) if not place.exists()]
        for place in reversed(lacking):
            place.mkdir()
            self._made.append(place)

    def _unmake_folder(self) -> None:
        for place in reversed(self._made):
            if not any(place.iterdir()):
                place.rmdir()
