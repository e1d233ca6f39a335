"""What is done in a database, where the customers live: learning, assigning, profiling, comparing, looking."""

from gauger.warehouse.assigning import DatabaseAssignments, assign_in_database
from gauger.warehouse.behaviour import DatabaseBehaviour, summarise_in_database
from gauger.warehouse.drifting import drift_in_database
from gauger.warehouse.looking import look_in_database
from gauger.warehouse.profiling import profile_table
from gauger.warehouse.relations import numeric_columns_of
from gauger.warehouse.replacing import refuse_other_study
from gauger.warehouse.sampling import features_of_sample, nobody
from gauger.warehouse.segmenting import Destination, rename_segments, segment_table
from gauger.warehouse.showing import dialect_to_show, statements_for

__all__ = [
    "DatabaseAssignments",
    "DatabaseBehaviour",
    "Destination",
    "assign_in_database",
    "dialect_to_show",
    "drift_in_database",
    "features_of_sample",
    "look_in_database",
    "nobody",
    "numeric_columns_of",
    "profile_table",
    "refuse_other_study",
    "rename_segments",
    "segment_table",
    "statements_for",
    "summarise_in_database",
]
