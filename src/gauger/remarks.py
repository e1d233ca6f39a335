"""Cautions that travel with a result: true, worth knowing, and not an error."""

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True)
class Remark:
    """One caution: a stable `code` for scripts, a `text` for people, and the features and segments it speaks of."""

    code: str
    text: str
    features: tuple[str, ...] = ()
    segments: tuple[int, ...] = ()

    def __str__(self) -> str:
        return f"{self.text} [{self.code}]"


def attach_remarks(table: "pd.DataFrame", remarks: Iterable[Remark]) -> None:
    """Keep remarks with a DataFrame that Gauger made, as plain data in `table.attrs["remarks"]`."""
    table.attrs["remarks"] = [asdict(remark) for remark in remarks]


def remarks_of(table: "pd.DataFrame") -> tuple[Remark, ...]:
    """The remarks kept with a DataFrame that Gauger made, such as the result of `summarise_events`.

    >>> import gauger, pandas as pd
    >>> gauger.remarks_of(pd.DataFrame({"visits": [3, 1]}))
    ()
    """
    return tuple(_remark_from(entry) for entry in table.attrs.get("remarks", ()))


def _remark_from(entry: Mapping[str, Any]) -> Remark:
    return Remark(entry["code"], entry["text"], tuple(entry["features"]), tuple(entry["segments"]))
