"""Arrays in, arrays out: every formula and every compiled loop, and what all of them stand on."""

from gauger.algorithms.memory import bytes_in_words
from gauger.algorithms.parallel import map_jobs, thread_count
from gauger.algorithms.random_streams import Stream, fixed_generator
from gauger.algorithms.row_order import RowOrder, order_rows

__all__ = [
    "RowOrder",
    "Stream",
    "bytes_in_words",
    "fixed_generator",
    "map_jobs",
    "order_rows",
    "thread_count",
]
