"""What a column of text is, proven on every value: whole numbers, decimals, flags, dates, or the text it came as."""

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc

from gauger.algorithms import map_jobs
from gauger.errors import ColumnValuesError, SettingError, UnknownColumnError
from gauger.wording import plural

_WHOLE = r"^-?(0|[1-9]\d*)$"
_DECIMAL = r"^[+-]?(0|[1-9]\d*)?(\.\d*)?([eE][+-]?\d+)?$|^[+-]?(inf|Inf|INF)$"
_CODE = r"^[+-]?0\d|^\+\d+$|^\d+[eE]\d+$|^[+-]?$|^[+-]?\.?[eE]"
_FLAG = r"^(true|false|True|False|TRUE|FALSE)$"
_NUMBER, _CODED = re.compile(_DECIMAL), re.compile(_CODE)
_HEAD = 1000
"""Values that are tried first: most columns that are no numbers show it there."""

_MARKS = ".,' \u00a0\u202f"

_Attempt = Callable[[pa.ChunkedArray], pa.ChunkedArray | None]


@dataclass(frozen=True)
class ReadingRules:
    """How a reader is to take text: number marks, dates, what stays text, the header, the encoding, and bad lines."""

    decimal: str = "."
    thousands: str | None = None
    dates: str | Mapping[str, str] | None = None
    as_text: tuple[str, ...] = ()
    as_missing: Mapping[str, object] = field(default_factory=dict)
    header: bool | None = None
    encoding: str | None = None
    skip_bad_lines: Path | None = None

    def __post_init__(self) -> None:
        if self.decimal not in (".", ","):
            raise SettingError.not_one_of("decimal", self.decimal, (".", ","))
        if self.thousands is not None and (self.thousands not in _MARKS or self.thousands in ("", self.decimal)):
            raise SettingError(
                f"thousands={self.thousands!r} must be one of . , ' or a space, and another mark than the decimal one."
            )

    def date_format(self, name: str) -> str | None:
        """The format that a column's dates are written in, None for ISO."""
        return self.dates.get(name) if isinstance(self.dates, Mapping) else self.dates


def typed_columns(table: pa.Table, rules: ReadingRules) -> pa.Table:
    """Text columns as what all their values are, column by column on every core."""
    largest_first = sorted(table.column_names, key=lambda name: -table[name].nbytes)
    found = map_jobs(lambda name: _typed_by_rules(name, table[name], rules), largest_first)
    typed = dict(zip(largest_first, found, strict=True))
    return pa.table({name: typed[name] for name in table.column_names})


def apply_rules(table: pa.Table, rules: ReadingRules, *, iso_dates: bool) -> pa.Table:
    """A table whose columns have types already, with what the rules say of text; ISO dates too when told."""
    _refuse_unknown(table.column_names, rules)
    columns = {}
    for name, column in zip(table.column_names, table.columns, strict=True):
        if name in rules.as_text:
            column = column.cast(pa.string())
        elif _is_text(column.type) and column.null_count < len(column):
            written = rules.date_format(name)
            dates = None
            if written is not None:
                dates = _as_written_dates(name, column, written, strict=isinstance(rules.dates, Mapping))
            elif iso_dates:
                dates = as_dates(column)
            column = column if dates is None else dates
        columns[name] = column
    return without_stand_ins(pa.table(columns), rules)


def without_stand_ins(table: pa.Table, rules: ReadingRules) -> pa.Table:
    """The table with gaps where a column holds the value that is to be taken as missing."""
    _refuse_unknown(table.column_names, rules)
    for name, word in rules.as_missing.items():
        column = table[name]
        try:
            value = pa.scalar(str(word)).cast(column.type)
        except pa.ArrowInvalid as error:
            raise SettingError(
                f"as_missing={{{name!r}: {word!r}}} fits no value of {name!r}, which holds {column.type}."
            ) from error
        gaps = pc.fill_null(pc.equal(column, value), False)
        kept = pc.if_else(gaps, pa.scalar(None, column.type), column)
        table = table.set_column(table.column_names.index(name), name, kept)
    return table


