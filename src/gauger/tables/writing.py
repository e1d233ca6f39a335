"""Write tables and folders of results: whole or not at all, and never over what is there unless told to."""

import contextlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from os import PathLike
from pathlib import Path
from typing import Protocol

import pandas as pd
import pyarrow as pa

from gauger.columns import AnyTable, whole_table
from gauger.errors import GaugerError, OutputError
from gauger.progress import task
from gauger.tables.block_writing import BlockWriter
from gauger.tables.folder_locks import locked
from gauger.tables.formats import write_file
from gauger.tables.journals import PREPARED, Stage, refuse_link, refuse_links
from gauger.tables.staging import StagedResults, database_of_journal, make_ready, publish, stage_in
from gauger.wording import listed, plural


def write_table(table: AnyTable, path: str | PathLike[str], *, replace: bool = False) -> Path:
    """Write a table, without its index.

    Text that a spreadsheet would take for a formula (it starts with =, +, - or @) gets an apostrophe in csv and tsv,
    which `read_table` takes away again. The file appears whole, by a rename.

    Parameters
    ----------
    table : pandas.DataFrame or another table
        What to write.
    path : str or path-like
        Where; the ending says the format: .csv, .tsv or .jsonl (also with .gz), .parquet or .xlsx.
    replace : bool
        Whether a file that is there already may be replaced.

    Returns
    -------
    pathlib.Path
        The file written.

    Raises
    ------
    OutputError
        When the file exists and `replace` is not set, or when the folder cannot be written.
    TableFileError
        For another ending, or for what the format cannot hold.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     gauger.write_table(pd.DataFrame({"visits": [3]}), f"{folder}/t.csv").name
    't.csv'
    """
    file, frame = Path(path), whole_table(table)
    with result_folder(file.parent, [file.name], replace=replace) as results:
        results.add_table(file.name, frame)
    return file


class Savable(Protocol):
    """A figure, as far as writing it goes."""

    def savefig(self, fname: Path) -> None:
        """Write the figure to a file."""


@dataclass(frozen=True)
class Results(StagedResults):
    """Files on their way into a folder; made by `result_folder`."""

    folder: Path
    names: tuple[str, ...]
    staged: Stage
    optional: tuple[str, ...] = ()

    def seal(self, url: str | None = None, into: str | None = None) -> None:
        """Put the files on the disk, complete, before a table `into` is committed in their database.

        After a kill the next command asks the database whether it has kept the table, and finishes or undoes the files.
        """
        if self.staged.state == PREPARED:
            return
        lacking = [name for name in self.names if not (self.stage / name).exists()]
        if lacking:
            raise ValueError(f"{plural(len(lacking), 'file')} announced but not written: {listed(lacking)}")
        gone = [name for name in self.optional if not (self.stage / name).exists()]
        make_ready(self.staged, gone, database_of_journal(url, into, self.token))

    def path(self, name: str) -> Path:
        """Where to write one of the announced files for now."""
        if name not in (*self.names, *self.optional):
            raise ValueError(f"{name} was not announced")
        path = self.stage / name
        path.parent.mkdir(parents=True, exist_ok=True)
        return path

    def add_table(self, name: str, table: pd.DataFrame) -> None:
        """Write a DataFrame, without its index, in the format of the name's ending."""
        with task(f"writing {name}"):
            write_file(table, self.path(name))

    def add_assignments(self, name: str, table: pd.DataFrame) -> None:
        """Write a row a customer through Arrow, as csv or Parquet: they may be millions."""
        with task(f"writing {name}"), BlockWriter(self.path(name)) as writer:
            writer.write(pa.Table.from_pandas(table, preserve_index=False))

    def add_figure(self, name: str, figure: Savable) -> None:
        """Write a figure in the format of the name's ending."""
        with task(f"drawing {name}"):
            figure.savefig(self.path(name))

    @property
    def paths(self) -> list[Path]:
        """Where the files stand once the block has ended well: those announced, and the optional ones written."""
        written = [name for name in self.optional if (self.stage / name).exists() or (self.folder / name).exists()]
        return [self.folder / name for name in (*self.names, *written)]


@contextmanager
def result_folder(
    folder: str | PathLike[str],
    names: Sequence[str],
    *,
    optional: Sequence[str] = (),
    replace: bool = False,
    sources: Sequence[str | PathLike[str] | None] = (),
    alone: bool = False,
) -> Iterator[Results]:
    """A folder that receives the announced files together, when the `with` block ends well.

    They are written into a hidden folder inside the target, put on the disk, and moved to their places at the end. An
    error or Ctrl-C inside the block leaves the target as it was; what a killed process has left is finished or removed
    by the next that writes there. Apart from figures, files can be read by their owner alone. `optional` files may be
    written or not; those of an earlier run are removed. With `alone`, no other process may write into the folder while
    the block lasts.

    Raises OutputError at once when a file is there already and `replace` is not set, when one of them is among the
    `sources` that are read, is behind a link, or when the folder cannot be written, so that no work is wasted; and when
    writing fails later.
    """
    target = Path(folder)
    targets = [target / name for name in (*names, *optional)]
    if target.is_symlink() and not target.is_dir():
        refuse_link(target)
    refuse_links(target, (*names, *optional))
    _refuse_sources(targets, sources)
    there = [str(path) for path in targets if path.exists()]
    if there and not replace:
        raise OutputError(
            f"{listed(there)} {plural(len(there), 'is', 'are')} there already. Nothing was written: choose another "
            "place, or say replace=True (on the command line: --replace)."
        )
    made: list[Path] = []
    try:
        if target.exists() and not target.is_dir():
            raise NotADirectoryError(20, "Not a directory")
        made += _make_folder(target)
    except OSError as error:
        raise OutputError(f"cannot write into {target}: {error.strerror}. Choose another place.") from error
    try:
        with locked(target) if alone else contextlib.nullcontext(), stage_in(target) as stage:
            results = Results(target, tuple(names), stage, tuple(optional))
            yield results
            results.seal()
            publish(stage)
    except BaseException as error:
        _remove_empty(made)
        # A broken pipe is the reader of what is printed, not the disk.
        if isinstance(error, OSError) and not isinstance(error, (GaugerError, BrokenPipeError)):
            raise OutputError(f"writing into {target} failed: {error.strerror or 'the disk is full'}.") from error
        raise


def _refuse_sources(targets: Sequence[Path], sources: Sequence[str | PathLike[str] | None]) -> None:
    read = [Path(source) for source in sources if source is not None]
    for path in targets:
        if path.is_dir():
            raise OutputError(f"{path} is a folder, and a file is to be written there. Choose another place.")
        if path.exists() and any(source.exists() and path.samefile(source) for source in read):
            raise OutputError(
                f"{path} is what is read: results never replace it. Nothing was written: choose another place."
            )


def _make_folder(folder: Path) -> list[Path]:
    """Make a folder and what it stands in; the folders that were made, outermost first."""
    lacking = [path for path in (folder, *folder.parents) if not path.exists()][::-1]
    for path in lacking:
        path.mkdir()
    return lacking


def _remove_empty(folders: Sequence[Path]) -> None:
    for path in reversed(folders):
        if path.is_dir() and not any(path.iterdir()):
            path.rmdir()
