"""The typeface of a page: Source Sans with the signs that the page has, as part of its style."""

import base64
from functools import lru_cache
from io import BytesIO

from gauger.appearance import typeface_file

_FAMILY = "Report Sans"
_WEIGHTS = {400: "Regular", 700: "Bold"}
"""Weights as style sheets count them, and the cuts that have them."""

_ALWAYS = "".join(map(chr, range(0x20, 0x7F)))
"""Signs that are kept whatever a page says: those that may be typed or come with a number."""


def fonts_of(text: str) -> str:
    """The style rules that bring both weights, with the signs of a text; others are in the reader's own typeface."""
    rules = []
    for weight, cut in _WEIGHTS.items():
        data = base64.b64encode(_with_signs(cut, "".join(sorted({*text, *_ALWAYS})))).decode("ascii")
        source = f'url("data:font/woff;base64,{data}") format("woff")'
        rules.append(f'@font-face {{ font-family: "{_FAMILY}"; font-weight: {weight}; src: {source}; }}')
    return "\n".join(rules)


@lru_cache(maxsize=8)
def _with_signs(cut: str, signs: str) -> bytes:
    """A cut of the typeface with these signs alone. It takes half a second, and pages of a run mostly have the same."""
    from fontTools.subset import Options, Subsetter
    from fontTools.ttLib import TTFont

    with typeface_file(cut) as path, TTFont(path, recalcTimestamp=False) as font:
        subsetter = Subsetter(Options(hinting=False, layout_features=["kern", "tnum"], notdef_outline=True))
        subsetter.populate(unicodes=[ord(sign) for sign in signs])
        subsetter.subset(font)
        font.flavor = "woff"
        packed = BytesIO()
        font.save(packed)
    return packed.getvalue()
