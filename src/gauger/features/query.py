"""Queries that show how far they are, and that Ctrl-C stops at once."""

from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING

import pyarrow as pa

from gauger.progress import task
from gauger.tables import heeding_interrupts

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection


def run_query(database: "DuckDBPyConnection", sql: str, name: str, *, result: bool = True) -> pa.Table:
    """The result of a query, nothing of a statement without `result`."""

    def work() -> pa.Table:
        return database.sql(sql).to_arrow_table() if result else _done(database, sql)

    with task(name, 100) as advance, ThreadPoolExecutor(1) as pool:
        shown = 0

        def tick() -> None:
            nonlocal shown
            now = max(shown, int(database.query_progress()))
            advance(now - shown)
            shown = now

        return heeding_interrupts(pool, work, database.interrupt, tick)


def _done(database: "DuckDBPyConnection", sql: str) -> pa.Table:
    database.execute(sql)
    return pa.table({})
