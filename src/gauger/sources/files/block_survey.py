"""The first look at customers in blocks: how many, what they lack, from where to where, and a sample of them."""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
from numpy.typing import NDArray

from gauger.algorithms import as_shares, remixed
from gauger.columns import KeyForm, refuse_missing_key, to_pandas
from gauger.errors import ColumnValuesError
from gauger.features import LARGEST, Level, refuse_beyond_exactness
from gauger.sources.bottom_rows import BottomRows
from gauger.sources.files.block_reading import numbers_of
from gauger.sources.files.file_parts import BlockPart, said_of
from gauger.sources.files.key_columns import as_results_have, form_of_block
from gauger.sources.files.repeated_keys import KeyedPart, in_order
from gauger.sources.surveys import Survey, refuse_many_levels
from gauger.tables import Hashes, ReadingRules, hashes_of, with_numbers

SAMPLE_SALT, CORESET_SALT = 1, 2
"""What a key's hash is mixed with for the sample, and for the coreset."""


@dataclass(frozen=True, eq=False)
class Question:
    """What a survey looks at: the key, measures and categories, the columns whose gaps leave a customer out, and the
    sample to draw."""

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
            if block[question.key].null_count:
                refuse_missing_key(to_pandas(block.select([question.key]))[question.key], rows_before=seen)
            own = hashes_of(block[question.key])
            form = form_of_block(question.key, block, question.rules, part)
            one = _survey_block(question, block, own, form, seen)
        hashes.append(own)
        found = one if found is None else found + one
        seen += block.num_rows
    if found is None:
        found = _nothing(question)
    assert found.sample is not None
    found = replace(found, sample=found.sample.trimmed())
    return KeyedPart(found, in_order(hashes, question.scratch))


def _survey_block(question: Question, block: pa.Table, hashes: Hashes, form: KeyForm, seen: int) -> Survey:
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
        if pa.types.is_integer(block.schema.field(name).type):
            refuse_beyond_exactness(name, lows[index], highs[index])
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
        form,
        sample=sample,
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
        sample=BottomRows(question.sample, np.empty(0), empty),
    )


def sample_table(found: Survey) -> pd.DataFrame:
    """The customers of the sample, in an order that depends on their keys alone."""
    assert found.sample is not None
    rows = found.sample.trimmed().rows
    if rows.num_columns:
        rows = rows.set_column(0, rows.column_names[0], as_results_have(rows[0], found.keys))
    return to_pandas(rows)
