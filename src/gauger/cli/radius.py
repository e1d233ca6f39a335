"""`gauger radius`: try a dozen radii for segments by density and advise one."""

from contextlib import nullcontext
from pathlib import Path
from typing import Annotated

from gauger.cli.customers import MaybeSource, Place, customers_of
from gauger.cli.density_options import RADIUS_FILES, split_counts, tell_advice_on_radius, tell_radii, told_radius
from gauger.cli.options import Preparation, Reading, Replace, option


def radius(
    *,
    origin: MaybeSource = None,
    preparation: Preparation,
    min_points: Annotated[
        str | None, option("M", "How many near make a customer core; or several to compare: 4,8. Default: 2 a feature.")
    ] = None,
    coarseness: Annotated[
        float | None, option("C", "Also the radius of this dial: 0 (many small segments) to 1 (few large ones).")
    ] = None,
    metric: Annotated[str | None, option("WORD", "euclidean (default), city_block, or as for `gauger tree`.")] = None,
    out: Annotated[
        Path | None, option("FOLDER", "Also write radii.csv and figures: radii.png and neighbours.png.")
    ] = None,
    replace: Replace = False,
    place: Place,
    reading: Reading,
) -> None:
    """Try a dozen radii for density and advise one, with reasons.

    For each: how many segments, how many customers are in none, how large the largest is, how valid they are (-1 to 1)
    and how far the next radius agrees (adjusted Rand).
    """
    from gauger.cli import console
    from gauger.tables import result_folder

    customers = customers_of(origin, place, reading, preparation)
    files = customers.files
    with result_folder(out, RADIUS_FILES, replace=replace, sources=files) if out else nullcontext() as results:
        prepared = customers.prepare(customers.read())
        from gauger.choosing import refuse_bad_coarseness, study_radius
        from gauger.study import DensityPart, add_radius_files

        if coarseness is not None:
            refuse_bad_coarseness(coarseness)
        asked = None if min_points is None else split_counts(min_points)
        known = None if customers.plan is None else customers.plan.segments
        if isinstance(known, DensityPart):
            asked, metric = asked or ([known.min_points] if known.min_points else None), metric or known.metric
        study = study_radius(prepared, min_points=asked, metric=metric or "euclidean")
        if results is not None:
            add_radius_files(results, study)
        if len(study.by_min_points) > 1:
            shown = study.by_min_points.copy()
            shown["unassigned_share"] = console.percent_column(shown["unassigned_share"])
            console.heading("By min points: what the advice would be")
            console.table(shown)
        tell_radii(study)
        tell_advice_on_radius(study)
        chosen = study.advice.radius if coarseness is None else told_radius(study, coarseness)
    console.wrote(results.paths if results is not None else ())
    words = [customers.words(), f"--method density --radius {chosen:.6g}"]
    if min_points is not None:
        words.append(f"--min-points {study.min_points}")
    if metric not in (None, "euclidean"):
        words.append(f"--metric {metric}")
    console.next_step(f"gauger segment {' '.join(words)} --out segments")
