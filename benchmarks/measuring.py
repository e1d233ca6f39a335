"""Time two things in turn, so that a machine that slows down slows both."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from statistics import median


@dataclass(frozen=True)
class Measured:
    """A median time in seconds against the median of its floor, and the median of the ratios of paired runs."""

    what: str
    seconds: float
    floor_seconds: float
    ratio: float
    floor: str

    def __str__(self) -> str:
        times = f"{self.seconds * 1e3:>7,.0f} ms{self.floor_seconds * 1e3:>7,.0f} ms"
        return f"{self.what:<44}{times}{self.ratio:>8.2f}  {self.floor}"


def measure(what: str, work: Callable[[], object], floor: Callable[[], object], named: str, runs: int) -> Measured:
    """Run `work` and `floor` in turn, once unmeasured and `runs` times measured."""
    work()
    floor()
    pairs = [(_seconds(work), _seconds(floor)) for _ in range(runs)]
    ratio = median(mine / least for mine, least in pairs)
    return Measured(what, median(mine for mine, _ in pairs), median(least for _, least in pairs), ratio, named)


def _seconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began
