"""The workers of a Dask cluster as a crew: parts are read where they are, only settings go out and sums come back."""

import functools
import importlib
import logging
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from importlib.metadata import version
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from gauger.algorithms import on_this_thread
from gauger.errors import ClusterError, GaugerError, MissingFileError, needed_package
from gauger.progress import task
from gauger.sources.files.crews import Crew, Held, ThreadCrew
from gauger.wording import listed

if TYPE_CHECKING:
    from distributed import Client, Future

Merged = TypeVar("Merged")

_TASKS = 64
"""Tasks that a pass becomes at most, or one a thread: what goes through the scheduler does not grow with the files."""
_TASKS_A_THREAD = 4
"""Tasks for each thread, so that none waits long for the last."""
_TOGETHER = 8
"""Results that a worker adds up at a time."""
_PATIENCE = 5.0
"""Seconds until a scheduler that does not answer is given up."""
_ANY = "FIRST_COMPLETED"
_GLANCE = 1.0
"""Seconds between two looks whether the scheduler is still there."""
_START = 60.0
"""Seconds for processes on this machine to start."""
_SAME = ("gauger", "distributed", "numpy", "pyarrow", "pandas")
"""Packages that must be of one version here and on every worker: results are handed over as their objects."""


@dataclass(frozen=True, eq=False)
class _Kept:
    """One of the results that a task has on a worker."""

    future: "Future[Any]"
    index: int


class DaskCrew:
    """The workers of a cluster. Jobs are dealt out as a few tasks, each of which does several one after the other."""

    def __init__(self, client: "Client") -> None:
        self._client = client
        threads = sum(client.nthreads().values())  # type: ignore[no-untyped-call]
        self._tasks = max(threads, min(_TASKS, _TASKS_A_THREAD * threads))

    def hold(self, name: str, work: Callable[..., Any], jobs: Sequence[tuple[Any, ...]]) -> list[Held]:
        groups = _groups(jobs, self._tasks)
        futures = [self._submit(_each, work, group) for group in groups]
        self._wait(name, futures)
        sizes = [len(group) for group in groups]
        return [_Kept(future, index) for future, size in zip(futures, sizes, strict=True) for index in range(size)]

    def total(self, name: str, work: Callable[..., Merged], jobs: Sequence[tuple[Any, ...]]) -> Merged:
        futures = [self._submit(_sum, work, group) for group in _groups(jobs, self._tasks)]
        everything = list(futures)
        while len(futures) > 1:
            starts = range(0, len(futures), _TOGETHER)
            futures = [self._client.submit(_added, futures[at : at + _TOGETHER], pure=False) for at in starts]
            everything += futures
        self._wait(name, everything)
        with _as_one_error():
            return futures[0].result()  # type: ignore[no-any-return]

    def _submit(
        self, how: Callable[..., Any], work: Callable[..., Any], jobs: Sequence[tuple[Any, ...]]
    ) -> "Future[Any]":
        kept = {id(one.future): one.future for job in jobs for one in job if isinstance(one, _Kept)}
        places = {key: index for index, key in enumerate(kept)}
        plain = [
            tuple(_Place(places[id(one.future)], one.index) if isinstance(one, _Kept) else one for one in job)
            for job in jobs
        ]
        return self._client.submit(how, work, plain, list(kept.values()), pure=False)

    def _wait(self, name: str, futures: Sequence["Future[Any]"]) -> None:
        """Wait until all is done; raises what a worker raised, and ClusterError once the scheduler is gone."""
        from distributed import wait

        waiting, gone = set(futures), 0.0
        with task(name, len(futures)) as advance, _as_one_error():
            while waiting:
                try:
                    done, waiting = wait(waiting, timeout=_GLANCE, return_when=_ANY)  # type: ignore[no-untyped-call]
                except TimeoutError:
                    done = set()
                gone = 0.0 if self._client.status == "running" else gone + _GLANCE
                if gone > _PATIENCE:
                    raise ClusterError.scheduler_gone()
                for future in done:
                    if future.status == "error":
                        future.result()
                    advance(1)


@dataclass(frozen=True)
class _Place:
    """Where a job finds what was held: which of the results handed to it, and which one in there."""

    result: int
    index: int


def _filled(job: tuple[Any, ...], held: Sequence[Sequence[Any]]) -> tuple[Any, ...]:
    return tuple(held[one.result][one.index] if isinstance(one, _Place) else one for one in job)


def _each(work: Callable[..., Any], jobs: Sequence[tuple[Any, ...]], held: Sequence[Sequence[Any]]) -> list[Any]:
    with on_this_thread():
        return [work(*_filled(job, held)) for job in jobs]


def _sum(work: Callable[..., Any], jobs: Sequence[tuple[Any, ...]], held: Sequence[Sequence[Any]]) -> Any:
    return _added(_each(work, jobs, held))


def _added(results: Sequence[Any]) -> Any:
    return functools.reduce(lambda one, other: one + other, results)


