"""Tables in blocks, opened where they live: files of any number and size, or whatever else gives Arrow tables."""

import datetime
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace as with_values
from os import PathLike
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq

from gauger.algorithms import as_shares, bytes_in_words, remixed
from gauger.columns import TableLook, look, to_pandas
from gauger.errors import MissingFileError, SettingError, UnknownColumnError
from gauger.features import (
    EventSummary,
    FeatureSet,
    Preparation,
    behaviour_in_memory,
    behaviour_of_files,
    nobody_to_prepare,
)
from gauger.models import AssignmentTally, SegmentModel, columns_of
from gauger.monitoring import CustomersNow
from gauger.remarks import Remark
from gauger.sources.bottom_rows import BottomRows
from gauger.sources.execution import Execution
from gauger.sources.files.block_assigning import written_blocks
from gauger.sources.files.block_place import BlockPlace
from gauger.sources.files.dask_crew import crew_for
from gauger.sources.files.file_parts import BlockPart, FilePart, Parts, is_delimited, parts_of, refuse_output_among
from gauger.sources.open_tables import PlacedTable
from gauger.tables import (
    BLOCK_ENDINGS,
    ReadingRules,
    Source,
    files_of,
    join_pieces,
    result_folder,
    typed_columns,
)


class BlockTable(PlacedTable):
    """A table in parts, each of which gives its rows as Arrow tables: the way to open any other source.

    Parameters
    ----------
    called : str
        What messages call it.
    parts : sequence of BlockPart
        Its parts: anything with `called`, `rows` (how many, or None) and `blocks(columns, rules)`, which gives Arrow
        tables of at most 65,536 rows, the same ones each time.
    execution : Execution, optional
        Where and how the work runs.
    """

    def __init__(self, called: str, parts: Sequence[BlockPart], execution: Execution | None = None) -> None:
        super().__init__(called, execution)
        self._given = Parts(called, tuple(parts))

    def parts_with(self, columns: Sequence[str]) -> Parts:
        """The parts, once each has been found to have some columns; raises UnknownColumnError, and SettingError if
        there is no part."""
        if not self._given.parts:
            raise nobody_to_prepare()
        for part in self._given.parts:
            names = part.names(self._given.rules)
            if any(name not in names for name in columns):
                raise UnknownColumnError.among(columns, names)
        return self._given

    def features(self, asked: Preparation, *, sampled: int, few: int) -> FeatureSet:
        _refuse_no_sample(sampled)
        return super().features(asked, sampled=sampled, few=few)

    @contextmanager
    def _opened(self) -> Iterator[BlockPlace]:
        own = self.execution
        with crew_for(own.cluster, own.workers) as crew, tempfile.TemporaryDirectory(prefix="gauger-") as scratch:
            yield BlockPlace(self.parts_with, crew, Path(scratch))

    def _assign_into(
        self, model: SegmentModel, gates: Any, into: str, *, replace: bool
    ) -> tuple[AssignmentTally, tuple[Remark, ...], Path]:
        target = Path(into)
        if target.suffix not in ("", *BLOCK_ENDINGS):
            raise SettingError(
                f"{target.name}: assignments are written block by block to .csv or .parquet, or as parts into a folder."
            )
        self.refuse_output_among(target)
        parts = self.parts_with(columns_of(model))
        names = [target.name] if target.suffix else parts.names_of_pieces(".parquet")
        place = target.parent if target.suffix else target
        earlier = [] if target.suffix else [path.relative_to(target).as_posix() for path in target.glob("**/*.parquet")]
        optional = [name for name in earlier if name not in names]
        with (
            result_folder(place, names, optional=optional, replace=replace, sources=parts.files) as results,
            self.working() as at_work,
        ):
            outs = [results.path(name) for name in names]
            if len(names) < len(parts.parts):
                pieces = results.stage.parent
                outs = [pieces / f"piece-{index}{target.suffix}" for index in range(len(parts.parts))]
            tally = at_work.assigned(model, gates, outs)
            if len(names) < len(parts.parts):
                join_pieces(outs, results.path(target.name))
        return tally, parts.remarks, target

    def refuse_output_among(self, out: Path) -> None:
        """Raise OutputError for results that would be read as customers the next time."""
        del out

    def _written(self, target: Path, model: SegmentModel) -> Iterator[pa.RecordBatch]:
        files = sorted(target.glob("**/*.parquet")) if target.is_dir() else [target]
        for file in files:
            if file.suffix == ".parquet":
                yield from pq.ParquetFile(file).iter_batches()
                continue
            for block in written_blocks(model, FilePart(file)):
                yield from block.to_batches()

    def looked_at(self, key: str | None, today: datetime.date) -> TableLook:
        _refuse_no_sample(self.execution.sampled)
        parts = self.parts_with([] if key is None else [key])
        rows, table = sampled_rows(parts, self.execution.sampled)
        found = look(table, key, today=today)
        if len(table) == rows:
            return with_values(found, remarks=(*parts.remarks, *found.remarks))
        text = (
            f"what follows is of a sample of {len(table):,} out of {rows:,} rows, chosen by a hash of what they hold."
        )
        return with_values(found, rows=rows, remarks=(Remark("sample-of-all", text), *parts.remarks, *found.remarks))

    def now(self, model: SegmentModel) -> CustomersNow:
        with self.working() as place:
            return place.compared(model)  # type: ignore[no-any-return]

    def summarised(self, asked: EventSummary, into: str | None, *, replace: bool) -> Any:
        del asked, into, replace
        raise SettingError(f"{self.called}: events are summarised from a table in memory, from files or in a database.")

    def about_source(self) -> tuple[Remark, ...]:
        return self.parts_with(()).remarks

    def facts(self) -> dict[str, object]:
        parts = self.parts_with([])
        return {"parts": f"{len(parts.parts):,}", "rows": "not known" if parts.rows is None else f"{parts.rows:,}"}


