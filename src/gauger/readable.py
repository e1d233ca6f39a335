"""How results show themselves: a headline, a table and the remarks, in a terminal and in a notebook."""

import html
import unicodedata
from abc import ABC, abstractmethod

import pandas as pd

from gauger.remarks import Remark

_UNSEEN = ("Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp")
"""Unicode's categories of control, format, surrogate, private and unassigned signs, and its separators of lines."""


class Readable(ABC):
    """A result that prints as a headline, a table of at most 20 rows, and its remarks."""

    remarks: tuple[Remark, ...]

    @abstractmethod
    def headline(self) -> str:
        """What this result is and says, in one line."""

    @abstractmethod
    def overview(self) -> pd.DataFrame:
        """The table that a reader wants to see first."""

    def __repr__(self) -> str:
        table = self.overview().to_string(max_rows=20, line_width=100, float_format=lambda value: f"{value:,.4g}")
        return visible("\n".join([self.headline(), table, *(f"remark: {remark}" for remark in self.remarks)]))

    def _repr_html_(self) -> str:
        table = self.overview().to_html(max_rows=20, float_format=lambda value: f"{value:,.4g}", border=0)
        cautions = "".join(f"<li>{html.escape(str(remark))}</li>" for remark in self.remarks)
        return f"<p>{html.escape(self.headline())}</p>{table}" + (f"<ul>{cautions}</ul>" if cautions else "")


class Spoken(ABC):
    """An advice that tells itself: a headline and sentences, in a terminal and in a notebook."""

    @abstractmethod
    def headline(self) -> str:
        """What is advised, in a few words."""

    @abstractmethod
    def sentences(self) -> list[str]:
        """The reasons and the alternatives, each as a sentence."""

    def __str__(self) -> str:
        return " ".join([self.headline(), *self.sentences()])

    def _repr_html_(self) -> str:
        reasons = "".join(f"<li>{html.escape(sentence)}</li>" for sentence in self.sentences())
        return f"<p><strong>{html.escape(self.headline())}</strong></p><ul>{reasons}</ul>"


def visible(text: str) -> str:
    """Text with every sign that a terminal would act on, or that nobody sees, written out: an escape as \\x1b.

    Line ends stay. What data hold could otherwise move the cursor, hide text or turn its direction.
    """
    return text if text.isascii() and text.isprintable() else "".join(map(_written_out, text))


def _written_out(sign: str) -> str:
    if sign == "\n" or unicodedata.category(sign) not in _UNSEEN:
        return sign
    return sign.encode("unicode_escape").decode("ascii")


def first_up(text: str) -> str:
    """Text as a sentence begins: its first letter a capital."""
    return text[:1].upper() + text[1:]


def percent(share: float) -> str:
    """A share between 0 and 1 as a whole percentage; 0% is said only of nobody, 100% only of everyone."""
    if 0.0 < share < 0.005:
        return "<1%"
    return ">99%" if 0.995 <= share < 1.0 else f"{share:.0%}"


def shortened(text: str, most: int) -> str:
    """Text of at most so many letters, its end replaced by dots where it is longer."""
    return text if len(text) <= most else f"{text[: most - 1].rstrip()}…"


def plain_number(value: float) -> str:
    """A number as people write it: whole ones without decimals, others to three figures."""
    return f"{value:,.0f}" if float(value).is_integer() and abs(value) < 1e15 else short_number(value)


def short_number(value: float) -> str:
    """A number to three figures with thousands marks: 1,240, 27.3, 4.20, 0.042."""
    size = abs(value)
    if size >= 99.95:
        return f"{value:,.0f}"
    if size >= 9.995:
        return f"{value:.1f}"
    if size >= 0.9995 or size == 0.0:
        return f"{value:.2f}"
    return f"{value:.3f}" if size >= 0.0005 else f"{value:.1e}"
