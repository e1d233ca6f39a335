"""A hash of each key that depends on the key alone: the same from text and from whole numbers, on every machine."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

Hashes = NDArray[np.uint64]

_DIGITS = 18
"""Digits of a whole number that surely fits 64 bits."""


@njit(nogil=True, cache=True, inline="always")
def _mixed(h):
    """The finaliser of Steele, Lea & Flood (2014)."""
    h = h + np.uint64(0x9E3779B97F4A7C15)
    h = (h ^ (h >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    h = (h ^ (h >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return h ^ (h >> np.uint64(31))


@njit(nogil=True, cache=True)
def hash_numbers(numbers, hashes):
    """Hashes (n,) of whole numbers (n,) int64."""
    for r in range(len(numbers)):
        hashes[r] = _mixed(np.uint64(numbers[r]))


@njit(nogil=True, cache=True)
def hash_texts(letters, ends, hashes):
    """Hashes (n,) of texts: text r is letters[ends[r] : ends[r + 1]] in UTF-8.

    A text that is a whole number written without a needless sign or zero has the hash of the number.
    """
    for r in range(len(hashes)):
        first, last = ends[r], ends[r + 1]
        start = first + 1 if last > first + 1 and letters[first] == 45 else first
        plain = 0 < last - start <= _DIGITS and (letters[start] != 48 or (last == start + 1 and start == first))
        number = np.int64(0)
        for at in range(start, last):
            digit = np.int64(letters[at]) - 48
            if not plain or digit < 0 or digit > 9:
                plain = False
                break
            number = number * 10 + digit
        if plain:
            hashes[r] = _mixed(np.uint64(-number if start > first else number))
            continue
        h = np.uint64(last - first)
        word, bits = np.uint64(0), np.uint64(0)
        for at in range(first, last):
            word |= np.uint64(letters[at]) << bits
            bits += np.uint64(8)
            if bits == 64:
                h = _mixed(h ^ word)
                word, bits = np.uint64(0), np.uint64(0)
        hashes[r] = _mixed(_mixed(h ^ word) ^ np.uint64(0x5851F42D4C957F2D))


def remixed(hashes: Hashes, salt: int) -> Hashes:
    """Hashes (n,) for another purpose, or another seed: as good as drawn anew."""
    with np.errstate(over="ignore"):
        h = hashes ^ (np.uint64(salt % 2**64) * np.uint64(0xD1342543DE82EF95) + np.uint64(0x9E3779B97F4A7C15))
        h = (h ^ (h >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        h = (h ^ (h >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        return np.asarray(h ^ (h >> np.uint64(31)))


def as_shares(hashes: Hashes) -> NDArray[np.float64]:
    """Hashes (n,) as numbers above 0 and at most 1."""
    return np.asarray(((hashes >> np.uint64(11)).astype(np.float64) + 1.0) * 2.0**-53)
