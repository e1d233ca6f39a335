"""What is done in a database, where the customers live: learning, assigning, profiling, comparing, looking."""

from gauger.warehouse.segmenting import Destination, segment_table

__all__ = [
    "Destination",
    "segment_table",
]
