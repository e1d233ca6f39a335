"""What a study would stumble over in a table: one remark a kind of oddity."""

import datetime
import re
from collections.abc import Iterator, Mapping, Sequence

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.columns.facts import LONG_TAIL, NEARLY_ALL, ColumnFacts
from gauger.columns.roles import MOST_LEVELS
from gauger.remarks import Remark
from gauger.wording import listed, plural, written_like

STAND_IN_DATES = ("1900-01-01", "1970-01-01", "9999-12-31")

MOSTLY = 0.8
"""From this share a column of text is nearly numbers: judgement."""

_TOGETHER = 0.9
"""From this share of shared gaps two columns are missing together: judgement."""

_TOP = re.compile(r"(\d+)\s*(?:\+|or more|and more|plus)|(?:>=?|over|more than)\s*(\d+)", re.IGNORECASE)
"""How a top level is written."""

_HEAD, _HINT = 1_000, 0.2
"""Rows that are looked at first for dates, and the share of these from which all are: far below `MOSTLY`."""
_COMMON = 3
"""A value that fewer rows have may be somebody's own, and is not repeated."""
_OTHER_DATE = r"\d{1,2}[./-]\d{1,2}[./-]\d{2,4}(?: .*)?"
_COMMA_NUMBER = r"[+-]?\d{1,3}(?:\.?\d{3})*,\d+"


def quality_remarks(
    table: pd.DataFrame,
    columns: pd.DataFrame,
    facts: Mapping[str, ColumnFacts],
    key: str | None,
    today: datetime.date,
) -> Iterator[Remark]:
    """Remarks on a table whose `columns` have been described."""
    roles = columns["role"]
    yield from _repeats(table, key, facts)
    yield from about_constants(columns.index[roles.isin(["constant", "empty"])].tolist())
    varying = columns.index[~roles.isin(["constant", "empty", "key", "text"])].tolist()
    yield from _near_constants(table, varying, facts)
    yield from about_codes(columns.index[roles == "ordinal code"].tolist())
    yield from _gaps(table, columns)
    yield from _nearly_numbers(table, columns.index[roles.isin(["text", "category"])].tolist())
    yield from _dates_as_text(table, columns.index[roles.isin(["text", "category", "key"])].tolist())
    yield from _stand_ins(table, facts)
    yield from about_tails(columns[roles.isin(["measure", "count"])])
    yield from _future(table, columns.index[roles == "date"].tolist(), today)
    yield from _single_levels(table, columns.index[roles == "category"].tolist())


def _repeats(table: pd.DataFrame, key: str | None, facts: Mapping[str, ColumnFacts]) -> Iterator[Remark]:
    told_apart = any(known.distinct == known.rows for known in facts.values())  # then no two rows are alike
    again = 0 if key is None else _again(table[key], facts.get(key))
    whole = key is not None and again == 0 and not table[key].isna().any()
    repeats = 0 if told_apart or whole else int(table.duplicated().sum())
    if repeats:
        yield Remark(
            "repeated-rows",
            f"{repeats:,} {plural(repeats, 'row is an exact repeat', 'rows are exact repeats')} of an earlier one: "
            "most often a fault of the export. Events count once with event_key= (gauger features --event-key).",
        )
    yield from about_repeated_keys(str(key), again, len(table))


def about_repeated_keys(key: str, again: int, rows: int) -> Iterator[Remark]:
    """Keys that stand again in some rows."""
    if again:
        yield Remark(
            "key-repeats",
            f"{key} repeats in {again:,} of {rows:,} rows: it names customers only after events are "
            "summarised to one row a customer (summarise_events, gauger features).",
            (key,),
        )


def _again(column: pd.Series, known: ColumnFacts | None) -> int:
    """How many values of a column another row has had."""
    if known is not None:
        return len(known.ordered) - known.distinct
    return int(column.dropna().duplicated().sum())


def about_constants(names: Sequence[str]) -> Iterator[Remark]:
    """Columns that say the same for everyone."""
    if names:
        verb = plural(len(names), "says", "say")
        yield Remark("constant", f"{listed(names)} {verb} the same for everyone; leave it out.", tuple(names))


def _near_constants(table: pd.DataFrame, names: Sequence[str], facts: Mapping[str, ColumnFacts]) -> Iterator[Remark]:
    found: dict[str, tuple[float, object]] = {}
    for name in names:
        if name in facts and facts[name].middle[1] < NEARLY_ALL * len(table):
            continue  # what nearly all have stands in the middle too
        counts = table[name].value_counts()
        share = int(counts.iloc[0]) / len(table)
        if share >= NEARLY_ALL:
            found[name] = share, counts.index[0]
    yield from about_near_constants(found)


