"""What the commands on density share: their options, the study of the radius, and how it is told."""

from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import option, refuse_unused
from gauger.errors import SettingError

if TYPE_CHECKING:
    import pandas as pd

    from gauger.choosing import RadiusStudy

RADIUS_FILES = ("radii.csv", "radii.png", "neighbours.png")

_SENTENCES = 3
"""Reasons that a terminal shows; the study has all."""


@dataclass(frozen=True)
class DensityOptions:
    """How a command was asked to go by density."""

    radius: Annotated[float | None, option("R", "For density: how near counts as near. Default: the advised one.")] = (
        None
    )
    coarseness: Annotated[
        float | None, option("C", "For density, instead of a radius: 0 (many small segments) to 1 (few large ones).")
    ] = None
    min_points: Annotated[
        int | None, option("M", "For density: how many near make a customer core. Default: twice the features.")
    ] = None
    smallest: Annotated[
        int | None, option("N", "For density-levels: the fewest customers of a segment. Default: 2 %.")
    ] = None
    metric: Annotated[
        str | None, option("WORD", "For density and its levels: euclidean (default), city_block, or as for tree.")
    ] = None

    def refuse_for(self, method: str) -> None:
        """Raise wrong usage for options that the method has no use for, or that say the same thing twice."""
        useful = {
            "density": ("radius", "coarseness", "min_points", "metric"),
            "density-levels": ("min_points", "smallest", "metric"),
        }
        refuse_unused(self, useful.get(method, ()), method)
        if self.radius is not None and self.coarseness is not None:
            raise typer.BadParameter("say either --radius or --coarseness.", param_hint="--coarseness")


def tell_radii(study: "RadiusStudy") -> None:
    """The study's table with a row a radius, and its remarks."""
    from gauger.cli import console

    console.heading(f"Radii with {study.min_points} min points")
    console.table(_shown(study.table))
    console.remarks(study.remarks)


def tell_advice_on_radius(study: "RadiusStudy") -> None:
    """The advice as a paragraph: the radius, the verdict, the weightiest reasons, the alternatives."""
    from gauger.cli import console
    from gauger.wording import short_number

    console.heading(f"Advice: radius {short_number(study.advice.radius)} ({study.advice.verdict})")
    for sentence in study.advice.reasons[:_SENTENCES]:
        console.say(sentence)
    for radius, why in study.advice.alternatives.items():
        console.say(f"Also look at {short_number(radius)}: {why}.")


def told_radius(study: "RadiusStudy", coarseness: float | None) -> float:
    """The advised radius, or that of the dial, with a line that says which is used."""
    from gauger.cli import console
    from gauger.wording import short_number

    if coarseness is None:
        console.say(f"Used: radius {short_number(study.advice.radius)}, {study.min_points} min points.")
        return study.advice.radius
    radius = study.radius_for(coarseness)
    console.say(f"Used: radius {short_number(radius)} for coarseness {coarseness:g}, {study.min_points} min points.")
    return radius


def split_counts(text: str) -> list[int]:
    """Whole numbers typed with commas between them."""
    try:
        return [int(part) for part in text.split(",")]
    except ValueError:
        raise SettingError(f"--min-points {text!r} must be whole numbers with commas between them: 4,8,16.") from None


def _shown(table: "pd.DataFrame") -> "pd.DataFrame":
    from gauger.cli import console
    from gauger.wording import short_number

    shown = table.copy()
    for name in ("unassigned_share", "largest_share"):
        shown[name] = console.percent_column(shown[name])
    return shown.set_axis([short_number(radius) for radius in table.index]).rename_axis("radius")
