"""Assign a file of any size block by block, in constant memory: csv or Parquet in, csv or Parquet out."""

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from os import PathLike
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
from numpy.typing import NDArray

from gauger.columns import refuse_missing_key
from gauger.errors import SettingError
from gauger.features import about_new_levels, new_levels
from gauger.models.assigning import (
    WHYS,
    Assigned,
    about_left_out,
    about_values,
    changed_units,
    columns_of,
    find_segments,
    gates_of,
    indicators_of,
    outside_of,
)
from gauger.models.model import SegmentModel
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED_NAME
from gauger.tables import BLOCK_ENDINGS, BlockWriter, FileBlocks, result_folder, to_pandas, with_numbers
from gauger.wording import plural


@dataclass(repr=False, eq=False)
class StreamedAssignments(Readable):
    """What `assign_file` did.

    Attributes
    ----------
    path : pathlib.Path
        The file written.
    customers : pandas.DataFrame
        How many customers are in each segment; 0 is unassigned.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    assign_file : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 21, 23]})
    >>> model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     source = gauger.write_table(table, f"{folder}/all.csv")
    ...     gauger.assign_file(model, source, f"{folder}/segments.parquet").path.name
    'segments.parquet'
    """

    path: Path
    customers: pd.DataFrame
    remarks: tuple[Remark, ...] = field(default=())

    def headline(self) -> str:
        everyone = int(self.customers["customers"].sum())
        left = int(self.customers["customers"].get(UNASSIGNED_NAME, 0))
        rest = f", {left:,} unassigned" if left else ""
        return f"{everyone:,} {plural(everyone, 'customer')} assigned{rest}: {self.path}"

    def overview(self) -> pd.DataFrame:
        return self.customers


def assign_file(
    model: SegmentModel,
    source: str | PathLike[str],
    out: str | PathLike[str],
    *,
    gate: float | str | None = None,
    replace: bool = False,
) -> StreamedAssignments:
    """Assign the customers of a file block by block, in constant memory.

    Parameters
    ----------
    model : SegmentModel
        The model.
    source : str or path-like
        Any file that `read_table` reads, by the same rules; JSON lines and workbooks are read at once.
    out : str or path-like
        Where to write: .csv or .parquet.
    gate : float or "learned", optional
        As for `SegmentModel.assign`.
    replace : bool
        Whether a file that is there already may be replaced.

    Returns
    -------
    StreamedAssignments
        How many went where. The file has what `SegmentModel.assign` gives, in the order of the source, and appears
        whole. Remarks are those of `assign`, counted over all blocks; whether a unit has changed is judged by the
        first.

    Raises
    ------
    SettingError
        For another ending, and as `SegmentModel.assign`.
    UnknownColumnError, ColumnValuesError, KeyColumnError, TableFileError
        As `SegmentModel.assign` and `read_table` do. Keys must be there; whether they repeat is not looked at, for that
        would take memory for all.
    OutputError
        As `write_table` does.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 21, 23]})
    >>> model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     source = gauger.write_table(table, f"{folder}/all.parquet")
    ...     gauger.assign_file(model, source, f"{folder}/segments.csv").customers["customers"].tolist()
    [2, 2]
    """
    file, target = Path(source), Path(out)
    if target.suffix not in BLOCK_ENDINGS:
        raise SettingError(f"{target.name}: assignments are written block by block to .csv or .parquet.")
    gates = gates_of(model, gate)
    tally = _Tally(model)
    source_blocks = FileBlocks(file)
    measures = list(dict.fromkeys(one.column for one in model.features if one.indicator is None))
    with result_folder(target.parent, [target.name], replace=replace, sources=[file]) as results:
        progress = task(f"assigning {file.name}", source_blocks.rows)
        with progress as advance, BlockWriter(results.path(target.name)) as writer:
            for block in source_blocks.of(columns_of(model)):
                table = to_pandas(with_numbers(block, measures))
                refuse_missing_key(table[model.key], rows_before=tally.seen)
                placed = find_segments(model, table, gates)
                tally.add(table, placed)
                writer.write(_columns(model, block[model.key], placed))
                advance(len(table))
            if not tally.seen:
                writer.write(_columns(model, None, find_segments(model, _nobody(model), gates)))
    return StreamedAssignments(target, tally.table(), (*source_blocks.remarks, *tally.remarks()))


def _nobody(model: SegmentModel) -> pd.DataFrame:
    return pd.DataFrame({name: pd.Series(dtype=np.float64) for name in columns_of(model)})


def _columns(model: SegmentModel, keys: pa.ChunkedArray | None, placed: Assigned) -> pa.Table:
    names = pa.array([name for _, name in sorted(model.segment_names.items())])
    by_name = pa.DictionaryArray.from_arrays(pa.array(placed.codes), names)
    why = pa.DictionaryArray.from_arrays(pa.array(placed.why), pa.array(WHYS))
    distance = pa.array(placed.distances, from_pandas=True)
    columns = {"segment": pa.array(placed.codes), "segment_name": by_name, "distance": distance, "why": why}
    return pa.table({model.key: keys if keys is not None else pa.array([], pa.string()), **columns})


class _Tally:
    """Customers by segment and by reason, and the remarks on values, over all blocks."""

    def __init__(self, model: SegmentModel) -> None:
        self.model = model
        self.seen = 0
        self._segments: NDArray[np.int64] = np.zeros(len(model.segments) + 1, dtype=np.int64)
        self._reasons: NDArray[np.int64] = np.zeros(len(WHYS), dtype=np.int64)
        self._outside: Counter[str] = Counter()
        self._changed: dict[str, float] = {}
        self._new: dict[str, set[str]] = {}

    def add(self, table: pd.DataFrame, placed: Assigned) -> None:
        if not self.seen:
            self._changed = changed_units(self.model, placed.raw)
        self.seen += len(table)
        self._segments += np.bincount(placed.codes, minlength=len(self._segments))
        self._reasons += np.bincount(placed.why, minlength=len(WHYS))
        self._outside.update(outside_of(self.model, placed.raw))
        for column, levels in new_levels(table, indicators_of(self.model)).items():
            self._new.setdefault(column, set()).update(levels)

    def table(self) -> pd.DataFrame:
        names = pd.Index([*range(1, len(self._segments)), UNASSIGNED_NAME], dtype=object, name="segment")
        called = [*(one.name for one in self.model.segments), UNASSIGNED_NAME]
        table = pd.DataFrame({"name": called, "customers": np.roll(self._segments, -1)}, index=names)
        return table if table["customers"].iloc[-1] else table.iloc[:-1]

    def remarks(self) -> Iterator[Remark]:
        yield from about_new_levels(self._new, "the model was")
        yield from about_values(self.model, self._outside, self._changed)
        yield from about_left_out(self._reasons, self.seen)
