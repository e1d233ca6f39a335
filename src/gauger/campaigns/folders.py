"""A folder of files that appears whole or not at all, for its owner's eyes only."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from gauger.campaigns.files import is_ours, sha256_of
from gauger.campaigns.manifest import MANIFEST, PAGE, read_manifest
from gauger.errors import GaugerError, OutputError
from gauger.tables import publish_folder, refuse_link, stage_in


@contextmanager
def whole_folder(folder: Path, *, replace: bool = False) -> Iterator[Path]:
    """A place to write files into, which becomes `folder` by one rename when the block ends well.

    Files can be read by their owner only. An error, Ctrl-C or a kill inside the block leaves no folder; of two that
    write at once one wins. Raises OutputError when there is something in the folder already, unless told to `replace`
    a hand-off that stands there with nothing besides, and when writing fails.
    """
    refuse_link(folder)
    _refuse_full(folder, replace=replace)
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(f"cannot write into {folder.parent}: {error.strerror}. Choose another place.") from error
    try:
        with stage_in(folder.parent) as stage:
            yield stage
            _publish(stage, folder, replace=replace)
    except OSError as error:
        if isinstance(error, GaugerError):
            raise
        raise OutputError(f"writing {folder} failed: {error.strerror}. Nothing was written.") from error


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
    """Whether a folder holds a hand-off as it was written, and nothing besides: names alone can be forged."""
    try:
        told = read_manifest(folder)
    except GaugerError:
        return False
    checks = {str(one["name"]): one["sha256"] for one in told["files"] if one["sha256"] is not None}
    for path in folder.iterdir():
        if path.is_symlink() or not path.is_file() or not is_ours(path.name):
            return False
        if path.name not in (MANIFEST, PAGE) and sha256_of(path) != checks.get(path.name):
            return False
    return True


def _publish(stage: Path, folder: Path, *, replace: bool) -> None:
    try:
        publish_folder(stage, folder)  # onto nothing, or an empty folder
    except OSError as error:
        if not replace:
            raise OutputError(
                f"{folder} was filled by another hand-off meanwhile. Nothing was written: choose another place."
            ) from error
        _refuse_full(folder, replace=True)
        with stage_in(folder.parent) as aside:
            before = aside / "before"
            folder.rename(before)
            try:
                publish_folder(stage, folder)
            except OSError:
                before.rename(folder)
                raise
