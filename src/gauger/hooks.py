"""What the layers above lend to those below: the figure next to a result, and the model of a segmentation."""

from collections.abc import Callable
from typing import Any

FigureMaker = Callable[[object], str]
"""Gives a result's figure as HTML; empty where the result has none."""
ModelBuilder = Callable[[object], Any]
"""Gives the model of a segmentation."""

_figure_makers: list[FigureMaker] = []
_model_builders: list[ModelBuilder] = []


def set_figure_maker(maker: FigureMaker) -> None:
    """Let results be drawn by this one from now on."""
    _figure_makers[:] = [maker]


def figure_of(result: object) -> str:
    """The figure of a result, as HTML to stand next to its table; empty where there is none."""
    return _figure_makers[0](result) if _figure_makers else ""


def set_model_builder(builder: ModelBuilder) -> None:
    """Let models of segmentations be built by this one from now on."""
    _model_builders[:] = [builder]


def model_of(segmentation: object) -> Any:
    """The model of a segmentation."""
    return _model_builders[0](segmentation)
