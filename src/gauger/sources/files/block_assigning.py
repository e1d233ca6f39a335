"""Other customers assigned by a model, block by block, in constant memory."""

from collections.abc import Iterator
from contextlib import nullcontext
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
from numpy.typing import NDArray

from gauger.columns import KeyForm, refuse_missing_key, to_pandas
from gauger.models import WHYS, Assigned, AssignmentTally, SegmentModel, columns_of, find_segments
from gauger.sources.assignments import ASSIGNED_OTHERS
from gauger.sources.files.file_parts import BlockPart, said_of
from gauger.sources.files.key_columns import as_results_have, form_of_keys
from gauger.sources.files.repeated_keys import KeyedPart, in_order
from gauger.tables import BlockWriter, ReadingRules, hashes_of, with_numbers

Gates = NDArray[np.float64] | None


def placed_blocks(
    model: SegmentModel, gates: Gates, rules: ReadingRules, part: BlockPart
) -> Iterator[tuple[pd.DataFrame, Assigned, pa.ChunkedArray]]:
    """The customers of a part, block by block: what was read of them, where they are, and their keys."""
    measures = list(dict.fromkeys(one.column for one in model.features if one.indicator is None))
    seen = 0
    for block in part.blocks(columns_of(model), rules):
        with said_of(part):
            table = to_pandas(with_numbers(block, measures, rules))
            refuse_missing_key(table[model.key], rows_before=seen)
            placed = find_segments(model, table, gates)
        yield table, placed, block[model.key]
        seen += len(table)


def assigned_blocks(
    model: SegmentModel, gates: Gates, rules: ReadingRules, form: KeyForm, part: BlockPart
) -> Iterator[pa.Table]:
    """Who of a part is where, block by block."""
    for _, placed, keys in placed_blocks(model, gates, rules, part):
        yield _columns(model, as_results_have(keys, form), placed)


def assign_part(
    model: SegmentModel,
    gates: Gates,
    rules: ReadingRules,
    form: KeyForm,
    scratch: Path | None,
    out: Path | None,
    part: BlockPart,
) -> KeyedPart:
    """Count where the customers of a part are, and write them into a file if one is named; a part without customers
    makes a file without rows."""
    tally, hashes = AssignmentTally.nobody(model), []
    with nullcontext() if out is None else BlockWriter(out) as writer:
        for table, placed, keys in placed_blocks(model, gates, rules, part):
            tally += AssignmentTally.of(model, table, placed)
            hashes.append(hashes_of(keys))
            if writer is not None:
                writer.write(_columns(model, as_results_have(keys, form), placed))
        if writer is not None and not tally.rows:
            no_keys = pa.chunked_array([], pa.string() if form.words else pa.int64())
            writer.write(_columns(model, no_keys, find_segments(model, _nobody(model), gates)))
    return KeyedPart(tally, in_order(hashes, scratch))


def written_blocks(model: SegmentModel, part: BlockPart) -> Iterator[pa.Table]:
    """Who is where, as a text file of assignments says it."""
    rules = ReadingRules()
    form = form_of_keys(model.key, rules, part)
    kinds = (pa.int32(), pa.string(), pa.float64(), pa.string())
    for block in part.blocks([model.key, *ASSIGNED_OTHERS], rules):
        columns = {name: block[name].cast(kind) for name, kind in zip(ASSIGNED_OTHERS, kinds, strict=True)}
        yield pa.table({model.key: as_results_have(block[model.key], form), **columns})


def _nobody(model: SegmentModel) -> pd.DataFrame:
    return pd.DataFrame({name: pd.Series(dtype=np.float64) for name in columns_of(model)})


def _columns(model: SegmentModel, keys: pa.ChunkedArray, placed: Assigned) -> pa.Table:
    names = pa.array([name for _, name in sorted(model.segment_names.items())])
    by_name = pa.DictionaryArray.from_arrays(pa.array(placed.codes), names)
    why = pa.DictionaryArray.from_arrays(pa.array(placed.why), pa.array(WHYS))
    distance = pa.array(placed.distances, from_pandas=True)
    columns = (pa.array(placed.codes), by_name, distance, why)
    return pa.table({model.key: keys, **dict(zip(ASSIGNED_OTHERS, columns, strict=True))})
