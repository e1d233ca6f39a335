"""What an advice becomes once a tree's cut is looked at: each bound on segmentations and evidence that are made up."""

from types import SimpleNamespace
from typing import Any

import numpy as np
import pandas as pd
import pytest

from gauger.choosing.advice import CountAdvice
from gauger.choosing.cuts import WAYS_OUT, advice_on_cuts

ADVICE = CountAdvice(3, "clear", ("first", "second"), {2: "two", 4: "four", 5: "five", 6: "six"}, {})


def _looked_at(
    sizes: dict[int, list[int]], depth: float, groups: tuple[int, int] = (3, 3), linkage: str = "single", **change: Any
) -> CountAdvice:
    """The advice of three, on cuts of these sizes; `depth` is that of the valleys in the cut."""
    made: Any = {
        count: SimpleNamespace(sizes=pd.Series(one), count=len(one), codes=np.arange(1, len(one) + 1))
        for count, one in sizes.items()
    }
    evidence: Any = SimpleNamespace(count=groups[0], between_valleys=groups[1], depth_of=lambda _: depth)
    tree: Any = SimpleNamespace(linkage=linkage)
    advice = CountAdvice(**{**vars(ADVICE), **change})
    return advice_on_cuts(advice, evidence, made, tree)


@pytest.mark.parametrize(
    ("depth", "groups", "shown"),
    [(0.35, (3, 3), True), (0.34, (3, 3), False), (0.1, (3, 2), True), (0.1, (4, 4), True)],
)
def test_a_cut_needs_a_valley_between_each_two_segments_where_the_groups_have_one(
    depth: float, groups: tuple[int, int], shown: bool
) -> None:
    found = _looked_at({3: [40, 30, 30]}, depth, groups)
    assert (found.verdict == "clear") is shown
    assert (found.reasons[0] == "first") is shown


def test_of_a_cut_that_joins_groups_both_sentences_are_given_and_the_first_reason_goes() -> None:
    found = _looked_at({3: [40, 30, 30]}, 0.1)
    assert found.reasons == (
        f"Cut at 3, this tree does not show the groups: its segments have 40, 30 and 30 customers. Try {WAYS_OUT}.",
        "The customers themselves do fall into 3 groups: k-means finds them, where two segments of this cut have no "
        "valley between them.",
        "second",
    )
    assert found.verdict == "unclear"
    assert found.alternatives == {2: "two", 4: "four", 5: "five"}


def test_segments_too_small_to_be_groups_are_counted_and_the_next_cut_with_enough_comes_first() -> None:
    """At seven there are only two of a fair size; at eight three, at nine three as well."""
    cuts = {3: [90, 9, 1], 7: [90, 5, 1, 1, 1, 1, 1], 8: [50, 39, 6, 1, 1, 1, 1, 1], 9: [50, 39, 4, 2, 1, 1, 1, 1, 1]}
    found = _looked_at(cuts, 0.9, linkage="ward")
    assert found.reasons[:2] == (
        "Cut at 3, this tree does not show the groups: its segments have 90, 9 and 1 customers, and 1 is too small to "
        "be one. Try k-means.",
        "The customers themselves do fall into 3 groups: k-means finds them.",
    )
    assert found.alternatives == {8: "3 segments of a fair size and 5 of a few customers", 2: "two", 4: "four"}
    again = _looked_at({3: [90, 9, 1], 4: [50, 40, 9, 1]}, 0.9, alternatives={4: "four"})
    assert again.alternatives == {4: "3 segments of a fair size and 1 of a few customers"}


def test_without_structure_or_with_one_segment_nothing_is_looked_at() -> None:
    assert _looked_at({3: [98, 1, 1]}, 0.0, verdict="no structure").reasons == ADVICE.reasons
    assert _looked_at({1: [100]}, 0.0, (1, 1), count=1).reasons == ADVICE.reasons
