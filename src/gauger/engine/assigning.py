"""Assign files of any size block by block, in constant memory: csv or Parquet in, csv or Parquet out."""

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import pandas as pd
import pyarrow as pa
from numpy.typing import NDArray

from gauger.columns import refuse_fractions, refuse_missing_key, to_pandas
from gauger.engine.dask_crew import crew_for
from gauger.engine.parts import Part, parts_of, refuse_output_among
from gauger.engine.survey import as_whole
from gauger.errors import SettingError
from gauger.features import about_new_levels, new_levels
from gauger.models import (
    WHYS,
    Assigned,
    SegmentModel,
    about_left_out,
    about_values,
    changed_units,
    columns_of,
    find_segments,
    gates_of,
    indicators_of,
    outside_of,
)
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED_NAME
from gauger.tables import (
    BLOCK_ENDINGS,
    BlockWriter,
    ReadingRules,
    Source,
    join_pieces,
    result_folder,
    with_numbers,
)
from gauger.wording import plural

if TYPE_CHECKING:
    from distributed import Client


@dataclass(repr=False, eq=False)
class StreamedAssignments(Readable):
    """What `assign_file` did.

    Attributes
    ----------
    path : pathlib.Path
        The file written, or the folder of parts.
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
    source: Source,
    out: str | PathLike[str],
    *,
    gate: float | str | None = None,
    cluster: "str | Client | None" = None,
    workers: int | None = None,
    replace: bool = False,
) -> StreamedAssignments:
    """Assign the customers of files block by block, in constant memory.

    Parameters
    ----------
    model : SegmentModel
        The model.
    source : str, path-like or sequence of them
        Any file that `read_table` reads, by the same rules (a workbook is read at once); a folder of files, a pattern
        such as `base/*.parquet`, or a list.
    out : str or path-like
        Where to write: .csv or .parquet for one file; a name without an ending for a folder with a Parquet part for
        each part that is read.
    gate : float or "learned", optional
        As for `SegmentModel.assign`.
    cluster, workers : optional
        Who does it, as for `segment_files`.
    replace : bool
        Whether what is there already may be replaced.

    Returns
    -------
    StreamedAssignments
        How many went where. The files have what `SegmentModel.assign` gives, in the order of the source, and appear
        whole. Remarks are those of `assign`, counted over all blocks; whether a unit has changed is judged by the
        first.

    Raises
    ------
    SettingError
        For another ending, and as `SegmentModel.assign`.
    UnknownColumnError, ColumnValuesError, KeyColumnError, TableFileError
        As `SegmentModel.assign` and `read_table` do. Keys must be there; whether they repeat is not looked at, for that
        would take memory for all.
    ClusterError, MissingPackageError
        As `segment_files` does.
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
    target = Path(out)
    if target.suffix not in ("", *BLOCK_ENDINGS):
        raise SettingError(
            f"{target.name}: assignments are written block by block to .csv or .parquet, or as parts into a folder."
        )
    gates = gates_of(model, gate)
    refuse_output_among(source, target)
    parts = parts_of(source, columns_of(model), alike=False)
    names = [target.name] if target.suffix else parts.names_of_pieces(".parquet")
    place = target.parent if target.suffix else target
    earlier = [] if target.suffix else [path.relative_to(target).as_posix() for path in target.glob("**/*.parquet")]
    with (
        result_folder(
            place,
            names,
            optional=[name for name in earlier if name not in names],
            replace=replace,
            sources=parts.files,
        ) as results,
        crew_for(cluster, workers) as crew,
    ):
        outs = [results.path(name) for name in names]
        if len(names) < len(parts.parts):
            pieces = results.stage.parent
            outs = [pieces / f"piece-{index}{target.suffix}" for index in range(len(parts.parts))]
        jobs = [(model, gates, parts.rules, one, part) for one, part in zip(outs, parts.parts, strict=True)]
        tally = crew.total(f"assigning {parts.called()}", _assign_part, jobs)
        if len(names) < len(parts.parts):
            join_pieces(outs, results.path(target.name))
    remarks = (*parts.remarks, *tally.remarks(model))
    return StreamedAssignments(target, tally.table(model), remarks)


