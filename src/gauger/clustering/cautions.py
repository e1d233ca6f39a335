"""What every method has to say about its own result: tiny segments."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from gauger.remarks import Remark
from gauger.segmentation import Segmentation
from gauger.wording import plural

TINY_SHARE = 0.01
"""A segment of no more than this share is tiny: judgement."""


_KEYS_SHOWN = 3
"""Keys that a remark names."""


_TINY_SHOWN = 6
"""Tiny segments that a remark names."""


def tiny_segments(seg: Segmentation) -> Iterator[Remark]:
    """A remark on segments of one customer in a hundred or fewer, if there are any."""
    sizes = seg.sizes
    tiny = tuple(int(number) for number in sizes.index[sizes <= max(1, TINY_SHARE * len(seg.codes))])
    if tiny and seg.count > 1:
        who = tuple(keys_shown(seg, np.flatnonzero(seg.codes == number)) for number in tiny[:_TINY_SHOWN])
        parts = [
            f"segment {number} has {sizes[number]:,} {plural(int(sizes[number]), 'customer')} ({keys})"
            for number, keys in zip(tiny, who, strict=False)
        ]
        if len(tiny) > _TINY_SHOWN:
            parts.append(f"and {len(tiny) - _TINY_SHOWN} more as small")
        yield Remark(
            "tiny-segment",
            f"{'; '.join(parts)}: at most {TINY_SHARE:.0%} of all. Extreme customers often end up so. Cap the features "
            "they are extreme in (cap=, --cap), scale those by rank or by their quartiles (scale=, --scale), let "
            "density leave them out (segment_by_density), or treat these customers as a case of their own.",
            segments=tiny,
            who=who,
        )


def keys_shown(seg: Segmentation, rows: NDArray[np.intp]) -> str:
    """The keys of the first few, and dots for the rest."""
    more = ", …" if len(rows) > _KEYS_SHOWN else ""
    return ", ".join(map(str, seg.features.keys[rows[:_KEYS_SHOWN]])) + more