def as_typed(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """A text column as whole numbers, decimals, flags or ISO dates when every value is one, else as it is."""
    if column.null_count == len(column):
        return column.cast(pa.float64())
    return _first_that_fits(column, (_as_whole, _as_decimal, _as_flags, as_dates))


class InferredKinds:
    """What text columns are, proven block by block: the same as of all blocks at once."""

    def __init__(self) -> None:
        self._seen: dict[str, set[pa.DataType]] = {}

    def add(self, block: pa.Table) -> None:
        """One block of text columns more."""
        typed = typed_columns(block, ReadingRules())
        for name, column in zip(typed.column_names, typed.columns, strict=True):
            self._seen.setdefault(name, set()).update([column.type] if column.null_count < len(column) else [])

    def apply(self, block: pa.Table) -> pa.Table:
        """A block with every column as what all of its values in all blocks are."""
        cast = {name: _cast_proven(block[name], one_kind(kinds)) for name, kinds in self._seen.items()}
        return pa.table(cast)


def one_kind(kinds: Collection[pa.DataType]) -> pa.DataType:
    """The one kind that holds values of several: decimals for whole numbers and decimals, else text."""
    if not kinds:
        return pa.float64()
    if set(kinds) == {pa.int64(), pa.float64()}:
        return pa.float64()
    return next(iter(kinds)) if len(kinds) == 1 else pa.string()


def _cast_proven(column: pa.ChunkedArray, kind: pa.DataType) -> pa.ChunkedArray:
    if kind == pa.bool_():
        column = pc.utf8_lower(column)
    return column.cast(kind)


def is_plain_number(text: str) -> bool:
    """Whether a single text would be read as a number: no code such as 007 or 4E5, and no word."""
    return _NUMBER.match(text) is not None and _CODED.match(text) is None and any(map(str.isdigit, text))


def as_dates(column: pa.ChunkedArray) -> pa.ChunkedArray | None:
    """A text column as dates when every value is an ISO date or time, else None; in UTC where all have a zone."""
    dates = _cast(column, pa.timestamp("us"))
    return _cast(column, pa.timestamp("us", tz="UTC")) if dates is None else dates


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


def _refuse_unknown(names: Sequence[str], rules: ReadingRules) -> None:
    asked = [*rules.as_text, *rules.as_missing, *(rules.dates if isinstance(rules.dates, Mapping) else ())]
    if any(name not in names for name in asked):
        raise UnknownColumnError.among(asked, names)


def _typed_by_rules(name: str, column: pa.ChunkedArray, rules: ReadingRules) -> pa.ChunkedArray:
    if name in rules.as_text:
        return column
    written = rules.date_format(name)
    if written is not None:
        dates = _as_written_dates(name, column, written, strict=isinstance(rules.dates, Mapping))
        if dates is not None:
            return dates
    if (rules.decimal, rules.thousands) != (".", None):
        plain = _without_marks(column, rules.decimal, rules.thousands)
        if plain is None:
            return _first_that_fits(column, (_as_flags, as_dates))
        typed = as_typed(plain)
        return column if pa.types.is_string(typed.type) else typed
    return as_typed(column)


def _first_that_fits(column: pa.ChunkedArray, attempts: Iterable[_Attempt]) -> pa.ChunkedArray:
    head = column.slice(0, _HEAD)
    found = (attempt(column) for attempt in attempts if attempt(head) is not None)
    return next((typed for typed in found if typed is not None), column)


def _as_whole(column: pa.ChunkedArray) -> pa.ChunkedArray | None:
    numbers = _cast(column, pa.int64())
    if numbers is None:
        return None
    # Casting forgets leading zeros and reads 0x1F as 31: such values are codes.
    zeros = _count(pc.starts_with(column, "0")) != _count(pc.equal(column, "0"))
    suspect = zeros or _hold(list(_texts(column)), b"-0")
    return numbers if not suspect or _all_match(column, _WHOLE) else None


def _as_decimal(column: pa.ChunkedArray) -> pa.ChunkedArray | None:
    numbers = _cast(column, pa.float64())
    if numbers is None:
        return None
    texts = list(_texts(column))
    if not any(_hold(texts, sign) for sign in (b".", b"e", b"E", b"n", b"N")):
        return None  # whole numbers too long for 64 bits keep their digits
    if _surely_plain(column, texts):
        return numbers
    return numbers if _all_match(column, _DECIMAL) and not _any_match(column, _CODE) else None


def _surely_plain(column: pa.ChunkedArray, texts: Sequence[bytes]) -> bool:
    """Whether no value of a decimal column can be a code such as 007, +44 or 4E5, or a word; quicker than a pattern."""
    zeros = _count(pc.starts_with(column, "0"))
    if zeros and zeros != _count(pc.starts_with(column, "0.")) + _count(pc.equal(column, "0")):
        return False
    if any(_hold(texts, start.encode()) and _count(pc.starts_with(column, start)) for start in ("-0", "+")):
        return False
    if _hold(texts, b"n") or _hold(texts, b"N"):
        return False
    powers = [power for power in (b"e", b"E") if _hold(texts, power)]
    return not any(part[:1].isdigit() for text in texts for power in powers for part in text.split(power)[1:])


def _as_flags(column: pa.ChunkedArray) -> pa.ChunkedArray | None:
    return _cast(pc.utf8_lower(column), pa.bool_()) if _all_match(column, _FLAG) else None


def _as_written_dates(name: str, column: pa.ChunkedArray, written: str, *, strict: bool) -> pa.ChunkedArray | None:
    """Dates in a given format; None, or when `strict` an error, where a value is not written so."""
    distinct = column.unique().drop_null()
    try:
        dates = pd.to_datetime(distinct.to_pandas(), format=written, errors="coerce")
    except ValueError as error:
        raise SettingError(f"dates={written!r} is not a date format. Write it like %d.%m.%Y.") from error
    wrong = distinct.filter(pa.array(dates.isna().to_numpy()))
    if len(wrong) and strict:
        raise ColumnValuesError(
            f"{name!r} has {len(wrong):,} {plural(len(wrong), 'value')} not written as {written}: "
            f"{', '.join(repr(value.as_py()) for value in wrong[:3])}. Correct them, or give another format."
        )
    if len(wrong) or not len(distinct):
        return None
    moments = pa.array(dates.to_numpy().astype("datetime64[us]"))
    indices = pc.index_in(column, value_set=distinct)
    return pa.chunked_array([pc.take(moments, chunk) for chunk in indices.chunks], type=moments.type)


def _without_marks(column: pa.ChunkedArray, decimal: str, thousands: str | None) -> pa.ChunkedArray | None:
    """Numbers with their thousands marks dropped and a decimal point; None when a value is no such number."""
    group = f"|[1-9]\\d{{0,2}}([{thousands}]\\d{{3}})+" if thousands else ""
    if not _all_match(column, f"^[+-]?(\\d+{group})([{decimal}]\\d+)?$"):
        return None
    joined = pc.replace_substring(column, thousands, "") if thousands else column
    return pc.replace_substring(joined, decimal, ".")


def _cast(column: pa.ChunkedArray, to: pa.DataType) -> pa.ChunkedArray | None:
    """The column as another type, or None when a value does not fit, such as the 31st of February."""
    try:
        return column.cast(to)
    except pa.ArrowInvalid:
        return None


def _count(flags: pa.ChunkedArray) -> int:
    return pc.sum(flags).as_py() or 0


def _texts(column: pa.ChunkedArray) -> Iterator[bytes]:
    """The text of a column, its values one after the other; of a slice, that of the whole column."""
    data = (chunk.buffers()[2] for chunk in column.chunks)
    return (part.to_pybytes() for part in data if part is not None)


def _hold(texts: Sequence[bytes], sign: bytes) -> bool:
    return any(sign in text for text in texts)


def _all_match(column: pa.ChunkedArray, pattern: str) -> bool:
    return pc.all(pc.match_substring_regex(column, pattern)).as_py() is not False


def _any_match(column: pa.ChunkedArray, pattern: str) -> bool:
    return bool(pc.any(pc.match_substring_regex(column, pattern)).as_py())
