"""What a segmentation can be compared with: another one, a known column, or assignments from a file."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.columns import AnyTable, is_table, levels_in_order, refuse_bad_key
from gauger.errors import SettingError
from gauger.profiling.assignment_files import checked_assignments
from gauger.segmentation import UNASSIGNED, Segmentation

_MOST_GROUPS = 100
"""More groups than anyone reads in a contingency table."""

Codes = NDArray[np.integer]


@dataclass(frozen=True, eq=False)
class Partition:
    """Customers divided into groups: of each of `keys` the place of its group in `labels`, from 1; 0 for none.

    Labels are segments' numbers (`numbered`) or a column's values; `names` are those given to numbers, `title` is what
    it is called.
    """

    keys: pd.Index
    codes: Codes
    labels: list[object]
    title: str
    names: Mapping[object, str] = field(default_factory=dict)
    numbered: bool = True

    def name_of(self, label: object) -> str:
        """What a group is called."""
        return self.names.get(label, str(label))

    def of(self, keys: pd.Index) -> Codes:
        """The codes of some of its customers, in their order."""
        return np.asarray(self.codes[self.keys.get_indexer(keys)])


def partition_of(other: "Segmentation | pd.Series | AnyTable", key: str) -> Partition:
    """What is compared, as a division.

    A Series is a known column: indexed by key, its values are the groups, gaps are in none. A DataFrame holds
    assignments: the key, segment (0 for none) and, if it likes, segment_name. Raises SettingError for a column without
    any value or with more than 100 different ones, and for what is neither; KeyColumnError for a key that repeats.
    """
    if isinstance(other, Segmentation):
        names = {number: other.names[number] for number in other.numbers.tolist()}
        return Partition(pd.Index(other.features.keys), other.codes, list(names), other.method, names)
    if is_table(other):
        keys, codes, by_number = checked_assignments(other, key)
        numbers = [int(number) for number in np.unique(codes) if number != UNASSIGNED]
        indices = np.searchsorted([UNASSIGNED, *numbers], codes)
        return Partition(keys, indices, list(numbers), "assignments", {n: by_number[n] for n in numbers})
    if isinstance(other, pd.Series):
        return _of_column(other, key)
    raise SettingError(
        f"a segmentation can be compared with another, with a column (a Series indexed by {key}), or with assignments "
        f"(a DataFrame), not with {type(other).__name__}."
    )


def _of_column(column: pd.Series, key: str) -> Partition:
    refuse_bad_key(pd.Series(column.index, name=key))
    title = "the column" if column.name is None else str(column.name)
    order = levels_in_order(column)
    if isinstance(column.dtype, pd.CategoricalDtype):
        column = column.astype(object)
    indices, values = pd.factorize(column, sort=True)
    if not len(values):
        raise SettingError(f"{title!r} has no value at all: there is nothing to compare with.")
    if len(values) > _MOST_GROUPS:
        raise SettingError(
            f"{title!r} has {len(values):,} different values, more than the {_MOST_GROUPS} that can be compared: group "
            "it into fewer first, such as by segment_by_bands."
        )
    if order is not None:
        place = {level: at for at, level in enumerate(order)}
        arranged = sorted(range(len(values)), key=lambda at: place.get(values[at], len(place)))
        indices = np.where(indices < 0, -1, np.argsort(arranged)[indices])
        values = values[arranged]
    labels = [value.item() if isinstance(value, np.generic) else value for value in values]
    return Partition(column.index, indices + 1, labels, title, numbered=False)
