"""Every figure, one function a figure: each takes a result and returns a Matplotlib Figure."""

from gauger.drawing.correlations import correlations
from gauger.drawing.counts import count_study
from gauger.drawing.distributions import distributions, treatments
from gauger.drawing.profiles import profile_bars
from gauger.drawing.scatters import scatter

__all__ = ["correlations", "count_study", "distributions", "profile_bars", "scatter", "treatments"]
