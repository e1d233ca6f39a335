"""Cautions that travel with a result: true, worth knowing, and not an error."""

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

from gauger.remark_register import REMARKS

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True)
class Remark:
    """One caution: true, worth knowing, and not an error. Its text never holds a customer's key.

    Parameters
    ----------
    code : str
        What scripts know it by; it stays the same.
    text : str
        What people read.
    features : tuple of str
        The features it speaks of.
    segments : tuple of int
        The segments it speaks of.

    Examples
    --------
    >>> import gauger
    >>> print(gauger.Remark("tiny-segment", "segment 3 has 1 customer", segments=(3,)))
    segment 3 has 1 customer [tiny-segment]
    """

    code: str
    text: str
    features: tuple[str, ...] = ()
    segments: tuple[int, ...] = ()

    @property
    def to_do(self) -> str:
        """What to do about it, in a few words; empty for a code that is not Gauger's."""
        return REMARKS[self.code].to_do if self.code in REMARKS else ""

    def __str__(self) -> str:
        return f"{self.text} [{self.code}]"


def attach_remarks(table: "pd.DataFrame", remarks: Iterable[Remark]) -> None:
    """Keep remarks with a DataFrame that Gauger made, as plain data in `table.attrs["remarks"]`."""
    table.attrs["remarks"] = [asdict(remark) for remark in remarks]


def remarks_of(table: "pd.DataFrame") -> tuple[Remark, ...]:
    """Give the remarks that are kept with a DataFrame which Gauger made.

    Parameters
    ----------
    table : pandas.DataFrame
        Such as the result of `summarise_events`.

    Returns
    -------
    tuple of Remark
        Empty where there are none.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> gauger.remarks_of(pd.DataFrame({"visits": [3, 1]}))
    ()
    """
    return tuple(remark_from(entry) for entry in table.attrs.get("remarks", ()))


def remark_from(entry: Mapping[str, Any]) -> Remark:
    """A remark of what `asdict` made of it."""
    parts = {name: tuple(entry.get(name, ())) for name in ("features", "segments")}
    return Remark(entry["code"], entry["text"], **parts)
