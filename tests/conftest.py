"""Fixtures: the demo world's tables and features, small made-up ones, and the command line."""

import contextlib
import io
import os
import random
import signal
import subprocess
import sys
import traceback
from collections.abc import Callable, Iterator
from functools import cache
from itertools import groupby
from pathlib import Path
from urllib.parse import quote_plus

import compiled_loops
import kept_values
import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, settings
from own_postgres import MEETING, NEEDED, PASSWORD, USER, find_programs, shared_postgres
from typer.main import get_command

import gauger
from gauger.cli.app import app
from gauger.demo.walkthrough import FEATURES
from gauger.demo.world import World, build_world
from tests.examples import mark_turns
from tests.short_cuts import drawn_in_full, short_cuts

# There is no deadline: a shared machine may be slow for a moment. What is drawn is the same in every run, so
# that a commit that passed keeps passing; `make test-random` searches on, and what it finds becomes an example.
_NOT_ASKED = (HealthCheck.too_slow, HealthCheck.function_scoped_fixture)
settings.register_profile(
    "quick", deadline=None, print_blob=True, derandomize=True, max_examples=10, suppress_health_check=_NOT_ASKED
)
settings.register_profile("thorough", parent=settings.get_profile("quick"), max_examples=100)
settings.register_profile("random", parent=settings.get_profile("thorough"), derandomize=False, max_examples=1_000)
settings.load_profile("quick")

Run = Callable[..., subprocess.CompletedProcess[str]]


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--shuffle", type=int, metavar="SEED", help="run files, and tests in each, in random order")
    parser.addoption("--share", default="0/1", metavar="K/N", help="run every Nth test from the Kth on, counted from 0")


def pytest_configure(config: pytest.Config) -> None:
    """On a fresh clone, compile every loop before workers start that would each do it."""
    if not hasattr(config, "workerinput") and not config.option.collectonly:
        compiled_loops.compile_what_is_missing()


@pytest.hookimpl(wrapper=True)
def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> Iterator[None]:
    """Mark who takes turns, and shuffle or take a share when asked; files stay together, for their fixtures."""
    mark_turns(items)
    if config.option.shuffle is not None:
        order = random.Random(config.option.shuffle)
        files = [list(group) for _, group in groupby(items, key=lambda item: item.path)]
        order.shuffle(files)
        for file in files:
            order.shuffle(file)
        items[:] = [item for file in files for item in file]
    yield
    first, every = map(int, config.option.share.split("/"))
    config.hook.pytest_deselected(items=[one for at, one in enumerate(items) if at % every != first])
    items[:] = items[first::every]


@pytest.fixture(scope="session", autouse=True)
def _own_state(tmp_path_factory: pytest.TempPathFactory) -> None:
    """Keep what Gauger remembers for a user out of the user's own folder."""
    os.environ["XDG_STATE_HOME"] = str(tmp_path_factory.mktemp("state"))


@pytest.fixture(scope="session", autouse=True)
def _short_cuts() -> Iterator[None]:
    with short_cuts():
        yield


@pytest.fixture
def drawn() -> Iterator[None]:
    """Everything is drawn as users see it, and saved."""
    with drawn_in_full():
        yield


@pytest.fixture(scope="session")
def world() -> World:
    return build_world()


@pytest.fixture(scope="session")
def members() -> pd.DataFrame:
    return gauger.read_table(gauger.demo_file("members.csv"))


@pytest.fixture(scope="session")
def visits() -> pd.DataFrame:
    return gauger.read_table(gauger.demo_file("visits.csv"))


@pytest.fixture(scope="session")
def behaviour(visits: pd.DataFrame) -> pd.DataFrame:
    return gauger.summarise_events(
        visits,
        customer="member_id",
        when="visited_on",
        amount="ticket_spend",
        quantity="seats",
        event_key="visit_id",
    )


@pytest.fixture(scope="session")
def demo_features(behaviour: pd.DataFrame) -> gauger.FeatureSet:
    return gauger.prepare(behaviour, key="member_id", features=FEATURES, cap=(0.0, 0.99))


