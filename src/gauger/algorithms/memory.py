"""How much memory there is to work in."""

import os
from pathlib import Path

from gauger.algorithms.reports import refusal

_GROUP_LIMIT, _GROUP_USE = Path("/sys/fs/cgroup/memory.max"), Path("/sys/fs/cgroup/memory.current")
_MACHINE = Path("/proc/meminfo")
_UNKNOWN = 4 * 2**30
"""Bytes assumed where the system does not say: a small laptop's."""


def available_bytes() -> int:
    """Bytes that may be taken: GAUGER_MEMORY_GB, else what this machine, or the group it runs in, has free.

    4 GB where the system does not say.
    """
    given = os.environ.get("GAUGER_MEMORY_GB", "")
    if given:
        try:
            return int(float(given) * 2**30)
        except ValueError:
            raise refusal(f"GAUGER_MEMORY_GB={given!r} must be a number of gigabytes.") from None
    free = [_UNKNOWN]
    if _MACHINE.exists():
        lines = (line.split() for line in _MACHINE.read_text().splitlines())
        free = [int(words[1]) * 1024 for words in lines if words[0] == "MemAvailable:"] or free
    if _GROUP_LIMIT.exists() and (limit := _GROUP_LIMIT.read_text().strip()).isdigit():
        free.append(int(limit) - int(_GROUP_USE.read_text()))
    return max(min(free), 0)


def bytes_in_words(size: float) -> str:
    """Bytes as people read them: 48 kB, 320 MB, 1.6 GB."""
    if size >= 2**30:
        return f"{size / 2**30:,.1f} GB"
    return f"{size / 2**20:,.0f} MB" if size >= 2**20 else f"{-(-size // 2**10):,.0f} kB"
