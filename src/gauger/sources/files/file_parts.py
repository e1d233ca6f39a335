"""Tables as parts that can be read one at a time, in whatever order and by whoever sees them: files, or any other."""

import os
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from os import PathLike
from pathlib import Path
from typing import Protocol

import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq

from gauger.algorithms import available_bytes
from gauger.algorithms.kmeans import BLOCK_ROWS
from gauger.columns import to_pandas, without_odd_columns
from gauger.errors import ColumnValuesError, KeyColumnError, OutputError, TableFileError, UnknownColumnError
from gauger.features import nobody_to_prepare
from gauger.remarks import Remark
from gauger.tables import (
    FileBlocks,
    ReadingRules,
    Source,
    damage,
    files_of,
    kind_of_file,
    typed_columns,
)
from gauger.wording import plural

_PART_ROWS = 1_000_000
"""Rows of Parquet that make a part, by whole row groups: a second's work, and tens of megabytes."""
_SHARE = 0.1
"""A file that takes more of the free memory than this is segmented out of core: its table, the features, their working
scale and their order are several times as large; chosen by us."""


class BlockPart(Protocol):
    """A part of a table that gives its rows as Arrow tables, as often as it is asked; parts are handed to threads and
    workers, and must be picklable for these."""

    @property
    def called(self) -> str:
        """Where its rows are, as a message says it."""

    @property
    def rows(self) -> int | None:
        """How many rows it has, where that is known."""

    def names(self, rules: ReadingRules) -> list[str]:
        """Its columns."""

    def blocks(self, columns: Sequence[str], rules: ReadingRules) -> Iterator[pa.Table]:
        """Some columns, in blocks of at most 65,536 rows."""


@contextmanager
def said_of(part: BlockPart) -> Iterator[None]:
    """Say of keys and values that will not do in which part they are."""
    try:
        yield
    except (KeyColumnError, ColumnValuesError) as error:
        raise type(error)(f"{part.called}: {error}") from None


@dataclass(frozen=True)
class FilePart:
    """A file, or some row groups of a Parquet file; `rows` where they are known, `number` of how many of its file."""

    file: Path
    groups: tuple[int, ...] | None = None
    rows: int | None = None
    number: int = 1
    of: int = 1

    @property
    def called(self) -> str:
        """Where its rows are, as a message says it."""
        return str(self.file) if self.of == 1 else f"{self.file} (part {self.number} of {self.of})"

    def names(self, rules: ReadingRules) -> list[str]:
        """Its columns."""
        return list(FileBlocks(self.file, rules).names)

    def blocks(self, columns: Sequence[str], rules: ReadingRules) -> Iterator[pa.Table]:
        """Some columns, in blocks of at most as many rows as sums may have."""
        blocks = FileBlocks(self.file, rules, groups=self.groups)
        for block in blocks.of(columns):
            for start in range(0, block.num_rows, BLOCK_ROWS):
                yield block.slice(start, BLOCK_ROWS)


@dataclass(frozen=True)
class Parts:
    """All parts of a source, in the order of their files' names; how they are read, and what is remarked of that."""

    source: str
    parts: tuple[BlockPart, ...]
    rules: ReadingRules = field(default_factory=ReadingRules)
    remarks: tuple[Remark, ...] = ()

    @property
    def rows(self) -> int | None:
        """How many rows they have together, where that is known."""
        rows = [part.rows for part in self.parts]
        return None if any(one is None for one in rows) else sum(one or 0 for one in rows)

    @property
    def files(self) -> list[Path]:
        """Every file once."""
        return list(dict.fromkeys(part.file for part in self.parts if isinstance(part, FilePart)))

    @property
    def stamp(self) -> tuple[tuple[int, int], ...]:
        """What shows that a file was written to."""
        return tuple((one.st_size, one.st_mtime_ns) for one in (file.stat() for file in self.files))

    @property
    def bytes(self) -> int:
        """What the files take on the disk."""
        return sum(file.stat().st_size for file in self.files)

    def names_of_pieces(self, ending: str) -> list[str]:
        """A name for what is written of each part: the file's own, with a number where a file is read in several."""
        if not self.files:
            return [f"part-{number:04}{ending}" for number in range(1, len(self.parts) + 1)]
        root = Path(os.path.commonpath([file.parent for file in self.files]))
        found = []
        for part in self.parts:
            assert isinstance(part, FilePart)
            place = part.file.relative_to(root)
            stem = place.name.split(".")[0] if part.of == 1 else f"{place.name.split('.')[0]}-{part.number:04}"
            found.append((place.parent / f"{stem}{ending}").as_posix())
        twice = {name for name in found if found.count(name) > 1} if len(set(found)) < len(found) else set()
        return [f"{index:04}-{name.replace('/', '-')}" if name in twice else name for index, name in enumerate(found)]

    def called(self) -> str:
        """The source, as a sentence has it."""
        return f"{self.source} ({_counted(self.files)})" if len(self.files) > 1 else self.source


