"""Every figure, one function a figure: each takes a result and returns a Matplotlib Figure."""

from gauger.drawing.counts import count_study
from gauger.drawing.profiles import profile_bars
from gauger.drawing.scatters import scatter

__all__ = ["count_study", "profile_bars", "scatter"]
