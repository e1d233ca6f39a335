"""Every page that people open: for now the one of a hand-off."""

from gauger.report.hand_off_page import page_of

__all__ = [
    "page_of",
]
