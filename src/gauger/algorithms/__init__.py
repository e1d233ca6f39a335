"""Arrays in, arrays out: every formula and every compiled loop, and what all of them stand on."""

from gauger.algorithms.memory import in_words
from gauger.algorithms.parallel import map_jobs
from gauger.algorithms.random_streams import Stream, fixed_generator
from gauger.algorithms.row_order import RowOrder, order_rows

__all__ = [
    "RowOrder",
    "Stream",
    "fixed_generator",
    "in_words",
    "map_jobs",
    "order_rows",
]
