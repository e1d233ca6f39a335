"""The figure of a study's segments, as its plan wants it."""

from typing import TYPE_CHECKING

from gauger.draw import profile_bars, scatter
from gauger.profiling import profile
from gauger.segmentation import Segmentation
from gauger.study.plan_parts import FiguresPart

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def segments_figure(seg: Segmentation, wanted: FiguresPart | None = None) -> "Figure":
    """Who is where, over the features that the plan names, else those that tell segments apart best."""
    wanted = wanted or FiguresPart()
    axes = [name for name in wanted.over or () if name in seg.features.names]
    if not axes and len(seg.features.names) == 1:
        return profile_bars(profile(seg, resamples=0))
    known = {str(key): key for key in seg.features.keys.tolist()} if wanted.label else {}
    return scatter(seg, *axes, outline=wanted.outline, label=[known.get(key, key) for key in wanted.label])