def about_near_constants(found: Mapping[str, tuple[float, object]]) -> Iterator[Remark]:
    """Columns in which nearly all rows have one value: its share, and the value."""
    shown = [f"{name} ({share:.1%} are {value})" for name, (share, value) in found.items()]
    if found:
        yield Remark(
            "near-constant",
            f"{listed(shown)} {plural(len(found), 'hardly varies', 'hardly vary')}: as a feature it would set a few "
            "customers far apart. Better for a profile than for segmenting.",
            tuple(found),
        )


def about_codes(names: Sequence[str]) -> Iterator[Remark]:
    """Columns that hold steps of a scale."""
    if names:
        yield Remark(
            "code-as-measure",
            f"{listed(names)} {plural(len(names), 'looks like a code', 'look like codes')} in steps: the distance "
            f"between two steps is not a measurement. As a feature, say categories=[{names[0]!r}] (--categories "
            f"{names[0]}).",
            tuple(names),
        )


def _gaps(table: pd.DataFrame, columns: pd.DataFrame) -> Iterator[Remark]:
    names = columns.index[(columns["missing"] > 0) & (columns["role"] != "empty")].tolist()
    if not names:
        return
    counts = columns["missing"]
    yield from about_gaps(counts[names])
    gaps = {name: table[name].isna() for name in names}
    yield from _together(names, gaps, counts)


def about_gaps(counts: "pd.Series[int]") -> Iterator[Remark]:
    """Columns with gaps, and how many."""
    names = [str(name) for name in counts.index]
    yield Remark(
        "missing",
        f"missing values in {listed([f'{name} ({counts[name]:,})' for name in names], most=6)}. Used as features they "
        "must be given a meaning: missing='zero' if nothing happened, 'median' if it was not recorded, 'drop' to leave "
        "the customer out (--missing).",
        tuple(names),
    )


def _together(
    names: Sequence[str], gaps: "Mapping[str, pd.Series[bool]]", counts: "pd.Series[int]"
) -> Iterator[Remark]:
    """Columns that are missing in the same rows."""
    left = list(names)
    while left:
        first = left.pop(0)
        together = [name for name in left if _overlap(gaps[first], gaps[name]) >= _TOGETHER]
        left = [name for name in left if name not in together]
        if together:
            group = (first, *together)
            yield Remark(
                "missing-together",
                f"{listed(group, most=6)} are missing in the same rows ({counts[first]:,}): one cause for all of them, "
                "such as a form that was not filled in. Treat them alike.",
                group,
            )


def _overlap(one: "pd.Series[bool]", other: "pd.Series[bool]") -> float:
    """Rows in which both are missing, of those in which either is."""
    return float((one & other).sum()) / float((one | other).sum())


def _nearly_numbers(table: pd.DataFrame, texts: Sequence[str]) -> Iterator[Remark]:
    for name in texts:
        counts = table[name].dropna().astype(str).value_counts()
        words = pd.Series(counts.index, dtype="str")
        numbers = pd.to_numeric(words, errors="coerce").notna()
        times = counts.to_numpy()
        top = _top_level(words[~numbers], words[numbers])
        if top is not None:
            yield Remark(
                "top-level",
                f"{name} is numbers with a top level, {top!r}: a category whose levels stand in their order, and not "
                f"for averaging. As a feature, say categories=[{name!r}] (--categories {name}).",
                (name,),
            )
        elif MOSTLY <= _share(numbers, times) < 1.0:
            odd = counts[(~numbers).to_numpy()]
            common = odd.index[odd >= _COMMON].tolist()  # what fewer rows have may be somebody's
            shown = listed(map(repr, common)) if common else f"written {written_like(odd.index)}"
            word = common[0] if common else "…"
            yield Remark(
                "nearly-numbers",
                f"{name} is text, because it holds {len(odd):,} {plural(len(odd), 'value that is', 'values that are')} "
                f"no number: {shown}. Correct them, or read the table "
                f"with as_missing={{{name!r}: {word!r}}} (--as-missing '{name}={word}').",
                (name,),
            )
        elif _share(words.str.fullmatch(_COMMA_NUMBER), times) >= MOSTLY:
            yield Remark(
                "nearly-numbers",
                f"{name} is text, because its numbers are written {written_like(_first_of(table[name]))}. Read the "
                "table with decimal=',' and, where there are marks between thousands, thousands='.' (--decimal , "
                "--thousands .).",
                (name,),
            )


def _share(found: pd.Series, times: NDArray[np.integer]) -> float:
    """The share of rows whose word is among those found; each word stands in so many rows."""
    return float(times[found.to_numpy(dtype=np.bool_)].sum() / max(times.sum(), 1))


def _first_of(column: pd.Series) -> pd.Series:
    return column.dropna().astype(str).iloc[:1]


