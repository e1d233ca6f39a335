"""What figures, pages and workbooks look like: the same colours and markers for a segment, and one typeface."""

from gauger.appearance.palette import (
    ACCENT,
    DIVERGING,
    FAINT,
    INK,
    PAPER,
    QUIET,
    SEGMENT_COLOURS,
    SEGMENT_MARKERS,
    UNASSIGNED_COLOUR,
    segment_colour,
    segment_marker,
)
from gauger.appearance.typeface import FAMILY, typeface_file

__all__ = [
    "ACCENT",
    "DIVERGING",
    "FAINT",
    "FAMILY",
    "INK",
    "PAPER",
    "QUIET",
    "SEGMENT_COLOURS",
    "SEGMENT_MARKERS",
    "UNASSIGNED_COLOUR",
    "segment_colour",
    "segment_marker",
    "typeface_file",
]
