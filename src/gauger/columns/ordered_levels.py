"""Levels that stand in an order: told by the column itself, or found from the numbers in their names."""

import re
from collections.abc import Sequence

import pandas as pd

_NUMBER = re.compile(r"\d[\d.,]*\s*([kKmM](?![a-zA-Z]))?")
_BELOW = re.compile(r"^\s*(<|under|below|less|up to|until|to\b)", re.IGNORECASE)
_ABOVE = re.compile(r"(>|over|above|more)", re.IGNORECASE)
_TIMES = {"k": 1e3, "m": 1e6}
"""Thousands and millions."""
_MOST_WITHOUT = 1
"""Levels without a number that an order may have, such as "unknown": they come last."""
_FEWEST = 3
"""Fewer levels have no order to find."""


def order_of_levels(levels: Sequence[str]) -> list[int] | None:
    """The places of levels in the order of the numbers in their names, such as bands of age; None where there is none.

    "under 25" comes before "25-34", "75-99K" before "100K+", and one level without a number last.
    """
    places = [_place(level) for level in levels]
    without = [index for index, place in enumerate(places) if place is None]
    told = [place for place in places if place is not None]
    if len(told) < _FEWEST or len(without) > _MOST_WITHOUT or len(set(told)) < len(told):
        return None
    rank = {index: place for index, place in enumerate(places) if place is not None}
    return [*sorted(rank, key=lambda index: rank[index]), *without]


def levels_in_order(column: pd.Series) -> list[object] | None:
    """The levels of an ordered categorical in its order, or of text in that of the numbers in their names."""
    if isinstance(column.dtype, pd.CategoricalDtype):
        return column.cat.categories.tolist() if column.cat.ordered else None
    if not (pd.api.types.is_object_dtype(column) or pd.api.types.is_string_dtype(column)):
        return None
    levels = sorted(column.dropna().unique().tolist(), key=str)
    order = order_of_levels([str(level) for level in levels])
    return None if order is None else [levels[index] for index in order]


def _place(level: str) -> tuple[float, int] | None:
    """The first number of a level, in thousands or millions where it says so, and on which side of it the level is."""
    found = _NUMBER.search(level)
    if found is None:
        return None
    digits = found[0].rstrip("kKmM ").rstrip(".,")
    unit = found[1] or _unit_after(level, found.end())
    try:
        number = float(digits.replace(",", "")) * _TIMES.get((unit or "").lower(), 1.0)
    except ValueError:
        return None
    side = -1 if _BELOW.search(level) else 1 if _ABOVE.search(level) else 0
    return number, side


def _unit_after(level: str, start: int) -> str | None:
    """The unit of a later number, as in 75-99K."""
    later = [found[1] for found in _NUMBER.finditer(level, start) if found[1]]
    return later[0] if later else None
