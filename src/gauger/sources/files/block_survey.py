"""The first look at customers in blocks: how many, what they lack, from where to where, and a sample of them."""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from gauger.algorithms import as_shares, remixed
from gauger.columns import KeyForm, to_pandas
from gauger.errors import ColumnValuesError, KeyColumnError
from gauger.features import LARGEST, Level
from gauger.sources.bottom_rows import BottomRows
from gauger.sources.files.block_reading import numbers_of
from gauger.sources.files.file_parts import BlockPart, said_of
from gauger.sources.files.repeated_keys import KeyedPart, in_order
from gauger.sources.surveys import Survey, refuse_many_levels
from gauger.tables import Hashes, ReadingRules, hashes_of, typed_columns, with_numbers

SAMPLE_SALT, CORESET_SALT = 1, 2
"""What a key's hash is mixed with for the sample, and for the coreset."""


@dataclass(frozen=True, eq=False)
class Question:
    """What a survey is to look at: the key, measures and categories, whom gaps leave out, and which sample to draw."""

    key: str
    measures: tuple[str, ...]
    categories: tuple[str, ...]
    dropped: tuple[str, ...]
    rules: ReadingRules
    sample: int
    share: float
    scratch: Path | None = None


def survey(question: Question, part: BlockPart) -> KeyedPart:
    """Look at every customer of a part; raises KeyColumnError and ColumnValuesError that name the part."""
    columns = [question.key, *question.measures, *question.categories]
    found: Survey | None = None
    hashes: list[Hashes] = []
    seen = 0
    for block in part.blocks(columns, question.rules):
        with said_of(part):
            block = with_numbers(block, question.measures, question.rules)
            _refuse_missing_key(question.key, block, seen)
            own = hashes_of(block[question.key])
            one = _survey_block(question, block, own, seen)
        hashes.append(own)
        found = one if found is None else found + one
        seen += block.num_rows
    if found is None:
        found = _nothing(question)
    assert found.sample is not None
    found = replace(found, sample=found.sample.trimmed())
    return KeyedPart(found, in_order(hashes, question.scratch))


def _survey_block(question: Question, block: pa.Table, hashes: Hashes, seen: int) -> Survey:
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
            raise ColumnValuesError.infinite(name, (beyond[:3] + seen).tolist(), beyond.size)
    order = as_shares(remixed(hashes, SAMPLE_SALT))
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
        sample=sample,
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
        sample=BottomRows(question.sample, np.empty(0), empty),
    )


def _refuse_missing_key(key: str, block: pa.Table, seen: int) -> None:
    if block[key].null_count:
        rows = np.flatnonzero(block[key].is_null().to_numpy())
        raise KeyColumnError.missing(key, (rows[:3] + seen).tolist(), len(rows))


def as_whole(keys: pa.ChunkedArray) -> pa.ChunkedArray:
    """Keys that are whole numbers, written as text or with a decimal point, as whole numbers."""
    if pa.types.is_string(keys.type) and pc.any(pc.match_substring(keys, ".")).as_py():
        keys = keys.cast(pa.float64())
    return keys.cast(pa.int64())


def sample_table(found: Survey) -> pd.DataFrame:
    """The customers of the sample, in an order that depends on their keys alone."""
    assert found.sample is not None
    rows = found.sample.trimmed().rows
    if found.keys.become_whole:
        rows = rows.set_column(0, rows.column_names[0], as_whole(rows[0]))
    return to_pandas(rows)
