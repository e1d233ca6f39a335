"""Queries that show how far they are, and that Ctrl-C stops at once."""

from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING

import pyarrow as pa

from gauger.progress import task

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

_TICK = 0.1
"""Seconds between looks whether Ctrl-C was pressed."""


def run_query(database: "DuckDBPyConnection", sql: str, name: str) -> pa.Table:
    """The result of a query, run beside the main thread, which alone hears Ctrl-C and passes it on."""
    with task(name, 100) as advance, ThreadPoolExecutor(1) as pool:
        future = pool.submit(lambda: database.sql(sql).to_arrow_table())
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
