"""Arrays in, arrays out: every formula and every compiled loop, and what all of them stand on."""

from gauger.algorithms.key_hashes import as_shares, hash_numbers, hash_texts, remixed
from gauger.algorithms.memory import available_bytes, bytes_in_words
from gauger.algorithms.parallel import map_jobs, on_this_thread, thread_count
from gauger.algorithms.random_streams import Stream, fixed_generator
from gauger.algorithms.reports import report_through
from gauger.algorithms.row_order import RowOrder, order_rows

__all__ = [
    "RowOrder",
    "Stream",
    "as_shares",
    "available_bytes",
    "bytes_in_words",
    "fixed_generator",
    "hash_numbers",
    "hash_texts",
    "map_jobs",
    "on_this_thread",
    "order_rows",
    "remixed",
    "report_through",
    "thread_count",
]
