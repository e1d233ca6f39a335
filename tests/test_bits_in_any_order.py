"""The order of rows changes nothing, to the last bit: segments, their sums of squares and what they explain."""

import numpy as np
import pandas as pd
import pytest

import gauger


@pytest.mark.parametrize("weighted", [False, True])
def test_sums_of_squares_have_the_same_bits_in_any_order_of_rows(*, weighted: bool) -> None:
    rng = np.random.default_rng(0)
    table = pd.DataFrame({"who": range(500), "x": rng.normal(size=500), "y": rng.lognormal(size=500)})
    weights = rng.uniform(0.5, 2.0, 500)
    found = set()
    for seed in range(6):
        order = np.random.default_rng(seed).permutation(500)
        features = gauger.prepare(table.iloc[order], key="who", scale="none")
        seg = gauger.segment_by_kmeans(features, 4, starts=2, customer_weights=weights[order] if weighted else None)
        found.add((seg.wcss, seg.explained, *seg.wcss_by_segment))
    assert len(found) == 1


def test_a_silhouette_of_weighted_segments_says_that_weights_are_not_in_it() -> None:
    table = pd.DataFrame({"who": range(40), "x": [1.0, 2.0, 11.0, 12.0] * 10})
    features = gauger.prepare(table, key="who")
    weighted = gauger.segment_by_kmeans(features, 2, starts=1, customer_weights=np.arange(40) + 1.0)
    assert [one.code for one in gauger.silhouette(weighted).remarks] == ["silhouette-without-weights"]
    assert gauger.silhouette(gauger.segment_by_kmeans(features, 2, starts=1)).remarks == ()
