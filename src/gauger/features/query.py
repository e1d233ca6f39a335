"""Queries that show how far they are, and that Ctrl-C stops at once."""

from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING

import pyarrow as pa

from gauger.progress import task

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

_TICK = 0.1
"""Seconds between looks whether Ctrl-C was pressed."""


def run_query(database: "DuckDBPyConnection", sql: str, name: str, *, result: bool = True) -> pa.Table:
    """The result of a query, nothing of a statement without `result`; the main thread alone hears Ctrl-C, so that it is
    run beside it."""
    with task(name, 100) as advance, ThreadPoolExecutor(1) as pool:
        future = pool.submit(lambda: database.sql(sql).to_arrow_table() if result else _done(database, sql))
        shown = 0
        try:
            while True:
                try:
                    return future.result(timeout=_TICK)
                except TimeoutError:
                    now = max(shown, int(database.query_progress()))
                    advance(now - shown)
                    shown = now
        except KeyboardInterrupt:
            database.interrupt()
            raise


def _done(database: "DuckDBPyConnection", sql: str) -> pa.Table:
    database.execute(sql)
    return pa.table({})
