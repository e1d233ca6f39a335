"""Who does the work on parts: the threads of this machine, or the workers of a cluster; results are merged in order."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import AbstractContextManager
from typing import Any, Protocol, TypeVar

from gauger.algorithms import thread_count
from gauger.progress import task
from gauger.sources.files.file_parts import BlockPart

Merged = TypeVar("Merged")
Held = Any
"""A result that stays where it was made, until something is asked of it."""

_AHEAD = 2
"""Jobs a thread that may be under way or done before their results are taken: a bound on memory."""


class Crew(Protocol):
    """Those who do the work. A job is a tuple of arguments; what is made of a list of jobs is a list of results that
    are `held` where they were made, or their `total`, added up with + in the order of the jobs."""

    def hold(self, name: str, work: Callable[..., Any], jobs: Sequence[tuple[Any, ...]]) -> list[Held]:
        """Do every job; what comes of it stays where it is."""

    def total(self, name: str, work: Callable[..., Merged], jobs: Sequence[tuple[Any, ...]]) -> Merged:
        """Do every job, and add up what comes of them; a job's arguments may be held."""


class PartsAtWork:
    """The parts of a table, and the crew that works on them; `passes` counts how often all were read."""

    def __init__(self, parts: Sequence[BlockPart], crew: Crew) -> None:
        self.parts, self.crew, self.passes = parts, crew, 0

    def total(self, name: str, work: Callable[..., Merged], *given: Any) -> Merged:
        """What comes of every part, added up; `work` takes what is given, and the part."""
        self.passes += 1
        return self.crew.total(name, work, [(*given, part) for part in self.parts])

    def hold(self, name: str, work: Callable[..., Any], *given: Any) -> list[Held]:
        """What comes of every part, held where it was made."""
        self.passes += 1
        return self.crew.hold(name, work, [(*given, part) for part in self.parts])


class ThreadCrew(AbstractContextManager["ThreadCrew"]):
    """The threads of this machine, as many as GAUGER_THREADS says, else one a core."""

    def __init__(self) -> None:
        self._threads = thread_count()
        self._pool = ThreadPoolExecutor(self._threads, thread_name_prefix="gauger-parts")

    def __exit__(self, *_: object) -> None:
        self._pool.shutdown(wait=True, cancel_futures=True)

    def hold(self, name: str, work: Callable[..., Any], jobs: Sequence[tuple[Any, ...]]) -> list[Held]:
        return list(self._results(name, work, jobs))

    def total(self, name: str, work: Callable[..., Merged], jobs: Sequence[tuple[Any, ...]]) -> Merged:
        results = self._results(name, work, jobs)
        found: Any = next(results)
        for one in results:
            found = found + one
        return found  # type: ignore[no-any-return]

    def _results(self, name: str, work: Callable[..., Any], jobs: Sequence[tuple[Any, ...]]) -> Iterator[Any]:
        waiting: list[Future[Any]] = []
        with task(name, len(jobs)) as advance:
            for job in jobs:
                waiting.append(self._pool.submit(work, *job))
                if len(waiting) > _AHEAD * self._threads:
                    yield waiting.pop(0).result()
                    advance(1)
            while waiting:
                yield waiting.pop(0).result()
                advance(1)
