"""Every page that people open: for now the one of a hand-off."""

from gauger.report.handing import hand_off

__all__ = [
    "hand_off",
]