@pytest.fixture(scope="session")
def mixed_features(members: pd.DataFrame) -> gauger.FeatureSet:
    """Features with every kind of treatment: fills, flags, levels, caps, shapes, scales and weights."""
    return gauger.prepare(
        members,
        key="member_id",
        features=["age", "east_km", "north_km"],
        categories=["household"],
        missing={"age": "median"},
        flag_missing=["age"],
        cap={"north_km": (0.01, 0.99)},
        transform={"age": "power", "east_km": "sqrt", "north_km": "signed_log"},
        scale={"east_km": "rank", "north_km": "robust"},
        weight={"age": 2.0},
    )


@pytest.fixture(scope="session")
def demo_study(request: pytest.FixtureRequest) -> gauger.CountStudy:
    return kept_values.kept("demo-study", lambda: gauger.study_counts(request.getfixturevalue("demo_features")))


@pytest.fixture(scope="session")
def demo_segments(demo_study: gauger.CountStudy) -> gauger.Segmentation:
    return demo_study.segmentations[demo_study.advice.count]


@pytest.fixture
def features_of() -> Callable[..., gauger.FeatureSet]:
    """Features as they are, from an array (n, d) of working values."""

    def make(values: object, scale: str = "none") -> gauger.FeatureSet:
        array = np.asarray(values, dtype=float)
        table = pd.DataFrame(array, columns=[f"f{index}" for index in range(array.shape[1])])
        table.insert(0, "who", [f"c{row:05d}" for row in range(len(array))])
        return gauger.prepare(table, key="who", scale=scale)

    return make


_all_commands = cache(lambda: get_command(app))
"""What a process builds when it starts, for once."""


@pytest.fixture
def command(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Run:
    """Run `gauger …` inside this process, in an empty folder, without a terminal."""

    def run(*arguments: object, **environment: str) -> subprocess.CompletedProcess[str]:
        words, out, err, code = [str(word) for word in arguments], io.StringIO(), io.StringIO(), 0
        before = signal.getsignal(signal.SIGINT)
        with monkeypatch.context() as patch, contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            patch.chdir(tmp_path)
            for name, value in environment.items():
                patch.setenv(name, value)
            try:
                _all_commands().main(words, prog_name="gauger")
            except SystemExit as stop:
                code = int(stop.code or 0)
            except Exception:  # noqa: BLE001 - a process would end with its traceback
                traceback.print_exc()
                code = 1
        signal.signal(signal.SIGINT, before)
        return subprocess.CompletedProcess(words, code, out.getvalue(), err.getvalue())

    return run


@pytest.fixture
def process(tmp_path: Path) -> Run:
    """The same as a process of its own, for what only that shows: encodings, exit codes, what is imported."""

    def run(*arguments: object, **environment: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "gauger", *map(str, arguments)],
            cwd=tmp_path,
            env={**os.environ, **environment},
            capture_output=True,
            text=True,
            timeout=120,
        )

    return run


@pytest.fixture(scope="session")
def postgres(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The URL of a database of a real PostgreSQL, with `members` and `visits` of the demo in it, one per worker."""
    sqlalchemy = pytest.importorskip("sqlalchemy")
    programs = find_programs()
    if programs is None:
        assert not os.environ.get(NEEDED), "PostgreSQL is needed here: apt-get install postgresql"
        pytest.skip("no PostgreSQL on this machine: apt-get install postgresql")
    run = tmp_path_factory.getbasetemp()
    worker = os.environ.get("PYTEST_XDIST_WORKER", f"_{os.getpid()}")
    meeting = Path(os.environ.get(MEETING) or (run.parent if worker.startswith("gw") else run))
    with shared_postgres(programs, meeting) as socket:
        login = f"postgresql+psycopg://{USER}:{quote_plus(PASSWORD)}@/"
        admin = sqlalchemy.create_engine(f"{login}postgres?host={socket}", isolation_level="AUTOCOMMIT")
        with admin.connect() as connection:
            connection.execute(sqlalchemy.text(f"CREATE DATABASE shop{worker}"))
        admin.dispose()
        url = f"{login}shop{worker}?host={socket}"
        engine = sqlalchemy.create_engine(url)
        for name in ("members", "visits"):
            gauger.read_table(gauger.demo_file(f"{name}.csv")).to_sql(name, engine, index=False)
        engine.dispose()
        yield url