def is_too_large(source: object) -> bool:
    """Whether a file may not fit into memory with all that is made of it."""
    if not isinstance(source, (str, PathLike)) or not Path(source).is_file():
        return False
    file = Path(source)
    size = file.stat().st_size
    if kind_of_file(file) == ".parquet":
        with damage(file):
            known = pq.ParquetFile(file).metadata
            size = sum(known.row_group(index).total_byte_size for index in range(known.num_row_groups))
            size = max(size, 8 * known.num_rows * known.num_columns)
    return size > _SHARE * available_bytes()


def parts_of(source: Source, columns: Sequence[str], rules: ReadingRules | None = None) -> Parts:
    """The parts of a source, once every file has been found to have the columns, each of one type."""
    rules = rules or ReadingRules()
    files = files_of(source)
    parts: list[FilePart] = []
    remarks: list[Remark] = []
    kinds: dict[str, tuple[str, Path]] = {}
    for file in files:
        blocks = FileBlocks(file, rules)
        lacking = [name for name in columns if name not in blocks.names]
        if lacking and len(files) > 1:
            raise UnknownColumnError(f"{file}: {UnknownColumnError.among(columns, blocks.names)}")
        if lacking:
            raise UnknownColumnError.among(columns, blocks.names)
        remarks += blocks.remarks
        if blocks.is_parquet:
            _refuse_other_kinds(file, columns, kinds)
            parts += _groups_of(file)
        else:
            parts.append(FilePart(file, rows=blocks.rows))
    _refuse_text_among_others(parts)
    return Parts(_called(source), tuple(parts), rules, tuple(remarks))


def _refuse_text_among_others(parts: Sequence[FilePart]) -> None:
    """Raise TableFileError where some files have types and others are text, for which 7 may be a number or not."""
    text = [part.file for part in parts if is_delimited(part)]
    typed = [part.file for part in parts if not is_delimited(part)]
    if text and typed:
        raise TableFileError(
            f"{text[0]} is a text file and {typed[0]} is not, so values such as 7 may differ in type between them. "
            f"Name files of one kind, such as {typed[0].parent / f'*{typed[0].suffix}'}."
        )


def first_block(parts: Parts) -> pd.DataFrame:
    """The first rows of some parts, with every column as what it holds there; raises SettingError for no rows."""
    for part in parts.parts:
        for block in part.blocks(part.names(parts.rules), parts.rules):
            if block.num_rows:
                plain = without_odd_columns(block)[0]
                return to_pandas(typed_columns(plain, parts.rules) if is_delimited(part) else plain)
    raise nobody_to_prepare()


def is_delimited(part: BlockPart) -> bool:
    """Whether a part's columns are text, of which rules say what it is."""
    return isinstance(part, FilePart) and kind_of_file(part.file) in (".csv", ".tsv")


def _called(source: Source) -> str:
    if isinstance(source, (str, PathLike)):
        return str(source)
    return f"{source[0]} and {len(source) - 1:,} more" if len(source) > 1 else str(source[0])


def _counted(files: Sequence[Path]) -> str:
    return f"{len(files):,} {plural(len(files), 'file')}"


def _groups_of(file: Path) -> list[FilePart]:
    """Row groups of a Parquet file, as many together as make a part; a file without any is a part without rows."""
    with damage(file):
        known = pq.ParquetFile(file).metadata
        sizes = [known.row_group(index).num_rows for index in range(known.num_row_groups)]
    bundles: list[list[int]] = [[]]
    room = 0
    for index, size in enumerate(sizes):
        if bundles[-1] and room + size > _PART_ROWS:
            bundles.append([])
            room = 0
        bundles[-1].append(index)
        room += size
    return [
        FilePart(file, tuple(bundle), sum(sizes[index] for index in bundle), number, len(bundles))
        for number, bundle in enumerate(bundles, 1)
    ]


def _refuse_other_kinds(file: Path, columns: Sequence[str], kinds: dict[str, tuple[str, Path]]) -> None:
    """Raise TableFileError for a column that holds numbers in one file and something else in another."""
    with damage(file):
        schema = pq.read_schema(file)
    for name in columns:
        kind = _kind_of(schema.field(name).type)
        before, where = kinds.setdefault(name, (kind, file))
        if kind == "nothing" or before == "nothing":
            kinds[name] = (before, where) if kind == "nothing" else (kind, file)
        elif kind != before:
            raise TableFileError(
                f"{name!r} holds {before} in {where} and {kind} in {file}. Export all parts alike, or name only those "
                "that belong together."
            )


def _kind_of(kind: pa.DataType) -> str:
    if pa.types.is_dictionary(kind):
        kind = kind.value_type
    if pa.types.is_null(kind):
        return "nothing"
    if pa.types.is_boolean(kind):
        return "flags"
    if pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind):
        return "numbers"
    return "dates" if pa.types.is_temporal(kind) else "text"


def refuse_output_among(source: Source, out: Path) -> None:
    """Raise OutputError for results that would be read as customers the next time."""
    places = [source] if isinstance(source, (str, PathLike)) else list(source)
    target = out.resolve()
    for place in map(Path, places):
        if place.is_dir() and (target == place.resolve() or place.resolve() in target.parents):
            raise OutputError(
                f"{out} is inside {place}, which is read as a whole: the next run would take results for customers. "
                "Choose a place next to it."
            )
