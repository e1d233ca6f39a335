"""How results show themselves: a headline, a table and the remarks, in a terminal and in a notebook."""

import html
from abc import ABC, abstractmethod
from collections.abc import Iterable
from dataclasses import replace
from typing import Self

import pandas as pd

from gauger.hooks import figure_of
from gauger.remarks import Remark
from gauger.wording import CUSTOMER, Noun, plural, visible


class Readable(ABC):
    """A result that prints as a headline, a table of at most 20 rows, and its remarks."""

    remarks: tuple[Remark, ...]

    def __post_init__(self) -> None:
        if self.noun != CUSTOMER:
            own = tuple(replace(one, text=self.noun.said(one.text, one.features)) for one in self.remarks)
            object.__setattr__(self, "remarks", own)

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented."""
        return CUSTOMER

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
        told = f"<p><strong>{html.escape(visible(self.headline()))}</strong></p>{visible(table)}{_folded(self.remarks)}"
        return _side_by_side(told, figure_of(self))


class Advice(ABC):
    """What a study recommends, with its reasons; it tells itself in a terminal and in a notebook."""

    reasons: tuple[str, ...]

    def said_of(self, noun: Noun, names: Iterable[str] = ()) -> Self:
        """The same advice in the words of whoever is segmented; names stay as they are written."""
        return replace(self, reasons=tuple(noun.said(reason, names) for reason in self.reasons))  # type: ignore[type-var]

    @abstractmethod
    def headline(self) -> str:
        """What is advised, in a few words."""

    def sentences(self) -> list[str]:
        """The reasons, and alternatives where there are any, each as a sentence."""
        return list(self.reasons)

    def __str__(self) -> str:
        return " ".join([self.headline(), *self.sentences()])

    def overview(self) -> pd.DataFrame | None:
        """What stands beside the reasons as a table, if anything."""
        return None

    def _repr_html_(self) -> str:
        reasons = "".join(f"<li>{html.escape(visible(sentence))}</li>" for sentence in self.sentences())
        told = f"<p><strong>{html.escape(visible(self.headline()))}</strong></p><ul>{reasons}</ul>"
        table = self.overview()
        return _side_by_side(told, "" if table is None else visible(table.to_html(border=0)))


def _folded(remarks: tuple[Remark, ...]) -> str:
    if not remarks:
        return ""
    cautions = "".join(f"<li>{html.escape(visible(str(remark)))}</li>" for remark in remarks)
    count = f"{len(remarks)} {plural(len(remarks), 'remark')}"
    return f"<details><summary>{count}</summary><ul>{cautions}</ul></details>"


def _side_by_side(told: str, shown: str) -> str:
    """Text and table to the left, what shows them to the right, below each other where there is no room."""
    return (
        '<div style="display:flex;flex-wrap:wrap;gap:1.5em;align-items:flex-start">'
        f'<div style="flex:1 1 20em;min-width:0;max-width:100%;overflow-x:auto">{told}</div>{shown}</div>'
    )
