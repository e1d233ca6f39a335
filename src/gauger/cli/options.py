"""Options that several commands share, and the words that are typed for them."""

import shlex
from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields, replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, TypeVar

import typer

from gauger.errors import SettingError

if TYPE_CHECKING:
    import pandas as pd
    from pydantic import BaseModel

    from gauger.features import FeatureSet

Part = TypeVar("Part", bound="BaseModel")

_MOST_NAMES = 24
"""Files that a help text names one by one."""

Source = Annotated[
    str,
    typer.Argument(
        metavar="TABLE", help="A .csv, .tsv, .jsonl (also .gz), .parquet or .xlsx file, or a database's URL."
    ),
]
Starts = Annotated[
    int | None,
    typer.Option(
        metavar="N", help="How thoroughly to search: the best of four times as many starts counts. Default: 10."
    ),
]
MaxIterations = Annotated[int | None, typer.Option(metavar="N", help="Most iterations of one run. Default: 300.")]
Seed = Annotated[int, typer.Option(metavar="N", help="Same seed, same result.")]
MaybeSeed = Annotated[int | None, typer.Option(metavar="N", help="Same seed, same result. Default: 0.")]
Replace = Annotated[bool, typer.Option("--replace", help="Write over results that are there already.")]
AssignmentFormat = Annotated[
    str | None,
    typer.Option("--format", metavar="WORD", help="Assignments as csv or parquet. Default: csv; out of core parquet."),
]
Key = Annotated[str, typer.Option(metavar="COLUMN", help="The column that identifies a customer.")]


def option(metavar: str, explained: str) -> object:
    """An option with a word for its value and a line of help."""
    return typer.Option(metavar=metavar, help=explained)


@dataclass(frozen=True)
class Reading:
    """How a command was asked to read its table."""

    sheet: Annotated[str | None, option("NAME", "The sheet of an .xlsx file. Default: the first.")] = None
    table: Annotated[str | None, option("NAME", "The table of a database.")] = None
    query: Annotated[str | None, option("SQL", "A query, instead of a table.")] = None
    decimal: Annotated[
        str | None, option("MARK", "The decimal mark of numbers in text: a point (default) or a comma.")
    ] = None
    thousands: Annotated[str | None, option("MARK", "The mark between thousands.")] = None
    dates: Annotated[
        str | None, option("FORMAT", "How dates are written, such as %d.%m.%Y; or by column: joined=%d.%m.%Y.")
    ] = None
    as_text: Annotated[str | None, option("NAMES", "Columns that stay text, such as keys of digits: a,b.")] = None
    as_missing: Annotated[str | None, option("PAIRS", "Values that stand for none: age=999,joined=1900-01-01.")] = None
    header: Annotated[
        bool | None,
        typer.Option("--header/--no-header", help="Whether the first line names the columns. Default: found out."),
    ] = None
    encoding: Annotated[str | None, option("NAME", "The encoding of text. Default: found out.")] = None
    skip_bad_lines: Annotated[
        Path | None, option("FILE", "Go on without malformed lines, and write them to this file.")
    ] = None

    def name_of(self, source: str) -> str:
        """What to call the table that is read."""
        return self.table or ("query" if self.query else Path(source).name)

    def read(self, source: str) -> "pd.DataFrame":
        """Read the table, telling what was guessed or left out."""
        from gauger.cli import console
        from gauger.remarks import remarks_of
        from gauger.tables import read_table

        found = read_table(source, **self.settings())
        console.remarks(remarks_of(found))
        return found

    def settings(self) -> dict[str, Any]:
        """The keyword arguments of `read_table` that were typed."""
        words = {
            "dates": None if self.dates is None else by_feature(self.dates),
            "as_text": split_names(self.as_text) if self.as_text else None,
            "as_missing": None if self.as_missing is None else pairs(self.as_missing),
        }
        given = {field.name: getattr(self, field.name) for field in fields(self)} | words
        return {name: value for name, value in given.items() if value is not None}