class FileTable(BlockTable):
    """A file, several, or a folder of them, read block by block as often as it takes; made by `open_table`."""

    def __init__(self, source: Source, rules: ReadingRules | None = None, execution: Execution | None = None) -> None:
        self.files = files_of(source)
        for file in self.files:
            if not file.exists():
                raise MissingFileError.at(file)
        self.source, self.rules = source, rules or ReadingRules()
        called = str(source) if isinstance(source, (str, PathLike)) else f"{self.files[0]} and others"
        super().__init__(called, (), execution)

    def parts_with(self, columns: Sequence[str]) -> Parts:
        return parts_of(self.source, columns, self.rules)

    def refuse_output_among(self, out: Path) -> None:
        refuse_output_among(self.source, out)

    def summarised(self, asked: EventSummary, into: str | None, *, replace: bool) -> Any:
        if self.rules != ReadingRules():
            raise SettingError(
                "events are summarised from files without decimal=, dates= and the like. Read such files first: "
                "summarise_events(read_table(…), …)."
            )
        if into is None:
            return behaviour_in_memory(self.source, asked, self.execution.memory)
        target = Path(into)
        if target.suffix != ".parquet":
            raise SettingError(f"{target.name}: behaviour of events in files is written as .parquet.")
        with result_folder(target.parent, [target.name], replace=replace, sources=self.files) as results:
            told = behaviour_of_files(self.source, results.path(target.name), asked, self.execution.memory)
        return told.written(target, pq.read_schema(target).names, pq.read_metadata(target).num_rows)

    @property
    def bytes(self) -> int:
        """What the files take on the disk."""
        return sum(file.stat().st_size for file in self.files)

    def facts(self) -> dict[str, object]:
        return {"files": f"{len(self.files):,}", **super().facts(), "size": bytes_in_words(self.bytes)}


def _refuse_no_sample(sampled: int) -> None:
    """Raise SettingError for a sample of nobody."""
    if not sampled:
        raise SettingError(
            "sample=0 (--sample 0) is for a database, whose rows it keeps there; files are read here: leave it out, or "
            "say 1 or more."
        )


def sampled_rows(parts: Parts, most: int) -> tuple[int, pd.DataFrame]:
    """How many rows there are, and up to so many of them, chosen by a hash of what they hold, in the order they are
    in."""
    names = parts.parts[0].names(parts.rules)
    place = f"{max(names, key=len)} row"  # no column has this name
    rows, found = 0, BottomRows(most, np.empty(0), pa.table({}))
    for part in parts.parts:
        for block in part.blocks(names, parts.rules):
            frame = block.to_pandas(ignore_metadata=True)
            hashes = np.asarray(pd.util.hash_pandas_object(frame, index=False), dtype=np.uint64)
            order = as_shares(remixed(hashes, rows % 2**32))
            taken = np.flatnonzero(order <= found.limit)
            own = block.take(pa.array(taken)).append_column(place, pa.array(rows + taken))
            found += BottomRows(most, order[taken], own)
            rows += block.num_rows
    if not rows:
        return 0, pd.DataFrame(columns=names)
    table = found.trimmed().rows.sort_by(place).drop_columns([place])
    as_text = all(map(is_delimited, parts.parts))
    return rows, to_pandas(typed_columns(table, parts.rules) if as_text else table)
