"""Every figure, one function a figure: each takes a result and returns a Matplotlib Figure."""

from gauger.drawing.correlations import correlations
from gauger.drawing.counts import count_study
from gauger.drawing.distributions import distributions, treatments
from gauger.drawing.profiles import profile_bars
from gauger.drawing.rounds import round_history
from gauger.drawing.scatters import scatter
from gauger.drawing.silhouettes import silhouette_diagrams
from gauger.drawing.splits import segment_splits
from gauger.drawing.spreads import segment_spread

__all__ = [
    "correlations",
    "count_study",
    "distributions",
    "profile_bars",
    "round_history",
    "scatter",
    "segment_splits",
    "segment_spread",
    "silhouette_diagrams",
    "treatments",
]
