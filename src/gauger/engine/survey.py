"""The first look at customers in files: how many, what they lack, from where to where, and a sample of them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from uuid import uuid4

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from gauger.algorithms import as_shares, remixed
from gauger.columns import KeyForm, Values, to_pandas
from gauger.engine.bottom_rows import BottomRows
from gauger.engine.parts import Part
from gauger.engine.reading import numbers_of
from gauger.errors import ColumnValuesError, KeyColumnError, MissingValuesError, SettingError
from gauger.features import LARGEST, Level, Recipe
from gauger.tables import Hashes, ReadingRules, hashes_of, typed_columns, with_numbers

MOST_COUNTED = 1_000
"""Levels that are counted before a category is given up: far more than make sense."""
_NO_HASHES: Hashes = np.empty(0, dtype=np.uint64)
SAMPLE_SALT, CORESET_SALT = 1, 2
"""What a key's hash is mixed with for the sample, and for the coreset, beside the seed."""


@dataclass(frozen=True, eq=False)
class Survey:
    """What was seen of some customers: `rows` read, `kept` of them without a gap that leaves them out.

    `missing` are gaps by column among all rows; `lows` and `highs` (d,) the ends of measures among those kept; `levels`
    how many of those kept have each level of a category; `check` a sum over the hashes of keys; `keys` how keys
    are written.
    """

    rows: int
    kept: int
    missing: Mapping[str, int]
    lows: Values
    highs: Values
    levels: Mapping[str, Mapping[Level, int]]
    kept_missing: Mapping[str, int]
    check: int
    keys: KeyForm
    sample: BottomRows

    def __add__(self, other: "Survey") -> "Survey":
        return Survey(
            self.rows + other.rows,
            self.kept + other.kept,
            _added(self.missing, other.missing),
            np.fmin(self.lows, other.lows),
            np.fmax(self.highs, other.highs),
            {name: _added(self.levels[name], other.levels[name]) for name in self.levels},
            _added(self.kept_missing, other.kept_missing),
            (self.check + other.check) % 2**64,
            self.keys + other.keys,
            self.sample + other.sample,
        )


def _added(one: Mapping, other: Mapping) -> dict:  # type: ignore[type-arg]
    return {name: one.get(name, 0) + other.get(name, 0) for name in {**one, **other}}


@dataclass(frozen=True, eq=False)
class Surveyed:
    """A part's survey, and the hashes of its keys in order: in memory, or in a file of their own."""

    survey: Survey
    hashes: Hashes | Path

    def hashes_between(self, low: int, high: int) -> Hashes:
        """The hashes from `low` to before `high`, in order."""
        if isinstance(self.hashes, np.ndarray):
            hashes = self.hashes
        else:
            hashes = np.memmap(self.hashes, np.uint64, "r") if self.hashes.stat().st_size else _NO_HASHES
        start = int(np.searchsorted(hashes, np.uint64(low)))
        stop = len(hashes) if high >= 2**64 else int(np.searchsorted(hashes, np.uint64(high)))
        return np.array(hashes[start:stop])


@dataclass(frozen=True, eq=False)
class Question:
    """What a survey is to look at: the key, measures and categories, whom gaps leave out, and which sample to draw."""

    key: str
    measures: tuple[str, ...]
    categories: tuple[str, ...]
    dropped: tuple[str, ...]
    rules: ReadingRules
    seed: int
    sample: int
    share: float
    scratch: Path | None = None


def survey(question: Question, part: Part) -> Surveyed:
    """Look at every customer of a part."""
    columns = [question.key, *question.measures, *question.categories]
    found: Survey | None = None
    hashes: list[Hashes] = []
    seen = 0
    for block in part.blocks(columns, question.rules):
        block = with_numbers(block, question.measures, question.rules)
        _refuse_missing_key(question.key, block, part, seen)
        own = hashes_of(block[question.key])
        hashes.append(own)
        one = _survey_block(question, block, own, part)
        found = one if found is None else found + one
        seen += block.num_rows
    if found is None:
        found = _nothing(question)
    ordered = np.sort(np.concatenate([_NO_HASHES, *hashes]))
    found = replace(found, sample=found.sample.trimmed())
    if question.scratch is None:
        return Surveyed(found, ordered)
    path = question.scratch / f"{uuid4().hex}.hashes"
    ordered.tofile(path)
    return Surveyed(found, path)


