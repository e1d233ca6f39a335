"""Tables and views of PostgreSQL, DuckDB and SQLite as a place where customers live: all work is SQL there."""

from gauger.sources.databases.database_place import DatabasePlace
from gauger.sources.databases.database_profile import profile_table
from gauger.sources.databases.database_tables import DatabaseTable
from gauger.sources.databases.statements_shown import dialect_to_show, statements_for
from gauger.sources.databases.table_replacing import refuse_other_study
from gauger.sources.databases.table_targets import CENTRES, TableTarget, rename_segments

__all__ = [
    "CENTRES",
    "DatabasePlace",
    "DatabaseTable",
    "TableTarget",
    "dialect_to_show",
    "profile_table",
    "refuse_other_study",
    "rename_segments",
    "statements_for",
]
