"""The colours of segments, and of everything else in a figure."""

INK = "#27313b"
QUIET = "#6b7680"
FAINT = "#eceff1"
PAPER = "#ffffff"
UNASSIGNED_COLOUR = "#a9b0b6"
ACCENT = "#9a3f1d"
DIVERGING = ("#2b5f7e", "#a9c6d3", PAPER, "#e6bfa6", "#9a3f1d")

SEGMENT_COLOURS = (
    "#065f5c",
    "#a66738",
    "#5e54a8",
    "#b99724",
    "#691c37",
    "#7a7ed5",
    "#9ea47a",
    "#4c4100",
    "#8d728f",
    "#9cc2ae",
    "#3d346d",
    "#c9a9de",
)
"""To normal eyes and to those with each kind of colour blindness any two are at least 11 apart (CIEDE2000), the first
six 13, and each two that follow one another, which touch in bars and trees, 19. Printed in grey these differ by 9 steps
of lightness or more. A test holds all these figures."""

SEGMENT_MARKERS = ("o", "s", "^", "D", "v", "P", "X", "p", "<", ">", "h", "*")
"""The marker of each segment, so that colour is never the only sign."""


def segment_colour(number: int) -> str:
    """The colour of a segment, the same in every figure; grey for the unassigned."""
    return SEGMENT_COLOURS[(number - 1) % len(SEGMENT_COLOURS)] if number > 0 else UNASSIGNED_COLOUR


def segment_marker(number: int) -> str:
    """The marker of a segment."""
    return SEGMENT_MARKERS[(number - 1) % len(SEGMENT_MARKERS)] if number > 0 else "x"