def _survey_block(question: Question, block: pa.Table, hashes: Hashes, part: Part) -> Survey:
    values = [numbers_of(block, name) for name in question.measures]
    gaps = {name: np.isnan(one) for name, one in zip(question.measures, values, strict=True)}
    gaps |= {name: block[name].is_null().to_numpy() for name in question.categories}
    kept = np.ones(block.num_rows, dtype=np.bool_)
    for name in question.dropped:
        kept &= ~gaps[name]
    lows, highs = np.full(len(values), np.nan), np.full(len(values), np.nan)
    for index, (name, one) in enumerate(zip(question.measures, values, strict=True)):
        own = one if kept.all() else one[kept]
        if len(own):
            lows[index], highs[index] = np.fmin.reduce(own), np.fmax.reduce(own)
        if max(abs(lows[index]), abs(highs[index])) > LARGEST:
            beyond = np.flatnonzero(np.abs(one) > LARGEST)
            raise ColumnValuesError(
                f"{part.file}: {ColumnValuesError.infinite(name, beyond[:3].tolist(), beyond.size)}"
            )
    order = as_shares(remixed(remixed(hashes, question.seed), SAMPLE_SALT))
    taken = np.flatnonzero(kept & (order <= question.share))
    sample = BottomRows(question.sample, order[taken], block.take(pa.array(taken)))
    return Survey(
        block.num_rows,
        int(kept.sum()),
        {name: int(gap.sum()) for name, gap in gaps.items()},
        lows,
        highs,
        {name: _levels(name, block[name], kept) for name in question.categories},
        {name: int((gap & kept).sum()) for name, gap in gaps.items()},
        int(hashes.sum(dtype=np.uint64)),
        _form_of_keys(question, block),
        sample,
    )


def _form_of_keys(question: Question, block: pa.Table) -> KeyForm:
    """How keys are written; text is taken for what it would be if the file were read at once."""
    keys = block[question.key]
    as_text = pa.types.is_string(keys.type)
    if as_text:
        keys = typed_columns(block.select([question.key]), question.rules)[question.key]
    if pa.types.is_floating(keys.type):
        return KeyForm.of_numbers(keys.cast(pa.float64()).to_numpy(), as_text=as_text)
    return KeyForm(words=not pa.types.is_integer(keys.type), as_text=as_text)


def refuse_many_levels(name: str, levels: int) -> None:
    """Raise SettingError for a category of more levels than are counted."""
    if levels > MOST_COUNTED:
        raise SettingError(
            f"{name!r} has more than {MOST_COUNTED:,} levels, too many to make sense as features. Group them into "
            "fewer, or leave the column out."
        )


def _levels(name: str, column: pa.ChunkedArray, kept: NDArray[np.bool_]) -> dict[Level, int]:
    own = to_pandas(pa.table({name: column if kept.all() else column.filter(pa.array(kept))}))[name]
    counts = own.value_counts(dropna=True)
    refuse_many_levels(name, len(counts))
    found: dict[Level, int] = {}
    for value, count in counts.items():
        level = Level.of(value)
        found[level] = found.get(level, 0) + int(count)
    return found


def _nothing(question: Question) -> Survey:
    ends = np.full(len(question.measures), np.nan)
    empty = pa.table({})
    return Survey(
        0,
        0,
        {},
        ends,
        ends,
        {name: {} for name in question.categories},
        {},
        0,
        KeyForm(),
        BottomRows(question.sample, np.empty(0), empty),
    )


def _refuse_missing_key(key: str, block: pa.Table, part: Part, seen: int) -> None:
    if block[key].null_count:
        rows = np.flatnonzero(block[key].is_null().to_numpy())
        where = part.file if part.of == 1 else f"{part.file} (part {part.number} of {part.of})"
        raise KeyColumnError(f"{where}: {KeyColumnError.missing(key, (rows[:3] + seen).tolist(), len(rows))}")


def refuse_gaps(found: Survey, recipes: Mapping[str, Recipe], categories: Sequence[str]) -> None:
    """Raise for columns without a value, for gaps of which nothing was said, and where nobody is left."""
    if not found.rows:
        raise SettingError("there are no customers to prepare: the files have no rows.")
    empty = [name for name, gaps in found.missing.items() if gaps == found.rows]
    if empty:
        raise ColumnValuesError(f"{empty[0]!r} has no value for any customer. Leave it out of the features.")
    refused = {name: gaps for name, gaps in found.missing.items() if gaps and recipes[name].missing == "refuse"}
    if refused:
        raise MissingValuesError.in_features(refused, found.rows)
    for name in categories:
        if found.missing[name] and recipes[name].missing not in ("drop", "zero"):
            raise SettingError(
                f"missing={recipes[name].missing!r} cannot be had of the category {name!r}, which lacks a value for "
                f"{found.missing[name]:,} customers. Say missing={{{name!r}: 'zero'}} for no level, or 'drop'."
            )
    if not found.kept:
        raise MissingValuesError("missing='drop' leaves nobody: every customer lacks a feature. Fill those with gaps.")


def as_whole(keys: pa.ChunkedArray) -> pa.ChunkedArray:
    """Keys that are whole numbers, written as text or with a decimal point, as whole numbers."""
    if pa.types.is_string(keys.type) and pc.any(pc.match_substring(keys, ".")).as_py():
        keys = keys.cast(pa.float64())
    return keys.cast(pa.int64())


def sample_table(found: Survey) -> pd.DataFrame:
    """The customers of the sample, in an order that depends on their keys alone."""
    rows = found.sample.trimmed().rows
    if found.keys.become_whole:
        rows = rows.set_column(0, rows.column_names[0], as_whole(rows[0]))
    return to_pandas(rows)
