"""Queries tell how far they are, and stop at Ctrl-C."""

import signal
import threading
from collections.abc import Iterator

import duckdb
import pytest

import gauger
from gauger.features.query import run_query

ENDLESS = "SELECT count(*) FROM range(1000000000) a, range(1000000) b WHERE (a.range + b.range) % 7 = 3"


@pytest.fixture
def interruptible() -> Iterator[None]:
    """Ctrl-C as a user's process has it, whatever runs the tests."""
    before = signal.signal(signal.SIGINT, signal.default_int_handler)
    yield
    signal.signal(signal.SIGINT, before)


@pytest.mark.usefixtures("interruptible")
def test_ctrl_c_stops_an_endless_query() -> None:
    class PressesLater:
        """Presses Ctrl-C once the query is under way."""

        def started(self, name: str, _total: int | None) -> object:
            threading.Timer(0.1, signal.raise_signal, [signal.SIGINT]).start()
            return name

        def advanced(self, _mark: object, _steps: int) -> None:
            return

        def finished(self, _mark: object) -> None:
            return

    with duckdb.connect() as database:
        with gauger.listening(PressesLater()), pytest.raises(KeyboardInterrupt):
            run_query(database, ENDLESS, "counting")
        assert database.execute("SELECT 1").fetchall() == [(1,)]


def test_a_query_is_a_task_of_a_hundred_steps() -> None:
    heard: list[tuple[str, int | None]] = []

    class Listener:
        def started(self, name: str, total: int | None) -> object:
            heard.append((name, total))
            return name

        def advanced(self, _mark: object, steps: int) -> None:
            assert 0 <= steps <= 100

        def finished(self, mark: object) -> None:
            heard.append((str(mark), None))

    with duckdb.connect() as database, gauger.listening(Listener()):
        assert run_query(database, "SELECT 42", "answering").to_pylist() == [{"42": 42}]
    assert heard == [("answering", 100), ("answering", None)]
