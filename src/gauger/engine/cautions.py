"""What there is to say of segments of files: from exact sums where these tell, else from a sample, and saying so."""

from collections.abc import Iterable, Iterator
from dataclasses import replace

import pandas as pd

from gauger.clustering import TINY_SHARE
from gauger.remarks import Remark
from gauger.wording import Noun, plural

_TINY_SHOWN = 6
"""Tiny segments that a remark names."""

_KNOWN_OF_ALL = ("customers-left-out", "columns-left-out", "tiny-segment", "not-converged")
"""Codes of remarks that are made from what is known of everyone."""


def of_sample(remarks: Iterable[Remark], sampled: int, customers: int, noun: Noun) -> Iterator[Remark]:
    """Remarks on a sample, each saying so where the sample is not everyone."""
    for remark in remarks:
        if remark.code in _KNOWN_OF_ALL:
            continue
        if sampled == customers:
            yield remark
        else:
            text = f"{remark.text} (Seen in a sample of {sampled:,} of {noun.counted(customers)}.)"
            yield replace(remark, text=text)


def about_segments(sizes: pd.Series, history: pd.DataFrame, max_iterations: int) -> Iterator[Remark]:
    """Iterations that ran out, and tiny segments."""
    moved, customers = int(history["moved"].iloc[-1]), int(sizes.sum())
    if moved:
        yield Remark(
            "not-converged",
            f"stopped after {max_iterations} {plural(max_iterations, 'iteration')} with {moved:,} of {customers:,} "
            f"customers ({moved / customers:.2g} of all) still moving: the segments are not final. Raise "
            "max_iterations (--max-iterations).",
        )
    yield from about_tiny(sizes)


def about_tiny(sizes: pd.Series) -> Iterator[Remark]:
    """Segments of hardly anybody."""
    customers = int(sizes.sum())
    tiny = [int(number) for number in sizes.index[sizes <= max(1, TINY_SHARE * customers)]]
    if tiny and len(sizes) > 1:
        parts = [f"segment {number} has {sizes[number]:,}" for number in tiny[:_TINY_SHOWN]]
        if len(tiny) > _TINY_SHOWN:
            parts.append(f"and {len(tiny) - _TINY_SHOWN} more have as few")
        yield Remark(
            "tiny-segment",
            f"{'; '.join(parts)} of {customers:,} customers: at most {TINY_SHARE:.0%} of all. Extreme customers often "
            "end up so. Cap the features they are extreme in (cap=, --cap), scale those by their quartiles (scale=, "
            "--scale), or treat these customers as a case of their own.",
            segments=tuple(tiny),
        )
