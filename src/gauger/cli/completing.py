"""What the shell is offered at the Tab key for an option's value: columns of the table that was typed, or words."""

import csv
import gzip
from collections.abc import Callable
from inspect import Parameter
from pathlib import Path
from typing import get_args

import typer
from typer.models import OptionInfo

_TEXT = {".csv": ",;|\t", ".tsv": "\t"}
"""Endings of text with a first line of names, and what may part them."""


def completed_columns(context: typer.Context, incomplete: str) -> list[str]:
    """Columns of the table that was typed before, the last of a list alone; none where it cannot be read.

    While an option waits for its value, what was typed before it stays in `context.args`, in no parameter.
    """
    done, comma, begun = incomplete.rpartition(",")
    names = next(filter(None, (_columns_of(Path(word)) for word in context.args)), [])
    return [f"{done}{comma}{name}" for name in names if name.startswith(begun)]


def _columns_of(file: Path) -> list[str]:
    try:
        if file.suffix == ".parquet":
            import pyarrow.parquet as pq

            return [str(name) for name in pq.read_schema(file).names]
        inner = file.with_suffix("") if file.suffix == ".gz" else file
        if inner.suffix not in _TEXT:
            return []
        with gzip.open(file) if inner != file else file.open("rb") as stream:
            first = stream.readline().decode("utf-8-sig")
    except (OSError, ValueError):
        return []
    mark = max(_TEXT[inner.suffix], key=first.count)
    return next(csv.reader([first], delimiter=mark), [])


def _words_of(option: str) -> tuple[str, ...]:
    """The words that an option takes; they stand where the work is done, which takes a moment to load."""
    from gauger.algorithms.merge_trees import LINKAGES
    from gauger.clustering import CUSTOMER_METRICS, METHODS, SEEDINGS
    from gauger.features import MISSING_RULES, SCALES, TRANSFORMS

    words = {
        "format": ("csv", "parquet"),
        "linkage": LINKAGES,
        "method": tuple(method for method in METHODS if method != "tree"),
        "metric": CUSTOMER_METRICS,
        "missing": MISSING_RULES,
        "of": ("customers", "features"),
        "outline": ("hull", "ellipse"),
        "scale": SCALES,
        "seeding": SEEDINGS,
        "transform": TRANSFORMS,
    }
    return words[option]


_HAVE_WORDS = ("format", "linkage", "method", "metric", "missing", "of", "outline", "scale", "seeding", "transform")
_HAVE_COLUMNS = ("COLUMN", "NAMES", "COLUMN|none")


def complete(parameter: Parameter) -> None:
    """Let the shell complete the value of a parameter's option, where it is a column or one of a few words."""
    for info in get_args(parameter.annotation)[1:]:
        if isinstance(info, OptionInfo) and parameter.name in _HAVE_WORDS:
            info.autocompletion = _completer(parameter.name)
        elif isinstance(info, OptionInfo) and info.metavar in _HAVE_COLUMNS:
            info.autocompletion = completed_columns


def _completer(option: str) -> Callable[[str], list[str]]:
    def completed(incomplete: str) -> list[str]:
        return [word for word in _words_of(option) if word.startswith(incomplete)]

    return completed
