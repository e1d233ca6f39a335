"""A folder of results that appears whole, by one rename, or not at all, for its owner's eyes only."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from gauger.errors import GaugerError, OutputError
from gauger.tables.folder_locks import locked
from gauger.tables.journals import PREPARED, Stage, refuse_link
from gauger.tables.staging import StagedResults, database_of_journal, make_ready_as_a_whole, publish, stage_in


@dataclass(frozen=True)
class FolderResults(StagedResults):
    """A folder on its way to its place; made by `whole_folder`."""

    target: Path
    staged: Stage

    def seal(self, url: str | None = None, into: str | None = None) -> None:
        """Put the folder on the disk, complete, before a table `into` is committed in its database."""
        if self.staged.state == PREPARED:
            return
        make_ready_as_a_whole(self.staged, self.target, database_of_journal(url, into, self.token))


@contextmanager
def whole_folder(
    folder: Path, what: str, *, replaceable: Callable[[Path], bool], replace: bool = False
) -> Iterator[FolderResults]:
    """A place to write files into, which becomes `folder` by one rename when the block ends well.

    `what` is made, such as "a hand-off"; of the same kind are folders that are `replaceable`. Files can be read by
    their owner only. An error, Ctrl-C or a kill inside the block leaves no folder; of two that write at once one wins.
    Raises OutputError when there is something in the folder already, unless told to `replace` what may be, and when
    writing fails.
    """
    refuse_link(folder)
    _refuse_full(folder, what, replaceable, replace=replace)
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(f"cannot write into {folder.parent}: {error.strerror}. Choose another place.") from error
    try:
        with stage_in(folder.parent) as stage:
            results = FolderResults(folder, stage)
            yield results
            with locked(folder.parent):
                _refuse_filled(folder, what, replaceable, replace=replace)
                results.seal()
                publish(stage)
    except OSError as error:
        if isinstance(error, GaugerError):
            raise
        raise OutputError(f"writing {folder} failed: {error.strerror}. Nothing was written.") from error


def _refuse_full(folder: Path, what: str, replaceable: Callable[[Path], bool], *, replace: bool) -> None:
    if folder.exists() and not folder.is_dir():
        raise OutputError(f"{folder} is a file. Choose another place.")
    if not folder.is_dir() or not any(folder.iterdir()):
        return
    if not replace:
        raise OutputError(
            f"{folder} is not empty: {what} has a folder of its own. Nothing was written: choose another, or say "
            "replace=True (on the command line: --replace)."
        )
    if not replaceable(folder):
        raise OutputError(
            f"{folder} holds other things than {what}, and they are not for replacing. Nothing was written: choose "
            "another place."
        )


def _refuse_filled(folder: Path, what: str, replaceable: Callable[[Path], bool], *, replace: bool) -> None:
    """Raise OutputError where somebody else has written into the folder since it was looked at."""
    if replace:
        _refuse_full(folder, what, replaceable, replace=True)
    elif folder.is_dir() and any(folder.iterdir()):
        raise OutputError(
            f"{folder} was filled by another {what.removeprefix('a ')} meanwhile. Nothing was written: choose another "
            "place."
        )
