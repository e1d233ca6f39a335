"""Text files: gzip'd or not, and how their characters are encoded."""

import codecs
import gzip
import io
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from mmap import ACCESS_READ, mmap
from pathlib import Path
from typing import IO

import pyarrow as pa

from gauger.errors import TableFileError
from gauger.remarks import Remark

MISSING_WORDS = ("", "NA", "N/A", "NaN", "nan", "null", "NULL", "None")
UTF8, WINDOWS = "utf-8", "cp1252"

Readout = tuple[pa.Table, list[Remark]]

_MARKS = {codecs.BOM_UTF8: UTF8, codecs.BOM_UTF16_LE: "utf-16", codecs.BOM_UTF16_BE: "utf-16"}
_HEAD = 65_536
"""Bytes that tell an encoding, before the whole file is checked."""


@dataclass(frozen=True)
class TextFile:
    """A file of text, gzip'd or not, and the encoding it is read in."""

    path: Path
    encoding: str

    def open_bytes(self) -> IO[bytes]:
        """The bytes of the text."""
        return gzip.open(self.path) if is_gzip(self.path) else self.path.open("rb")  # type: ignore[return-value]

    def open_for_arrow(self) -> pa.NativeFile:
        """The bytes of the text, read by Arrow itself, which is quicker."""
        return pa.input_stream(self.path, compression="gzip" if is_gzip(self.path) else None)

    def holds(self, sign: str) -> bool:
        """Whether an ASCII sign may stand in the text; looked for only where that is quick."""
        if is_gzip(self.path):
            return True
        with self.path.open("rb") as stream, mmap(stream.fileno(), 0, access=ACCESS_READ) as data:
            return data.find(sign.encode()) >= 0

    @contextmanager
    def open_text(self) -> Iterator[IO[str]]:
        """The characters of the text, without its byte-order mark; line ends as they are."""
        name = "utf-8-sig" if self.encoding == UTF8 else self.encoding
        try:
            with io.TextIOWrapper(self.open_bytes(), encoding=name, newline="") as stream:
                yield stream
        except UnicodeError as error:
            raise self.not_encoded_so() from error

    def not_encoded_so(self) -> "NotEncodedSoError":
        """The error of a file whose bytes are no text in this encoding."""
        return NotEncodedSoError(
            f"{self.path} is not {self.encoding} text. Save it again as UTF-8, or name its encoding: encoding='cp1250' "
            "(on the command line: --encoding cp1250)."
        )


class NotEncodedSoError(TableFileError):
    """Raised when the bytes of a file are no text in the encoding it is read in."""


def is_gzip(path: Path) -> bool:
    """Whether a path's ending says gzip."""
    return path.suffix.lower() == ".gz"


def kind_of_file(path: Path) -> str:
    """The ending that says what a file holds, without .gz."""
    return Path(path.stem).suffix.lower() if is_gzip(path) else path.suffix.lower()


@contextmanager
def writable_text(path: Path) -> Iterator[IO[str]]:
    """A UTF-8 text file to write, gzip'd when its ending says so; the same text gives the same bytes."""
    with path.open("wb") as raw:
        packed = gzip.GzipFile(filename="", mode="wb", fileobj=raw, mtime=0) if is_gzip(path) else raw
        with io.TextIOWrapper(packed, encoding=UTF8, newline="") as stream:
            yield stream


def likely_encodings(path: Path, asked: str | None) -> list[str]:
    """The encodings to try, in order: the one asked for, or what a byte-order mark or zero bytes tell, else two."""
    if asked is not None:
        try:
            "".encode(asked)  # refuses codecs that are not for text, too
            return [codecs.lookup(asked).name]
        except LookupError as error:
            raise TableFileError(f"encoding={asked!r} is not known. Try utf-8, utf-16, cp1252 or cp1250.") from error
    try:
        with TextFile(path, UTF8).open_bytes() as stream:
            head = stream.read(_HEAD)
    except (OSError, EOFError) as error:
        raise TableFileError.damaged(path, error) from error
    marked = [encoding for mark, encoding in _MARKS.items() if head.startswith(mark)]
    if marked:
        return marked
    zeros = [head[index::2].count(0) > len(head) // 4 for index in (0, 1)]
    if any(zeros):
        return ["utf-16-be" if zeros[0] else "utf-16-le"]
    return [UTF8, WINDOWS]


def in_its_encoding(file: Path, asked: str | None, read: Callable[[TextFile], Readout]) -> Readout:
    """What `read` makes of a file in the first encoding that fits, with a remark when that one was a guess."""
    *others, last = likely_encodings(file, asked)
    for encoding in others:
        try:
            return read(TextFile(file, encoding))
        except NotEncodedSoError:
            continue
    table, remarks = read(TextFile(file, last))
    return table, [*remarks, _guessed(file)] if others else remarks


def fitting_encoding(file: Path, asked: str | None) -> tuple[str, list[Remark]]:
    """The first encoding that fits every byte of a file, found before it is read in blocks, and whether it is a
    guess."""
    *others, last = likely_encodings(file, asked)
    for encoding in others:
        try:
            with TextFile(file, encoding).open_text() as stream:
                while stream.read(_HEAD * 16):
                    pass
        except NotEncodedSoError:
            continue
        return encoding, []
    return last, [_guessed(file)] if others else []


def _guessed(file: Path) -> Remark:
    return Remark(
        "encoding-guessed",
        f"{file.name} is not UTF-8 and was read as Windows-1252. If letters such as é look wrong, name the encoding: "
        "encoding='cp1250' (on the command line: --encoding cp1250).",
    )