@dataclass(frozen=True)
class Preparation:
    """How a command was asked to prepare features."""

    key: Annotated[str | None, option("COLUMN", "The column that identifies a customer.")] = None
    features: Annotated[str | None, option("NAMES", "Columns to segment by: a,b,c. Default: every numeric column.")] = (
        None
    )
    categories: Annotated[str | None, option("NAMES", "Columns that enter as indicators, one a level: a,b.")] = None
    missing: Annotated[
        str | None,
        option(
            "RULE",
            "Missing values: refuse (default), drop, zero, mean, median or a number; or by feature: "
            "age=median,visits=0.",
        ),
    ] = None
    flag_missing: Annotated[str | None, option("NAMES", "Features that get a second one: 1 where it was missing.")] = (
        None
    )
    cap: Annotated[
        str | None,
        option("LOW,HIGH", "Pull values beyond these quantiles in to them: 0,0.99; or by feature: visits=0:0.99."),
    ] = None
    transform: Annotated[
        str | None,
        option("TRANSFORM", "Pull in long tails: log, signed_log, sqrt or power; or by feature: visits=log."),
    ] = None
    scale: Annotated[
        str | None, option("SCALE", "zscore (default), minmax, robust, rank or none; or by feature: visits=minmax.")
    ] = None
    weight: Annotated[str | None, option("PAIRS", "How much features count: visits=2,spend_mean=0.5.")] = None
    noun: Annotated[
        str | None, option("WORD", "What one of them is called, such as house; by default as the key says.")
    ] = None

    def carry_out(
        self,
        table: "pd.DataFrame",
        *,
        quietly: bool = False,
        known: dict[str, Any] | None = None,
        unsaid: Sequence[str] = (),
    ) -> "FeatureSet":
        """Prepare the features of a table, saying which, unless standard output is for something else.

        What was typed wins over what is `known` from a plan, the keyword arguments of `prepare`. Remarks of the codes
        in `unsaid` do not apply to what follows.
        """
        from gauger.cli import console
        from gauger.features import prepare

        prepared = prepare(table, **over(known, self.settings()))
        if not quietly:
            names = prepared.names
            shown = names if len(names) <= _MOST_NAMES else (*names[:2], "…", *names[-2:])
            console.say(f"{prepared.headline()}: {', '.join(shown)}")
        console.remarks(remark for remark in prepared.remarks if remark.code not in unsaid)
        return prepared

    def settings(self) -> dict[str, Any]:
        """The keyword arguments of `prepare` that were typed."""
        words: dict[str, Callable[[str], object]] = {
            "key": str,
            "features": split_names,
            "categories": split_names,
            "missing": numbers_among,
            "flag_missing": split_names,
            "cap": caps,
            "transform": by_feature,
            "scale": by_feature,
            "weight": weights,
            "noun": str,
        }
        given = {name: getattr(self, name) for name in words}
        return {name: words[name](value) for name, value in given.items() if value is not None}

    def without(self, left_out: Sequence[str], prepared: "FeatureSet") -> "Preparation":
        """The same without some features and categories of what was prepared, and without what was said of them."""
        kept = [name for name in prepared.names if name not in left_out and name not in prepared.indicators]
        changed: dict[str, Any] = {"features": ",".join(kept) or None}
        for field in fields(self):
            value = getattr(self, field.name)
            if field.name in ("categories", "flag_missing") and value:
                ending = "_is_missing" if field.name == "flag_missing" else ""
                names = [name for name in split_names(value) if f"{name}{ending}" not in left_out]
                changed[field.name] = ",".join(names) or None
            elif isinstance(value, str) and "=" in value:
                pairs = [pair for pair in split_names(value) if pair.partition("=")[0].strip() not in left_out]
                changed[field.name] = ",".join(pairs) or field.default
        return replace(self, **changed)


_FLAGS = {"lowest": "from", "highest": "to"}
"""Options that are not called as the settings of a plan are."""


def asked(known: Part, typed_settings: dict[str, Any]) -> Part:
    """A part of a plan with what was typed in place of what it says; raises SettingError for what it cannot be."""
    from pydantic import ValidationError

    content = known.model_dump() | {name: value for name, value in typed_settings.items() if value is not None}
    try:
        return type(known).model_validate(content)
    except ValidationError as error:
        from gauger.study import told_faults

        told = [
            f"--{_FLAGS.get(name, name.replace('_', '-'))} {words.removeprefix('it ')}"
            for name, words in told_faults(content, error)
        ]
        raise SettingError(f"{'; '.join(told).rstrip('?')}{'?' if told[-1].endswith('?') else '.'}") from error


def over(known: dict[str, Any] | None, typed_settings: dict[str, Any]) -> dict[str, Any]:
    """What was typed over what is known: a word for all of its kind, pairs for those that they name.

    What is known of features and categories that are not typed goes.
    """
    if known is None:
        return typed_settings
    merged = dict(known)
    for name, value in typed_settings.items():
        before = merged.get(name)
        merged[name] = {**before, **value} if isinstance(value, dict) and isinstance(before, dict) else value
    if merged["features"] is None:
        return merged
    measures = list(merged["features"])
    everything = [*measures, *merged["categories"]]
    for name, kept in _kept_by_setting(measures, everything).items():
        if isinstance(merged[name], dict) and isinstance(known[name], dict):
            named = typed_settings.get(name)
            spoken = named if isinstance(named, dict) else {}
            merged[name] = {at: one for at, one in merged[name].items() if at in kept or at in spoken}
    if "flag_missing" not in typed_settings:
        merged["flag_missing"] = [name for name in merged["flag_missing"] if name in measures]
    return merged


