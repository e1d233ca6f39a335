"""What `gauger segment --method bands` was asked for."""

from dataclasses import dataclass
from typing import Annotated

from gauger.cli.options import by_feature, option, split_names
from gauger.errors import SettingError


@dataclass(frozen=True)
class BandOptions:
    """How a command was asked to cut features into bands."""

    bands: Annotated[
        str | None,
        option(
            "BANDS",
            "For bands: how many for every feature (default 2: halves), or by feature, as a number or as edges: "
            "visits=5,spend_mean=8:15.",
        ),
    ] = None
    combine: Annotated[
        str | None,
        option("WORD", "For bands: cells (default; every combination is a segment) or score (bands add up)."),
    ] = None
    score_bands: Annotated[int | None, option("N", "For bands: put the scores into so many bands.")] = None
    low_is_good: Annotated[
        str | None, option("NAMES", "For bands: features whose lowest values get the highest band: recency_days.")
    ] = None

    def settings(self, names: tuple[str, ...]) -> dict[str, object]:
        """The settings of bands that were typed, for features of these names."""
        return {
            "bands": None if self.bands is None else _bands(self.bands, names),
            "combine": self.combine,
            "low_is_good": None if self.low_is_good is None else split_names(self.low_is_good),
            "score_bands": self.score_bands,
        }


def _bands(text: str, names: tuple[str, ...]) -> dict[str, int | list[float]]:
    """Bands as typed: one number for all features, or by feature a number of bands or edges with colons between."""
    given = by_feature(text)
    if isinstance(given, str):
        return dict.fromkeys(names, _whole(given, text))
    return {
        name: _edges(word, text) if ":" in word or not word.isdigit() else int(word) for name, word in given.items()
    }


def _whole(word: str, text: str) -> int:
    if not word.isdigit():
        raise _no_bands(text)
    return int(word)


def _edges(word: str, text: str) -> list[float]:
    try:
        return [float(part) for part in word.rstrip(":").split(":")]
    except ValueError:
        raise _no_bands(text) from None


def _no_bands(text: str) -> SettingError:
    return SettingError(
        f"--bands {text!r} must be a number of bands, or by feature a number or edges: visits=5,spend_mean=8:15."
    )
