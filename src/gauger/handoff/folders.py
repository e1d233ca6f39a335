"""A folder of files that appears whole or not at all, for its owner's eyes only."""

import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from gauger.errors import GaugerError, OutputError
from gauger.handoff.manifest import MANIFEST, PAGE, read_manifest

_OWN_FILE, _OWN_FOLDER = 0o600, 0o700


@contextmanager
def whole_folder(folder: Path, *, replace: bool = False) -> Iterator[Path]:
    """A place to write files into, which becomes `folder` by one rename when the block ends well.

    Files can be read by their owner only. An error, Ctrl-C or a kill inside the block leaves no folder; of two that
    write at once one wins. Raises OutputError when there is something in the folder already, unless told to `replace`
    a hand-off that stands there with nothing besides, and when writing fails.
    """
    _refuse_full(folder, replace=replace)
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        stage = Path(tempfile.mkdtemp(prefix=".gauger-", dir=folder.parent))
    except OSError as error:
        raise OutputError(f"cannot write into {folder.parent}: {error.strerror}. Choose another place.") from error
    try:
        yield stage
        for path in (stage, *stage.rglob("*")):
            path.chmod(_OWN_FOLDER if path.is_dir() else _OWN_FILE)
        _publish(stage, folder, replace=replace)
    except BaseException as error:
        shutil.rmtree(stage, ignore_errors=True)
        if isinstance(error, OSError) and not isinstance(error, GaugerError):
            raise OutputError(f"writing {folder} failed: {error.strerror}. Nothing was written.") from error
        raise


def _refuse_full(folder: Path, *, replace: bool) -> None:
    if folder.exists() and not folder.is_dir():
        raise OutputError(f"{folder} is a file. Choose another place.")
    if not folder.is_dir() or not any(folder.iterdir()):
        return
    if not replace:
        raise OutputError(
            f"{folder} is not empty: a hand-off has a folder of its own. Nothing was written: choose another, or say "
            "replace=True (on the command line: --replace)."
        )
    if not _holds_only_a_hand_off(folder):
        raise OutputError(
            f"{folder} holds other things than a hand-off, and they are not for replacing. Nothing was written: choose "
            "another place."
        )


def _holds_only_a_hand_off(folder: Path) -> bool:
    try:
        told = read_manifest(folder)
    except GaugerError:
        return False
    own = {MANIFEST, PAGE, *(str(one["name"]) for one in told["files"])}
    return {path.name for path in folder.iterdir()} <= own


def _publish(stage: Path, folder: Path, *, replace: bool) -> None:
    try:
        stage.rename(folder)  # onto nothing, or an empty folder
    except OSError as error:
        if not replace:
            raise OutputError(
                f"{folder} was filled by another hand-off meanwhile. Nothing was written: choose another place."
            ) from error
        _refuse_full(folder, replace=True)
        before = Path(tempfile.mkdtemp(prefix=".gauger-", dir=folder.parent))
        folder.rename(before)
        try:
            stage.rename(folder)
        except OSError:
            before.rename(folder)
            raise
        shutil.rmtree(before, ignore_errors=True)