def _kept_by_setting(measures: list[str], everything: list[str]) -> dict[str, list[str]]:
    return {
        **dict.fromkeys(("missing", "scale", "weight"), everything),
        **dict.fromkeys(("cap", "transform"), measures),
    }


def typed(source: str, *groups: Reading | Preparation) -> str:
    """A source and groups of options as they are typed, passwords and defaults left out."""
    from gauger.tables import without_password

    words = [without_password(source)]
    for group in groups:
        for field in fields(group):
            value = getattr(group, field.name)
            if value == field.default:
                continue
            name = field.name.replace("_", "-")
            words += (
                [f"--{name}" if value else f"--no-{name}"] if isinstance(value, bool) else [f"--{name}", str(value)]
            )
    return shlex.join(words)


def assignment_file(word: str | None) -> str:
    """The file of assignments in the format that was typed; raises wrong usage for one that is none."""
    from gauger.study import ASSIGNMENT_FILES

    if word not in (None, *ASSIGNMENT_FILES):
        raise typer.BadParameter(f"{word!r} must be csv or parquet.", param_hint="--format")
    return ASSIGNMENT_FILES[word or "csv"]


def refuse_unused(group: object, useful: Sequence[str], method: str) -> None:
    """Raise wrong usage for an option of a group that was typed and that the method has no use for."""
    for name, value in vars(group).items():
        if value is not None and name not in useful:
            flag = f"--{name.replace('_', '-')}"
            raise typer.BadParameter(f"--method {method} has no use for {flag}.", param_hint=flag)


def two_features(over: str | None) -> list[str]:
    """The two features typed for a figure, none when nothing was."""
    axes = split_names(over) if over else []
    if over and len(axes) != 2:
        raise typer.BadParameter(f"{over!r} must name two features: X,Y.", param_hint="--over")
    return axes


def split_names(text: str) -> list[str]:
    """Names typed with commas between them."""
    return [name.strip() for name in text.split(",") if name.strip()]


def by_feature(text: str) -> str | dict[str, str]:
    """One word for all features, or pairs such as `age=median,visits=zero`."""
    if "=" not in text:
        return text
    pairs = [part.partition("=") for part in split_names(text)]
    if not all(name and word for name, _, word in pairs):
        raise SettingError(f"{text!r} must be one word, or pairs such as age=median,visits=zero.")
    return {name.strip(): word.strip() for name, _, word in pairs}


def pairs(text: str) -> dict[str, str]:
    """Pairs such as `age=999,joined_on=1900-01-01`."""
    given = by_feature(text)
    if isinstance(given, str):
        raise SettingError(f"{text!r} must be pairs of a column and a value, such as age=999.")
    return given


def numbers_among(text: str) -> str | float | dict[str, str | float]:
    """As `by_feature`, with words that are numbers as numbers."""
    given = by_feature(text)
    return _number(given) if isinstance(given, str) else {name: _number(word) for name, word in given.items()}


def weights(text: str) -> float | dict[str, float]:
    """One number, or pairs such as `visits=2,spend_mean=0.5`."""
    given = numbers_among(text)
    words = given.values() if isinstance(given, dict) else [given]
    if any(isinstance(word, str) for word in words):
        raise SettingError(
            f"--weight {text!r} must be pairs of a feature and a number, such as visits=2,spend_mean=0.5."
        )
    return given  # type: ignore[return-value]


def caps(text: str) -> tuple[float, float] | dict[str, tuple[float, float]]:
    """Two quantiles typed as LOW,HIGH, or by feature as NAME=LOW:HIGH."""
    given = by_feature(text)
    if isinstance(given, str):
        return _quantiles(text, given.split(","))
    return {name: _quantiles(text, word.split(":")) for name, word in given.items()}


def _quantiles(text: str, parts: list[str]) -> tuple[float, float]:
    try:
        low, high = (float(part) for part in parts)
    except ValueError as error:
        raise SettingError(
            f"--cap {text!r} must be two quantiles with a comma between them, such as 0,0.99; or by feature "
            "visits=0:0.99."
        ) from error
    return low, high


def _number(word: str) -> str | float:
    try:
        return float(word)
    except ValueError:
        return word
