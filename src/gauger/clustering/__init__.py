"""k-means, and the block-and-sum machinery that every clustering method shares."""

from gauger.clustering.kmeans import segment_by_kmeans

__all__ = ["segment_by_kmeans"]
