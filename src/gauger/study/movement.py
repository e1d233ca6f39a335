"""Who moved between two studies, or two files of assignments, with segments that were found apart matched first."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from os import PathLike
from pathlib import Path

import numpy as np
import pandas as pd

from gauger.algorithms.statistics import best_match, contingency_table
from gauger.columns import checked_table, refuse_bad_key
from gauger.errors import SettingError
from gauger.monitoring import Migration, migration
from gauger.profiling import checked_assignments
from gauger.remarks import Remark
from gauger.study.opening import Study, open_study
from gauger.study.periods import about_periods
from gauger.study.study_files import read_assignments
from gauger.tables import read_table
from gauger.wording import listed


@dataclass(frozen=True, eq=False)
class _Side:
    """One time: its assignments, and the study that they are of, if there is one."""

    table: pd.DataFrame
    study: Study | None


def migration_between(
    before: str | PathLike[str],
    after: str | PathLike[str],
    *,
    key: str | None = None,
    value: str | None = None,
    table: str | PathLike[str] | None = None,
    seed: int = 0,
) -> Migration:
    """Who moved between two studies' folders or files of assignments.

    `value` is a column of the later study's own table, or of `table`. Segments of two studies whose models differ are
    matched by the customers they share, and a remark says which numbers changed. Raises what `migration` does, and
    SettingError where nobody says the key, or whose table the value is in.
    """
    first, second = _side(before), _side(after)
    own = key or next((side.study.plan.key for side in (first, second) if side.study is not None), None)
    if own is None:
        raise SettingError("say which column identifies a customer: key= (on the command line: --key).")
    first, second = _keys_alike(first, second, own)
    matched, remarks = _matched(first, second, own)
    worth = None if value is None else _worth(second.study, table, own, value, matched)
    found = migration(first.table, matched, key=own, value=worth, seed=seed)
    plans = [None if side.study is None else side.study.plan for side in (first, second)]
    return replace(found, remarks=(*about_periods(*plans), *remarks, *found.remarks))


def _side(place: str | PathLike[str]) -> _Side:
    if not Path(place).is_dir():
        return _Side(read_table(place), None)
    study = open_study(place)
    return _Side(read_assignments(study.folder, keys_as_text=study.plan.key), study)


def _keys_alike(first: _Side, second: _Side, key: str) -> tuple[_Side, _Side]:
    """Both sides with keys of one kind: text, where either has them as text."""
    tables = [checked_table(side.table, [key, "segment"]) for side in (first, second)]
    if tables[0][key].dtype != tables[1][key].dtype:
        tables = [table.astype({key: str}) for table in tables]
    return _Side(tables[0], first.study), _Side(tables[1], second.study)


def _matched(first: _Side, second: _Side, key: str) -> tuple[pd.DataFrame, tuple[Remark, ...]]:
    """The later assignments with the earlier ones' numbers, where both were found apart from each other."""
    one, other = first.table, second.table
    if first.study is None or second.study is None:
        return other, ()
    here, theirs = checked_assignments(one, key), checked_assignments(other, key)
    indices = theirs[0].get_indexer(here[0])
    both = (indices >= 0) & (here[1] > 0)
    both[both] = theirs[1][indices[both]] > 0
    if not both.any():
        return other, ()
    table = contingency_table(
        theirs[1][indices[both]], here[1][both], (int(theirs[1].max()) + 1, int(here[1].max()) + 1)
    )
    new = _numbers(best_match(table), int(theirs[1].max()))
    if all(number == at for at, number in new.items()):
        return other, ()
    changed = [f"{at} as {number}" for at, number in new.items() if number != at]
    remark = Remark(
        "segments-matched",
        f"both studies were found apart: the later one's segments are shown with the numbers of the earlier ones that "
        f"share most customers with them ({listed(changed, most=8)}).",
    )
    codes = other["segment"].map({0: 0, **new})
    names = other["segment_name"].where(
        other["segment_name"] != "segment " + other["segment"].astype(str), "segment " + codes.astype(str)
    )
    return other.assign(segment=codes, segment_name=names), (remark,)


def _numbers(matched: Mapping[int, int], last: int) -> dict[int, int]:
    """A number for each later segment: that of its match, else the next that nobody has."""
    new = {one: other for one, other in matched.items() if one and other}
    taken = set(new.values())
    free = (number for number in range(1, 2 * last + len(taken) + 2) if number not in taken)
    return {one: new[one] if one in new else next(free) for one in range(1, last + 1)}


def _worth(
    study: Study | None, table: str | PathLike[str] | None, key: str, column: str, assignments: pd.DataFrame
) -> pd.Series:
    """What each customer is worth, indexed by key as the assignments have it."""
    if table is not None:
        found = read_table(table)
    elif study is not None:
        found = study.table
    else:
        raise SettingError("say which table has the value: table= (on the command line: --table).")
    found = checked_table(found, [key, column])
    refuse_bad_key(found[key])
    keys = found[key] if found[key].dtype == assignments[key].dtype else found[key].astype(str)
    return pd.Series(np.asarray(found[column]), index=pd.Index(keys), name=column)
