"""Look at a table in a database, of whatever size: what each column is, and what a study would stumble over."""

import datetime
from collections.abc import Iterator, Sequence

import numpy as np
import pandas as pd

from gauger.columns import (
    NEARLY_ALL,
    SENTINELS,
    TableLook,
    about_codes,
    about_constants,
    about_future,
    about_gaps,
    about_near_constants,
    about_repeated_keys,
    about_single_levels,
    about_stand_ins,
    about_tails,
    role_of,
)
from gauger.progress import task
from gauger.remarks import Remark
from gauger.sources.databases.column_traits import ColumnTraits, traits_of
from gauger.sources.databases.database_quantiles import grouped_quantiles
from gauger.sources.databases.relations import DATE, FLAG, WHOLE, Relation
from gauger.tables import Session, sql_name, sql_text

_COLUMNS = ["role", "because", "type", "missing", "distinct", "min", "median", "max", "skew"]


def look_at_relation(session: Session, relation: Relation, key: str | None, today: datetime.date) -> TableLook:
    """Describe every column of a table inside the database, as `look` does of one in memory; whole rows that repeat are
    not looked for."""
    if key is not None:
        relation.refuse_lacking([key])
    traits = traits_of(session, relation)
    rows = traits[0].counted.rows if traits else 0
    records = {}
    with task("looking", len(traits)) as advance:
        for one in traits:
            records[one.name] = _describe(one, key)
            advance(1)
    columns = pd.DataFrame.from_dict(records, orient="index", columns=_COLUMNS)
    columns.index.name = "column"
    return TableLook(columns, rows, tuple(_remarks(traits, columns, key, today)))


def _describe(one: ColumnTraits, key: str | None) -> list[object]:
    role = role_of(one, key)
    ends: tuple[object, object, object] = (None, None, None)
    skew = np.nan
    if one.is_date and one.present:
        ends = _days(one)
    elif role.name != "key" and one.numbers is not None and one.present:
        low, high = one.ends
        ends, skew = (low, _median(one, one.number), high), one.skew
    return [role.name, role.because, _type_word(one), one.missing, one.distinct, *ends, skew]


def _median(one: ColumnTraits, number: str) -> float:
    source = f"(SELECT {number} AS f1 FROM {one.relation.sql}) AS looked"
    return float(grouped_quantiles(one.session, source, ["f1"], (0.5,))[None][0, 0])


def seconds_of(column: str) -> str:
    """A date as seconds since 1970."""
    return f"CAST(EXTRACT(EPOCH FROM {column}) AS DOUBLE PRECISION)"


def _days(one: ColumnTraits) -> tuple[object, object, object]:
    name = sql_name(one.name)
    low, high = one.session.row(
        f"SELECT CAST(CAST(MIN({name}) AS DATE) AS TEXT), CAST(CAST(MAX({name}) AS DATE) AS "
        f"TEXT) FROM {one.relation.sql}"
    )
    middle = pd.Timestamp(_median(one, seconds_of(name)), unit="s").date().isoformat()
    return low, middle, high


def _type_word(one: ColumnTraits) -> str:
    words = {FLAG: "yes/no", DATE: "date", WHOLE: "whole"}
    return words.get(one.kind, "decimal" if one.is_fraction else "text")


def _remarks(
    traits: Sequence[ColumnTraits], columns: pd.DataFrame, key: str | None, today: datetime.date
) -> Iterator[Remark]:
    roles, by_name = columns["role"], {one.name: one for one in traits}
    if key is not None:
        yield from about_repeated_keys(key, by_name[key].present - by_name[key].distinct, by_name[key].counted.rows)
    yield from about_constants(columns.index[roles.isin(["constant", "empty"])].tolist())
    varying = columns.index[~roles.isin(["constant", "empty", "key", "text"])].tolist()
    yield from about_near_constants(dict(_near_constants([by_name[name] for name in varying])))
    yield from about_codes(columns.index[roles == "ordinal code"].tolist())
    gaps = columns["missing"][(columns["missing"] > 0) & (roles != "empty")]
    if len(gaps):
        yield from about_gaps(gaps)
    yield from about_stand_ins(dict(_stand_ins(traits)))
    yield from about_tails(columns[roles.isin(["measure", "count"])])
    yield from about_future({name: _after(by_name[name], today) for name in columns.index[roles == "date"]}, today)
    yield from about_single_levels({name: _alone(by_name[name]) for name in columns.index[roles == "category"]})


def _near_constants(traits: Sequence[ColumnTraits]) -> Iterator[tuple[str, tuple[float, object]]]:
    for one in traits:
        name = sql_name(one.name)
        ((value, count),) = one.session.rows(
            f"SELECT CAST({name} AS TEXT), COUNT(*) FROM {one.relation.sql} WHERE {name} IS NOT NULL GROUP BY {name} "
            "ORDER BY 2 DESC, 1 LIMIT 1"
        )
        if count >= NEARLY_ALL * one.counted.rows:
            yield one.name, (count / one.counted.rows, value)


def _stand_ins(traits: Sequence[ColumnTraits]) -> Iterator[tuple[str, str]]:
    """Numbers at an end that systems write for none: they repeat, and lie apart from all others."""
    for one in traits:
        if one.numbers is None or one.distinct < 3 or not set(one.ends) & set(SENTINELS):
            continue
        ordered = f"SELECT {one.number} AS value, COUNT(*) AS times FROM {one.relation.sql} WHERE {one.number} IS NOT "
        for order in ("", " DESC"):
            rows = one.session.rows(f"{ordered}NULL GROUP BY 1 ORDER BY 1{order} LIMIT 2")
            (end, times), (second, _) = ((float(value), int(count)) for value, count in rows)
            low, _ = one.ends
            apart = end < 0.0 <= second if not order else low >= 0.0 and 2.0 * second <= end
            if end in SENTINELS and apart and times > 1:
                yield one.name, f"{end:.6g}"


def _after(one: ColumnTraits, today: datetime.date) -> int:
    tomorrow = sql_text((today + datetime.timedelta(days=1)).isoformat())
    (count,) = one.session.row(
        f"SELECT COUNT(*) FROM {one.relation.sql} WHERE {sql_name(one.name)} >= CAST({tomorrow} AS DATE)"
    )
    return int(count)


def _alone(one: ColumnTraits) -> int:
    name = sql_name(one.name)
    levels = f"SELECT 1 AS one FROM {one.relation.sql} WHERE {name} IS NOT NULL GROUP BY {name} HAVING COUNT(*) = 1"
    (count,) = one.session.row(f"SELECT COUNT(*) FROM ({levels}) AS levels")
    return int(count)
