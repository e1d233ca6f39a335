"""A figure as a picture inside a page: the same bytes every time, with a text for those who do not see it."""

import base64
from dataclasses import dataclass
from io import BytesIO
from typing import TYPE_CHECKING

from gauger.draw import describe

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_COLOURS = 128
"""Colours of a picture: figures have a dozen and their soft edges, and more only weigh."""


@dataclass(frozen=True)
class Picture:
    """A lossless WebP as the source of an image, its size in pixels, and what it shows in words."""

    source: str
    width: int
    height: int
    words: str


def picture_of(figure: "Figure") -> Picture:
    """The figure as a picture."""
    from PIL import Image

    drawn = BytesIO()
    figure.savefig(drawn, format="png")
    image = Image.open(drawn).convert("RGB").quantize(_COLOURS, dither=Image.Dither.NONE)
    packed = BytesIO()
    image.convert("RGB").save(packed, format="webp", lossless=True, quality=50, method=3)
    data = base64.b64encode(packed.getvalue()).decode("ascii")
    return Picture(f"data:image/webp;base64,{data}", image.width, image.height, describe(figure))
