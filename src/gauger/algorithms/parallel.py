"""Work on all cores, over fixed blocks of rows or a list of jobs, with results in order: threads never change a bit."""

import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from functools import cache
from threading import current_thread, local
from typing import TypeVar

from gauger.algorithms.reports import refusal

BLOCK_ROWS = 32_768
"""Rows of a block, fixed so that sums are added in the same order by any number of threads; large enough to hide a
call."""

_THREAD_NAME = "gauger"
_here = local()

Job = TypeVar("Job")
Result = TypeVar("Result")


def map_blocks(work: Callable[[slice], Result], rows: int, block_rows: int = BLOCK_ROWS) -> Iterator[Result]:
    """`work` for each block of `rows` rows, in order; blocks run at the same time when there are several.

    `work` must release the GIL in its kernel and touch only its own rows. The environment variable GAUGER_THREADS sets
    the number of threads, by default one a core; the results do not depend on it.
    """
    return map_jobs(work, [slice(start, min(start + block_rows, rows)) for start in range(0, rows, block_rows)])


def map_jobs(work: Callable[[Job], Result], jobs: Iterable[Job]) -> Iterator[Result]:
    """`work` for each job, in order; jobs run at the same time, but one after the other inside a job of their own."""
    listed = list(jobs)
    threads = min(thread_count(), len(listed)) if len(listed) > 1 else 1
    inside = current_thread().name.startswith(_THREAD_NAME) or getattr(_here, "alone", False)
    return map(work, listed) if threads == 1 or inside else _pool(threads).map(work, listed)


@contextmanager
def on_this_thread() -> Iterator[None]:
    """Inside the block jobs run one after the other on the thread that asks: somebody else has the other cores."""
    before = getattr(_here, "alone", False)
    _here.alone = True
    try:
        yield
    finally:
        _here.alone = before


def thread_count() -> int:
    """Threads to use: GAUGER_THREADS, else one a core."""
    given = os.environ.get("GAUGER_THREADS", "")
    if not given:
        return os.cpu_count() or 1
    if not given.isdigit() or int(given) < 1:
        raise refusal(f"GAUGER_THREADS={given!r} must be a whole number from 1 up.")
    return int(given)


@cache
def _pool(threads: int) -> ThreadPoolExecutor:
    return ThreadPoolExecutor(threads, thread_name_prefix=_THREAD_NAME)


if hasattr(os, "register_at_fork"):  # threads do not survive a fork, and a pool without them waits for ever
    os.register_at_fork(after_in_child=_pool.cache_clear)
