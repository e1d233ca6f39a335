"""Whether a folder holds a hand-off and nothing besides, so that another may take its place."""

from pathlib import Path

from gauger.campaigns.hand_off_files import is_ours, sha256_of
from gauger.campaigns.manifest import MANIFEST, PAGE, read_manifest
from gauger.errors import GaugerError


def holds_only_a_hand_off(folder: Path) -> bool:
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