def _assign_part(
    model: SegmentModel, gates: NDArray[np.float64] | None, rules: ReadingRules, out: Path, part: Part
) -> "_Tally":
    """Assign the customers of a part, and write them into a file; a part without any writes one of no rows."""
    measures = list(dict.fromkeys(one.column for one in model.features if one.indicator is None))
    tally = _Tally.nobody(model)
    with BlockWriter(out) as writer:
        for block in part.blocks(columns_of(model), rules):
            table = to_pandas(with_numbers(block, measures, rules))
            refuse_missing_key(table[model.key], rows_before=tally.seen)
            placed = find_segments(model, table, gates)
            tally += _Tally.of(model, table, placed)
            writer.write(_columns(model, block[model.key], placed))
        if not tally.seen:
            writer.write(_columns(model, None, find_segments(model, _nobody(model), gates)))
    return tally


def _nobody(model: SegmentModel) -> pd.DataFrame:
    return pd.DataFrame({name: pd.Series(dtype=np.float64) for name in columns_of(model)})


def _columns(model: SegmentModel, keys: pa.ChunkedArray | None, placed: Assigned) -> pa.Table:
    names = pa.array([name for _, name in sorted(model.segment_names.items())])
    by_name = pa.DictionaryArray.from_arrays(pa.array(placed.codes), names)
    why = pa.DictionaryArray.from_arrays(pa.array(placed.why), pa.array(WHYS))
    distance = pa.array(placed.distances, from_pandas=True)
    if keys is not None and pa.types.is_floating(keys.type):
        refuse_fractions(model.key, keys.cast(pa.float64()).to_numpy())
        keys = as_whole(keys)
    columns = {"segment": pa.array(placed.codes), "segment_name": by_name, "distance": distance, "why": why}
    return pa.table({model.key: keys if keys is not None else pa.array([], pa.string()), **columns})


@dataclass(frozen=True, eq=False)
class _Tally:
    """Customers `seen`, by segment and by reason, and what there is to remark on their values."""

    seen: int
    segments: NDArray[np.int64]
    reasons: NDArray[np.int64]
    outside: Mapping[str, int]
    changed: Mapping[str, float]
    new: Mapping[str, frozenset[str]]

    @classmethod
    def nobody(cls, model: SegmentModel) -> "_Tally":
        """That of no customers."""
        nothing = np.zeros(len(model.segments) + 1, dtype=np.int64)
        return cls(0, nothing, np.zeros(len(WHYS), dtype=np.int64), {}, {}, {})

    @classmethod
    def of(cls, model: SegmentModel, table: pd.DataFrame, placed: Assigned) -> "_Tally":
        """That of one block."""
        return cls(
            len(table),
            np.bincount(placed.codes, minlength=len(model.segments) + 1),
            np.bincount(placed.why, minlength=len(WHYS)),
            outside_of(model, placed.raw),
            changed_units(model, placed.raw),
            {name: frozenset(levels) for name, levels in new_levels(table, indicators_of(model)).items()},
        )

    def __add__(self, other: "_Tally") -> "_Tally":
        return _Tally(
            self.seen + other.seen,
            self.segments + other.segments,
            self.reasons + other.reasons,
            Counter(self.outside) + Counter(other.outside),
            self.changed if self.seen else other.changed,
            {
                name: self.new.get(name, frozenset()) | other.new.get(name, frozenset())
                for name in {**self.new, **other.new}
            },
        )

    def table(self, model: SegmentModel) -> pd.DataFrame:
        """Customers by segment, the unassigned last where there are any."""
        names = pd.Index([*range(1, len(self.segments)), UNASSIGNED_NAME], dtype=object, name="segment")
        called = [*(one.name for one in model.segments), UNASSIGNED_NAME]
        table = pd.DataFrame({"name": called, "customers": np.roll(self.segments, -1)}, index=names)
        return table if table["customers"].iloc[-1] else table.iloc[:-1]

    def remarks(self, model: SegmentModel) -> Iterator[Remark]:
        """What there is to say of them."""
        yield from about_new_levels({name: set(levels) for name, levels in self.new.items()}, "the model was")
        yield from about_values(model, self.outside, self.changed)
        yield from about_left_out(self.reasons, self.seen)
