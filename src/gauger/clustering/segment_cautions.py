"""What every method has to say about its own result: tiny segments."""

from collections.abc import Iterator

import pandas as pd

from gauger.remarks import Remark
from gauger.wording import plural

TINY_SHARE = 0.01
"""A segment of no more than this share is tiny: judgement."""


_TINY_SHOWN = 6
"""Tiny segments that a remark names."""


def tiny_segments(sizes: "pd.Series[int]", customers: int) -> Iterator[Remark]:
    """A remark on segments of one customer in a hundred or fewer, if there are any; `customers` are all."""
    tiny = tuple(int(number) for number in sizes.index[sizes <= max(1, TINY_SHARE * customers)])
    if tiny and len(sizes) > 1:
        parts = [
            f"segment {number} has {sizes[number]:,} {plural(int(sizes[number]), 'customer')}"
            for number in tiny[:_TINY_SHOWN]
        ]
        if len(tiny) > _TINY_SHOWN:
            parts.append(f"and {len(tiny) - _TINY_SHOWN} more as small")
        yield Remark(
            "tiny-segment",
            f"{'; '.join(parts)}: at most {TINY_SHARE:.0%} of all. Extreme customers often end up so. Cap the features "
            "they are extreme in (cap=, --cap), scale those by rank or by their quartiles (scale=, --scale), let "
            "density leave them out (segment_by_density), or treat these customers separately. To list "
            f"them: gauger profile STUDY --members {tiny[0]}.",
            segments=tiny,
        )
