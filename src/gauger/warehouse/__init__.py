"""What is done in a database, where the customers live: learning, assigning, profiling, comparing, looking."""

from gauger.warehouse.profiling import profile_table
from gauger.warehouse.relations import numeric_columns_of
from gauger.warehouse.sampling import features_of_sample
from gauger.warehouse.segmenting import Destination, segment_table

__all__ = [
    "Destination",
    "features_of_sample",
    "numeric_columns_of",
    "profile_table",
    "segment_table",
]