def _groups(jobs: Sequence[tuple[Any, ...]], tasks: int) -> list[Sequence[tuple[Any, ...]]]:
    """Jobs in order as so many groups, as even as can be."""
    groups = min(tasks, len(jobs))
    ends = [len(jobs) * group // groups for group in range(groups + 1)]
    return [jobs[start:stop] for start, stop in pairwise(ends)]


@contextmanager
def _as_one_error() -> Iterator[None]:
    """What goes wrong between here and a cluster, as one error; what workers say of the data stays what it is."""
    from distributed import KilledWorker

    try:
        yield
    except MissingFileError as error:
        raise ClusterError.sees_no_file(str(error)) from error
    except GaugerError:
        raise
    except KilledWorker as error:
        raise ClusterError(
            "workers died again and again at the same part: most often it is memory. Give them more, or let each work "
            "with one thread."
        ) from error
    except FileNotFoundError as error:
        raise ClusterError.sees_no_file(str(error.filename or error)) from error
    except (OSError, TimeoutError, RuntimeError) as error:
        raise ClusterError(
            f"the cluster broke off ({type(error).__name__}). Nothing was written: look whether its scheduler is still "
            "there, and segment again."
        ) from error
    except BaseException as error:
        if "Cancelled" in type(error).__name__:  # of asyncio, of futures, of several futures
            raise ClusterError.scheduler_gone() from error
        raise


@contextmanager
def crew_for(cluster: "str | Client | None" = None, workers: int | None = None) -> Iterator[Crew]:
    """Those who do the work: a cluster that is there already, processes on this machine, or this one's threads."""
    if cluster is None and workers is None:
        with ThreadCrew() as crew:
            yield crew
        return
    with needed_package("distributed", "dask"):
        distributed = importlib.import_module("distributed")
    if isinstance(cluster, distributed.Client):
        _refuse_other_versions(cluster)
        yield DaskCrew(cluster)
        return
    opened = _local(distributed, workers) if workers is not None else _connected(distributed, str(cluster))
    with _quietly(), opened as client:
        _refuse_other_versions(client)
        yield DaskCrew(client)


@contextmanager
def _quietly() -> Iterator[None]:
    """Without the cluster's own log, whose tracebacks our errors say in words."""
    known = [name for name in logging.root.manager.loggerDict if name.split(".")[0] in ("distributed", "tornado")]
    before = {name: logging.getLogger(name).level for name in known}
    for name in known:
        logging.getLogger(name).setLevel(logging.CRITICAL)
    try:
        yield
    finally:
        for name, level in before.items():
            logging.getLogger(name).setLevel(level)


@contextmanager
def _local(distributed: Any, workers: int) -> Iterator["Client"]:
    """A scheduler and workers of one thread on this machine, in a session of their own: Ctrl-C is for us to hear."""
    processes: list[subprocess.Popen[bytes]] = []
    with tempfile.TemporaryDirectory(prefix="gauger-cluster-") as folder:
        file = Path(folder) / "scheduler.json"
        here = ("--host", "127.0.0.1", "--no-dashboard", "--scheduler-file", str(file))
        thread = ("--nthreads", "1", "--no-nanny", "--local-directory", folder)

        def start(*words: str) -> None:
            command = [sys.executable, "-m", "dask", *words, *here]
            quiet = {"stdin": subprocess.DEVNULL, "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
            processes.append(subprocess.Popen(command, start_new_session=True, **quiet))  # type: ignore[call-overload]

        try:
            start("scheduler", "--port", "0")
            _wait_until(file.exists)
            for _ in range(workers):
                start("worker", *thread)
            with _opened(distributed, scheduler_file=str(file)) as client:
                client.wait_for_workers(workers, timeout=_START)
                yield client
        finally:
            for process in processes[::-1]:
                process.kill()
                process.wait()


def _wait_until(ready: Callable[[], bool]) -> None:
    until = time.monotonic() + _START
    while not ready():
        if time.monotonic() > until:
            raise ClusterError("processes on this machine did not start. Leave workers= out: threads do the same work.")
        time.sleep(0.05)


@contextmanager
def _connected(distributed: Any, address: str) -> Iterator["Client"]:
    try:
        opened = _opened(distributed, address=address)
        client = opened.__enter__()
    except (OSError, TimeoutError, ValueError) as error:
        raise ClusterError(
            f"no scheduler answers at {address}. Give its address as `dask scheduler` prints it, such as "
            "tcp://host:8786."
        ) from error
    try:
        yield client
    finally:
        opened.__exit__(None, None, None)


@contextmanager
def _opened(distributed: Any, **where: str) -> Iterator["Client"]:
    """A client that is closed at the end, whatever has become of its scheduler."""
    client = distributed.Client(timeout=_PATIENCE, **where)
    try:
        yield client
    finally:
        with suppress(Exception):
            client.close(timeout=_GLANCE)


def _refuse_other_versions(client: "Client") -> None:
    """Raise ClusterError unless there are workers, and every one has the versions that are here."""
    if not client.scheduler_info(n_workers=-1)["workers"]:
        raise ClusterError("the cluster has no workers. Start some: `dask worker ADDRESS --nthreads 1`.")
    own = _versions()
    try:
        found = client.run(_versions)
    except Exception as error:
        raise ClusterError(
            "Gauger cannot be loaded on the cluster's workers: install the same version there as here "
            f"(gauger {own['gauger']})."
        ) from error
    for worker, theirs in found.items():
        other = [f"{name} {theirs[name]} there and {own[name]} here" for name in _SAME if theirs[name] != own[name]]
        if other:
            raise ClusterError(f"{worker} has other versions: {listed(other, most=5)}. Install the same on both.")


def _versions() -> dict[str, str]:
    return {name: version(name) for name in _SAME}
