"""Where customers live: one protocol of what a place must be able to do, and files and databases behind it."""

from gauger.sources.assignments import Assignments
from gauger.sources.databases import (
    CENTRES,
    DatabasePlace,
    DatabaseTable,
    TableTarget,
    dialect_to_show,
    profile_table,
    refuse_other_study,
    rename_segments,
    statements_for,
)
from gauger.sources.execution import FEW, SAMPLE, Execution
from gauger.sources.files import BlockPart, BlockPlace, BlockTable, FileTable, is_too_large
from gauger.sources.learned_everyone import Learned, as_sample, nobody, treated_alike
from gauger.sources.open_tables import PlacedTable
from gauger.sources.opening_tables import open_table
from gauger.sources.places import Place
from gauger.sources.segmenting_everyone import SegmentedEveryone

__all__ = [
    "CENTRES",
    "FEW",
    "SAMPLE",
    "Assignments",
    "BlockPart",
    "BlockPlace",
    "BlockTable",
    "DatabasePlace",
    "DatabaseTable",
    "Execution",
    "FileTable",
    "Learned",
    "Place",
    "PlacedTable",
    "SegmentedEveryone",
    "TableTarget",
    "as_sample",
    "dialect_to_show",
    "is_too_large",
    "nobody",
    "open_table",
    "profile_table",
    "refuse_other_study",
    "rename_segments",
    "statements_for",
    "treated_alike",
]
