"""Whether a segmentation earns its keep beside another: what each explains, and how well its segments come back."""

import numpy as np
import pandas as pd

from gauger.algorithms.kmeans import distinct_up_to
from gauger.clustering import segment_by_kmeans
from gauger.profiling.overlap import jaccard_of_resamples
from gauger.segmentation import Segmentation, segmentation_from_codes
from gauger.wording import plural

WORTH_COLUMNS = ("segments", "explained", "kmeans_explained", "stability", "weakest")


def worth_of(seg: Segmentation, other: Segmentation, *, resamples: int, seed: int) -> pd.DataFrame:
    """A row a side by its method: segments, explained, kmeans_explained, stability and weakest, as `Comparison` tells.

    explained is measured for both on the features of the first, over the customers of both that each assigns. Empty
    when neither side shares the other's features or customers enough to be measured alike.
    """
    if sorted(seg.features.names) != sorted(other.features.names) or not (seg.count and other.count):
        return pd.DataFrame(columns=list(WORTH_COLUMNS))
    keys = pd.Index(seg.features.keys)
    there = pd.Index(other.features.keys).get_indexer(keys)
    shared = np.flatnonzero(there >= 0)
    features = seg.features.part(shared)
    rows = []
    for side, codes in ((seg, seg.codes[shared]), (other, other.codes[there[shared]])):
        present, dense = np.unique(codes, return_inverse=True)
        own = segmentation_from_codes(features, dense + (0 if present[0] == 0 else 1), method=side.method)
        likeness = jaccard_of_resamples(side, resamples, seed)
        means = likeness.mean(axis=0) if len(likeness) else np.full(side.count, np.nan)
        stability = float(np.average(means, weights=side.sizes))
        rows.append((side.count, own.explained, _by_kmeans(own, seed), stability, float(means.min())))
    index = pd.Index([seg.method, other.method], name="method")
    return pd.DataFrame(rows, columns=list(WORTH_COLUMNS), index=index)


def _by_kmeans(seg: Segmentation, seed: int) -> float:
    """The share that k-means with as many segments explains of the assigned; NaN with fewer distinct customers."""
    assigned = seg.features.part(np.flatnonzero(seg.codes))
    columns = np.ascontiguousarray(assigned.values.T)
    if not seg.count or distinct_up_to(columns, seg.count) < seg.count:
        return np.nan
    return segment_by_kmeans(assigned, seg.count, seed=seed).explained


def worth_in_words(worth: pd.DataFrame) -> str:
    """What the table says, in a sentence or two; empty for an empty table."""
    if worth.empty:
        return ""
    parts = [
        f"{method} explains {row['explained']:.0%} of the variance with {row['segments']:.0f} "
        f"{plural(int(row['segments']), 'segment')} (k-means with as many {row['kmeans_explained']:.0%})"
        for method, row in worth.iterrows()
    ]
    text = f"{parts[0]}; {parts[1]}."
    known = worth["stability"].dropna()
    if len(known) == len(worth):
        one, two = (f"{value:.2f}" for value in known)
        text += f" On bootstrap samples segments come back with an overlap of {one} and {two} (1: the same)."
    return text
