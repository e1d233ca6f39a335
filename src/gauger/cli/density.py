"""What the commands on density share: their options, the study of the radius, and how it is told."""

from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import option, refuse_unused
from gauger.errors import SettingError

if TYPE_CHECKING:
    import pandas as pd

    from gauger.choosing import RadiusStudy
    from gauger.features import FeatureSet
    from gauger.segmentation import Segmentation
    from gauger.tables import Results

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

    def segment(self, prepared: "FeatureSet", results: "Results") -> "Segmentation":
        """Segments at the radius asked for, else at the one of a study, which is told and written."""
        from gauger.clustering import segment_by_density

        metric = self.metric or "euclidean"
        if self.radius is not None:
            return segment_by_density(prepared, self.radius, min_points=self.min_points, metric=metric)
        from gauger.choosing import refuse_bad_coarseness, study_radius

        if self.coarseness is not None:
            refuse_bad_coarseness(self.coarseness)
        study = study_radius(prepared, min_points=self.min_points, metric=metric)
        write_radius(study, results)
        tell_advice_on_radius(study)
        radius = told_radius(study, self.coarseness)
        seg = segment_by_density(prepared, radius, min_points=study.min_points, metric=metric)
        said = {remark.code for remark in seg.remarks}
        return seg.with_remarks(tuple(remark for remark in study.remarks if remark.code not in said))

    def segment_by_levels(self, prepared: "FeatureSet") -> "Segmentation":
        """Segments of differing density."""
        from gauger.clustering import segment_by_density_levels

        return segment_by_density_levels(
            prepared, self.smallest, min_points=self.min_points, metric=self.metric or "euclidean"
        )


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


def write_radius(study: "RadiusStudy", results: "Results") -> None:
    """The study's table and its two figures."""
    from gauger.draw import neighbour_distances, radius_study

    results.add_table("radii.csv", study.table.reset_index())
    results.add_figure("radii.png", radius_study(study))
    results.add_figure("neighbours.png", neighbour_distances(study))


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