def _top_level(odd: pd.Series, numbers: pd.Series) -> str | None:
    """The one value besides numbers that says "so many or more", such as 5+ or >10, where there is one."""
    levels = odd.unique()
    if len(levels) != 1 or numbers.empty or numbers.nunique() > MOST_LEVELS:
        return None
    found = _TOP.fullmatch(str(levels[0]).strip())
    if found is None:
        return None
    return str(levels[0]) if float(found[1] or found[2]) >= float(pd.to_numeric(numbers).max()) else None


def _dates_as_text(table: pd.DataFrame, texts: Sequence[str]) -> Iterator[Remark]:
    for name in texts:
        head = table[name].dropna().astype(str).iloc[:_HEAD]
        if not len(head) or head.str.fullmatch(_OTHER_DATE).mean() < _HINT:
            continue
        words = table[name].dropna().astype(str)
        if words.str.fullmatch(_OTHER_DATE).mean() >= MOSTLY:
            mark = str(words.iloc[0]).strip("0123456789")[0]
            formats = [mark.join(parts) for parts in (("%d", "%m", "%Y"), ("%m", "%d", "%Y"))]
            yield Remark(
                "dates-as-text",
                f"{name} is text, because its dates are written {written_like(words.iloc[:1])}. Read the table with "
                f"dates='{formats[0]}' (--dates {formats[0]}), or {formats[1]} if the month comes first.",
                (name,),
            )


def _stand_ins(table: pd.DataFrame, facts: Mapping[str, ColumnFacts]) -> Iterator[Remark]:
    found = {name: f"{known.sentinel:.6g}" for name, known in facts.items() if known.sentinel is not None}
    for name in table.columns:
        if pd.api.types.is_datetime64_dtype(table[name]):
            days = set(table[name].dropna().dt.strftime("%Y-%m-%d").unique()) if table[name].notna().any() else set()
            odd = [day for day in STAND_IN_DATES if day in days and len(days) > 1]
            if odd:
                found[name] = odd[0]
    yield from about_stand_ins(found)


def about_stand_ins(found: Mapping[str, str]) -> Iterator[Remark]:
    """Columns with a value that stands for none."""
    if found:
        example = next(iter(found.items()))
        shown = [f"{name} ({value})" for name, value in found.items()]
        yield Remark(
            "sentinel",
            f"{listed(shown)} {plural(len(found), 'holds a value', 'hold values')} that systems write where there is "
            f"none. If so, read the table with as_missing={{{example[0]!r}: {example[1]!r}}} (--as-missing "
            f"{example[0]}={example[1]}).",
            tuple(found),
        )


def about_tails(measures: pd.DataFrame) -> Iterator[Remark]:
    """Measures with a long tail, by their skew."""
    long = measures[measures["skew"].astype(float) > LONG_TAIL]
    if not long.empty:
        shown = [f"{name} (skew {skew:.1f})" for name, skew in long["skew"].items()]
        yield Remark(
            "heavy-tail",
            f"{listed(shown)} {plural(len(long), 'has', 'have')} a long tail of large values. As a feature, pull it "
            "in: transform='log' (--transform log) or cap=(0, 0.99) (--cap 0,0.99).",
            tuple(long.index),
        )


def _future(table: pd.DataFrame, dates: Sequence[str], today: datetime.date) -> Iterator[Remark]:
    tomorrow = pd.Timestamp(today) + pd.Timedelta(days=1)
    late = {name: int((table[name].dt.tz_localize(None) >= tomorrow).sum()) for name in dates}
    yield from about_future(late, today)


def about_future(late: Mapping[str, int], today: datetime.date) -> Iterator[Remark]:
    """Columns with dates to come, and how many."""
    found = tuple(name for name, count in late.items() if count)
    if found:
        shown = [f"{name} ({late[name]:,})" for name in found]
        yield Remark(
            "future-dates",
            f"{listed(shown)} {plural(len(found), 'holds', 'hold')} dates after {today}: bookings ahead, or day and "
            "month mixed up. Say how dates are written when reading: dates='%d.%m.%Y' (--dates %d.%m.%Y).",
            found,
        )


def _single_levels(table: pd.DataFrame, categories: Sequence[str]) -> Iterator[Remark]:
    alone = {name: int((table[name].value_counts() == 1).sum()) for name in categories}
    yield from about_single_levels(alone)


def about_single_levels(alone: Mapping[str, int]) -> Iterator[Remark]:
    """Categories, and how many of their levels one row has."""
    singles = {name: count for name, count in alone.items() if count}
    if singles:
        shown = [f"{name} ({count:,})" for name, count in singles.items()]
        yield Remark(
            "single-levels",
            f"levels with one row in {listed(shown)}: typos, or too rare to say anything of. Correct them or put them "
            "with another level.",
            tuple(singles),
        )
