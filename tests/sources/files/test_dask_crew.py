"""A real scheduler and workers as processes: the same bits as one machine's threads, and what goes wrong is told."""

import datetime
from collections.abc import Iterator
from pathlib import Path

import pytest

import gauger
from gauger.errors import ClusterError
from gauger.sources.files import dask_crew
from tests.own_cluster import OwnCluster, own_cluster
from tests.own_segments import files_segmented
from tests.sources.files.made_up import PREPARATION, made_up_members, split

MADE_AT = datetime.datetime(2026, 1, 1, tzinfo=datetime.UTC)


@pytest.fixture(scope="module")
def base(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("clustered") / "base"
    split(folder, made_up_members(5, 4_000), [900, 1_500, 2_500, 3_300], 300)
    return folder


@pytest.fixture(scope="module")
def alone(base: Path) -> Path:
    return _segmented(base, base.parent / "alone")


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[OwnCluster]:
    with own_cluster(tmp_path_factory.mktemp("dask"), workers=2) as found:
        yield found


def _segmented(base: Path, out: Path, **settings: object) -> Path:
    made = files_segmented(base, out, key="who", count=3, sample=500, made_at=MADE_AT, **PREPARATION, **settings)
    return made.path


def _bytes(study: Path) -> dict[str, bytes]:
    names = ["model.json", "centres.csv", "profile.csv", "sample.parquet", "plan.toml", "remarks.json"]
    names += [path.relative_to(study).as_posix() for path in sorted((study / "assignments").iterdir())]
    return {name: (study / name).read_bytes() for name in names}


class KillsOne:
    """Kills a worker once k-means is under way."""

    def __init__(self, cluster: OwnCluster) -> None:
        self.cluster, self.killed = cluster, False

    def started(self, name: str, _: int | None) -> str:
        if name == "those who may move" or name == "assigning everyone":
            self._kill()
        return name

    def advanced(self, mark: object, _: int) -> None:
        if mark == "k-means over everyone":
            self._kill()

    def finished(self, _: object) -> None:
        return

    def _kill(self) -> None:
        if not self.killed:
            self.killed = True
            self.cluster.processes[-1].kill()


@pytest.mark.slow
def test_a_worker_that_is_killed_changes_no_bit(base: Path, alone: Path, cluster: OwnCluster) -> None:
    killer = KillsOne(cluster)
    with gauger.listening(killer):
        found = _segmented(base, base.parent / "killed", cluster=cluster.address)
    assert killer.killed
    assert cluster.processes[-1].wait(timeout=10) != 0
    assert _bytes(found) == _bytes(alone)


@pytest.mark.slow
def test_a_client_is_taken_as_it_is(base: Path, alone: Path, cluster: OwnCluster) -> None:
    from distributed import Client

    with Client(cluster.address) as client:
        found = _segmented(base, base.parent / "client", cluster=client)
        assert client.scheduler_info()["workers"]
    assert _bytes(found) == _bytes(alone)


@pytest.mark.slow
def test_what_is_wrong_with_the_data_is_told_as_on_one_machine(cluster: OwnCluster, tmp_path: Path) -> None:
    table = made_up_members(1, 60)
    table.loc[50, "who"] = table.loc[3, "who"]
    split(tmp_path / "base", table, [30], 20)
    with pytest.raises(gauger.errors.KeyColumnError, match="'who' repeats \\(1 row too many"):
        _segmented(tmp_path / "base", tmp_path / "out", cluster=cluster.address)
    assert not (tmp_path / "out").exists()


@pytest.mark.slow
def test_a_scheduler_that_is_not_there_is_reported(base: Path, tmp_path: Path) -> None:
    with pytest.raises(ClusterError, match=r"no scheduler answers at tcp://127\.0\.0\.1:9"):
        _segmented(base, tmp_path / "out", cluster="tcp://127.0.0.1:9")
    assert not (tmp_path / "out").exists()


@pytest.mark.slow
def test_a_scheduler_that_goes_away_is_told(base: Path, tmp_path: Path) -> None:
    class Ends(KillsOne):
        def _kill(self) -> None:
            if not self.killed:
                self.killed = True
                self.cluster.processes[0].kill()

    (tmp_path / "dask").mkdir()
    with (
        own_cluster(tmp_path / "dask", workers=1) as short,
        gauger.listening(Ends(short)),
        pytest.raises(ClusterError, match="Nothing was written"),
    ):
        _segmented(base, tmp_path / "out", cluster=short.address)
    assert not (tmp_path / "out").exists()


@pytest.mark.slow
def test_workers_of_another_version_are_told(
    base: Path, cluster: OwnCluster, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gauger.sources.files.dask_crew.version", lambda name: "0.0.1" if name == "gauger" else "1")
    with pytest.raises(ClusterError, match=r"has other versions: gauger .* there and 0\.0\.1 here"):
        _segmented(base, tmp_path / "out", cluster=cluster.address)


def test_what_is_started_is_waited_for_and_for_no_longer_than_a_while(monkeypatch: pytest.MonkeyPatch) -> None:
    glances = iter([False, False, True])
    monkeypatch.setattr(dask_crew.time, "sleep", lambda _: None)
    dask_crew._wait_until(lambda: next(glances))
    assert list(glances) == []
    monkeypatch.setattr(dask_crew, "_START", -1.0)
    dask_crew._wait_until(lambda: True)
    with pytest.raises(ClusterError, match="processes on this machine did not start"):
        dask_crew._wait_until(lambda: False)
