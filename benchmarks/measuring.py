"""Time two things in turn, so that a machine that slows down slows both; and weigh the memory of one."""

import time
import tracemalloc
from collections.abc import Callable
from dataclasses import dataclass
from statistics import median


@dataclass(frozen=True)
class Measured:
    """An amount (a median time, or a peak of memory) against that of its floor, and their ratio."""

    what: str
    amount: float
    floor_amount: float
    ratio: float
    floor: str
    unit: str = "ms"

    def __str__(self) -> str:
        amounts = f"{self.amount:>7,.0f} {self.unit}{self.floor_amount:>7,.0f} {self.unit}"
        return f"{self.what:<48}{amounts}{self.ratio:>8.2f}  {self.floor}"


def measure(what: str, work: Callable[[], object], floor: Callable[[], object], named: str, runs: int) -> Measured:
    """Run `work` and `floor` in turn, once unmeasured, then `runs` times; the ratio is the median of the pairs'."""
    work()
    floor()
    pairs = [(_milliseconds(work), _milliseconds(floor)) for _ in range(runs)]
    ratio = median(mine / least for mine, least in pairs)
    return Measured(what, median(mine for mine, _ in pairs), median(least for _, least in pairs), ratio, named)


def weigh(what: str, work: Callable[[], object], floor_bytes: int, named: str) -> Measured:
    """The most memory that `work` holds at once, its result included, beyond what was there before."""
    tracemalloc.start()
    work()
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    return Measured(what, peak / 2**20, floor_bytes / 2**20, peak / floor_bytes, named, "MB")


def _milliseconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return (time.perf_counter() - began) * 1e3
