"""Hashes of keys: the same for a key however it is stored, and by chunks as in one piece."""

from decimal import Decimal

import numpy as np
import pyarrow as pa
import pytest

from gauger.tables import hashes_of

KEYS = [7, 0, -3, 1_234_567_890_123]


@pytest.mark.parametrize(
    "stored",
    [
        pa.array(KEYS),
        pa.array(KEYS, pa.float64()),
        pa.array([Decimal(key) for key in KEYS], pa.decimal128(20, 2)),
        pa.array(list(map(str, KEYS))),
        pa.array([f"{key}.00" for key in KEYS], pa.large_string()),
        pa.array(list(map(str, KEYS))).dictionary_encode(),
    ],
    ids=lambda stored: str(stored.type)[:12],
)
def test_a_key_has_one_hash_however_it_is_stored(stored: pa.Array) -> None:
    expected = hashes_of(pa.chunked_array([pa.array(list(map(str, KEYS)))]))
    assert len(np.unique(expected)) == len(KEYS)
    assert hashes_of(pa.chunked_array([stored])).tolist() == expected.tolist()
    chunks = pa.chunked_array([stored[:1], stored[1:1], stored[1:]])
    assert hashes_of(chunks).tolist() == expected.tolist()
    assert hashes_of(pa.chunked_array([stored[2:]])).tolist() == expected[2:].tolist()


def test_texts_keep_what_is_no_number_and_nobody_has_no_hash() -> None:
    texts = ["7.5", "7.50", "v1.0", "1.0.0", "a.b", "7."]
    assert len(np.unique(hashes_of(pa.chunked_array([pa.array(texts)])))) == len(texts)
    assert hashes_of(pa.chunked_array([], pa.string())).tolist() == []
