"""Hashes of keys, whatever type a file or a table has them in."""

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from gauger.algorithms import hash_numbers, hash_texts

Hashes = NDArray[np.uint64]


_POINTLESS = r"^(-?\d+)\.0*$"
"""Whole numbers that text has with a decimal point: `7.0` in one file may be the `7` of another."""


def hashes_of(keys: pa.ChunkedArray) -> Hashes:
    """A hash of each key (n,), which depends on nothing else; of 7, of 7.0 and of decimals alike it is the same."""
    parts = [_hashes_of_array(chunk) for chunk in keys.chunks]
    return parts[0] if len(parts) == 1 else np.concatenate([np.empty(0, dtype=np.uint64), *parts])


def _hashes_of_array(keys: pa.Array) -> Hashes:
    if pa.types.is_dictionary(keys.type):
        keys = keys.cast(keys.type.value_type)
    hashes: Hashes = np.empty(len(keys), dtype=np.uint64)
    if pa.types.is_floating(keys.type):  # those that are not whole are refused
        keys = pc.floor(keys).cast(pa.int64(), safe=False)
    if pa.types.is_integer(keys.type):
        hash_numbers(keys.cast(pa.int64(), safe=False).to_numpy(zero_copy_only=False), hashes)
        return hashes
    texts = pa.concat_arrays([keys.cast(pa.large_string())])
    if pc.any(pc.match_substring(texts, ".")).as_py():
        texts = pc.replace_substring_regex(texts, _POINTLESS, r"\1")
    _, ends, letters = texts.buffers()
    offsets = np.frombuffer(ends, dtype=np.int64)[texts.offset : texts.offset + len(texts) + 1]
    hash_texts(np.frombuffer(letters or b"", dtype=np.uint8), offsets, hashes)
    return hashes
