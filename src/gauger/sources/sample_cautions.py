"""What a sample shows is said of the sample, unless it is everyone."""

from collections.abc import Iterable, Iterator
from dataclasses import replace

from gauger.remarks import Remark
from gauger.wording import Noun

_KNOWN_OF_ALL = ("customers-left-out", "columns-left-out", "tiny-segment", "not-converged", "keys-made-whole")
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
