"""Search: who is in a segment, with what is known of each."""

from collections.abc import Mapping, Sequence

import pandas as pd

from gauger.columns import AnyTable, whole_table
from gauger.errors import SettingError, UnknownColumnError
from gauger.profiling.assignment_files import checked_assignments
from gauger.profiling.conditions import rows_that_meet
from gauger.profiling.matching import matched_table
from gauger.remarks import Remark, attach_remarks
from gauger.segmentation import UNASSIGNED, Segmentation
from gauger.wording import listed

_OWN = ("segment", "segment_name", "distance")


def members(
    seg: Segmentation | AnyTable,
    table: AnyTable | None = None,
    *,
    key: str | None = None,
    segment: int | str | None = None,
    where: str | None = None,
    sort: str | None = None,
    descending: bool = False,
    columns: Sequence[str] | None = None,
) -> pd.DataFrame:
    """Find the customers of one segment, or of all, that meet a condition.

    Parameters
    ----------
    seg : Segmentation, pandas.DataFrame or another table
        The segments, or assignments as of `Segmentation.assignments`.
    table : pandas.DataFrame or another table, optional
        Adds its columns, matched by key; what it lacks or has besides is in `remarks_of(result)`.
    key : str, optional
        The customers' column, where `seg` is a DataFrame.
    segment : int or str, optional
        A number, a name, or "unassigned" (0).
    where : str, optional
        A condition on columns, such as "spend_total > 200" or "household == 'family' and visits >= 9", with and, or,
        not, in, brackets and comparisons; a name with spaces stands in backticks. A gap meets no comparison.
    sort : str, optional
        A column to order by, from the lowest; ties in the order of the segmentation.
    descending : bool
        From the highest instead.
    columns : sequence of str, optional
        The columns to show after the key; by default all: features in original units, then the table's.

    Returns
    -------
    pandas.DataFrame
        A row a customer: the key, segment, segment_name, distance, and more; or the columns asked for.

    Raises
    ------
    SettingError
        For a segment that does not exist, and a condition that is none.
    UnknownColumnError
        For columns that are not there.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 9, 11], "age": [20, 30, 40, 50]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits"]), 2)
    >>> gauger.members(seg, table, segment=2, where="age > 45", columns=["visits", "age"]).values.tolist()
    [['d', 11.0, 50]]
    """
    known, names = _known(seg, key)
    remarks: list[Remark] = []
    if table is not None:
        others, remarks = matched_table(known.index, table, str(known.index.name))
        known = known.join(others.drop(columns=[name for name in others.columns if name in known.columns]))
    key = str(known.index.name)
    known = known.reset_index()
    asked = [*(columns or []), *([sort] if sort is not None else [])]
    if any(name not in known.columns for name in asked):
        raise UnknownColumnError.among(asked, list(known.columns))
    found = known if segment is None else known[known["segment"] == _number_of(names, segment)]
    if where is not None:
        found = found[rows_that_meet(found, where)]
    if sort is not None:
        found = found.sort_values(sort, ascending=not descending, kind="stable")
    shown = list(known.columns) if columns is None else [key, *columns]
    result = found[list(dict.fromkeys(shown))].reset_index(drop=True)
    attach_remarks(result, remarks)
    return result


def _known(seg: Segmentation | AnyTable, key: str | None) -> tuple[pd.DataFrame, Mapping[int, str]]:
    """What is known of each customer without a table, indexed by key, and what segments are called."""
    if isinstance(seg, Segmentation):
        seg = seg.sample
        own = {name: seg.assignments[name].to_numpy() for name in _OWN}
        known = pd.DataFrame(own, index=seg.features.original.index)
        return known.join(seg.features.original.drop(columns=[*_OWN], errors="ignore")), seg.names
    if key is None:
        raise SettingError("say which column of the assignments identifies a customer: key='…'.")
    seg = whole_table(seg)
    keys, codes, names = checked_assignments(seg, key)
    called = pd.Series(codes).map(names).to_numpy()
    known = pd.DataFrame({"segment": codes, "segment_name": called}, index=keys.rename(key))
    rest = seg.drop(columns=[key, "segment", "segment_name"], errors="ignore")
    return known.join(rest.set_axis(known.index)), names


def _number_of(by_number: Mapping[int, str], segment: int | str) -> int:
    by_name = {name: number for number, name in by_number.items()}
    number = by_name.get(segment) if isinstance(segment, str) else segment
    if number is None and str(segment).isdigit():
        number = int(segment)
    if number is None or isinstance(number, bool) or number not in by_number:
        present = [f"{each} ({name})" for each, name in sorted(by_number.items()) if each != UNASSIGNED]
        raise SettingError(f"there is no segment {segment!r}. There are {listed(present, most=12)}, and unassigned.")
    return int(number)
