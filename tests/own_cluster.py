"""A Dask scheduler and workers of this test's own, each a process."""

import json
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

_PATIENCE = 60.0


@dataclass
class OwnCluster:
    """A scheduler that listens on this machine alone; workers come and go."""

    folder: Path
    processes: list["subprocess.Popen[bytes]"] = field(default_factory=list)

    @property
    def address(self) -> str:
        """Where the scheduler listens."""
        return str(json.loads(self._file.read_text(encoding="utf-8"))["address"])

    @property
    def _file(self) -> Path:
        return self.folder / "scheduler.json"

    def start(self, *words: str) -> "subprocess.Popen[bytes]":
        """Start `dask WORDS`."""
        command = [sys.executable, "-m", "dask", *words, "--scheduler-file", str(self._file)]
        with (self.folder / f"{len(self.processes)}.log").open("wb") as log:
            self.processes.append(subprocess.Popen(command, stdout=log, stderr=log, cwd=self.folder))
        return self.processes[-1]

    def add_worker(self) -> "subprocess.Popen[bytes]":
        """One worker more, of one thread, that nobody starts again when it dies."""
        place = ("--local-directory", str(self.folder))
        return self.start("worker", "--nthreads", "1", "--no-nanny", "--no-dashboard", "--host", "127.0.0.1", *place)

    def wait_for(self, workers: int) -> None:
        """Wait until so many workers are there."""
        from distributed import Client

        with Client(self.address, timeout=_PATIENCE) as client:
            client.wait_for_workers(workers, timeout=_PATIENCE)


@contextmanager
def own_cluster(folder: Path, workers: int) -> Iterator[OwnCluster]:
    cluster = OwnCluster(folder)
    try:
        cluster.start("scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard")
        until = time.monotonic() + _PATIENCE
        while not cluster._file.exists():
            assert time.monotonic() < until, "the scheduler did not start"
            time.sleep(0.1)
        for _ in range(workers):
            cluster.add_worker()
        cluster.wait_for(workers)
        yield cluster
    finally:
        for process in cluster.processes[::-1]:
            process.kill()
            process.wait()
