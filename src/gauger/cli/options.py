"""Options that several commands share, and the words that are typed for them."""

import shlex
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.errors import SettingError

if TYPE_CHECKING:
    from gauger.features import FeatureSet

TablePath = Annotated[Path, typer.Argument(metavar="TABLE", help="A csv or Parquet file with one row a customer.")]
Key = Annotated[str, typer.Option(metavar="COLUMN", help="The column that identifies a customer.")]
Features = Annotated[
    str | None, typer.Option(metavar="NAMES", help="Columns to segment by: a,b,c. Default: every numeric column.")
]
Missing = Annotated[
    str,
    typer.Option(
        metavar="RULE", help="Missing values: refuse, drop, zero or median; or by feature: age=median,visits=zero."
    ),
]
Cap = Annotated[
    str | None,
    typer.Option(metavar="LOW,HIGH", help="Pull values beyond these quantiles in to them, such as 0,0.99."),
]
Scale = Annotated[str, typer.Option(metavar="SCALE", help="zscore, minmax or none; or by feature: visits=minmax.")]
Starts = Annotated[
    int, typer.Option(metavar="N", help="k-means runs from different starting centres; the best one counts.")
]
MaxRounds = Annotated[int, typer.Option(metavar="N", help="Most rounds of one run.")]
Seed = Annotated[int, typer.Option(metavar="N", help="Same seed, same result.")]
Replace = Annotated[bool, typer.Option("--replace", help="Write over results that are there already.")]


@dataclass(frozen=True)
class Preparation:
    """How a command was asked to prepare features."""

    key: str
    features: str | None
    missing: str
    cap: str | None
    scale: str

    def typed(self) -> str:
        """The options that repeat this preparation, as they are typed."""
        given = {
            "key": self.key,
            "features": self.features,
            "missing": None if self.missing == "refuse" else self.missing,
            "cap": self.cap,
            "scale": None if self.scale == "zscore" else self.scale,
        }
        return shlex.join(part for name, word in given.items() if word is not None for part in (f"--{name}", word))

    def carry_out(self, table: Path) -> "FeatureSet":
        """Read the table and prepare its features, saying which."""
        from gauger.cli import console
        from gauger.features import prepare
        from gauger.tables import read_table

        prepared = prepare(
            read_table(table),
            key=self.key,
            features=None if self.features is None else split_names(self.features),
            missing=by_feature(self.missing),
            cap=None if self.cap is None else quantiles(self.cap),
            scale=by_feature(self.scale),
        )
        console.say(f"{prepared.headline()}: {', '.join(prepared.names)}")
        console.remarks(prepared.remarks)
        return prepared


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


def quantiles(text: str) -> tuple[float, float]:
    """Two quantiles typed as LOW,HIGH."""
    try:
        low, high = (float(part) for part in text.split(","))
    except ValueError as error:
        raise SettingError(
            f"--cap {text!r} must be two quantiles with a comma between them, such as 0,0.99."
        ) from error
    return low, high
