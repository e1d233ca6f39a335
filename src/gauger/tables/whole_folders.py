"""A folder of results that appears whole, by one rename, or not at all, for its owner's eyes only."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from gauger.errors import GaugerError, OutputError
from gauger.tables.staging import publish_folder, refuse_link, stage_in


@contextmanager
def whole_folder(
    folder: Path, what: str, *, replaceable: Callable[[Path], bool], replace: bool = False
) -> Iterator[Path]:
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
            yield stage
            _publish(stage, folder, what, replaceable, replace=replace)
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


def _publish(stage: Path, folder: Path, what: str, replaceable: Callable[[Path], bool], *, replace: bool) -> None:
    try:
        publish_folder(stage, folder)  # onto nothing, or an empty folder
    except OSError as error:
        if not replace:
            other = what.removeprefix("a ")
            raise OutputError(
                f"{folder} was filled by another {other} meanwhile. Nothing was written: choose another place."
            ) from error
        _refuse_full(folder, what, replaceable, replace=True)
        with stage_in(folder.parent) as aside:
            before = aside / "before"
            folder.rename(before)
            try:
                publish_folder(stage, folder)
            except OSError:
                before.rename(folder)
                raise
