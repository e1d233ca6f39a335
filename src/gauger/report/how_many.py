"""How many segments, and why: the study's figures, its advice, what one fewer and one more would change, criteria."""

from dataclasses import dataclass

import numpy as np

from gauger import draw
from gauger.choosing import CountStudy, RadiusStudy, change_in_words
from gauger.report.contents import Contents
from gauger.report.html_tables import HtmlTable, number_cell, share_cell, table_of
from gauger.report.pictures import Picture, picture_of
from gauger.wording import listed, plural

_CRITERIA = {
    "silhouette": "silhouette (higher)",
    "gap": "gap (higher)",
    "calinski_harabasz": "Caliński-Harabasz (higher)",
    "davies_bouldin": "Davies-Bouldin (lower)",
    "prediction_strength": "prediction strength (higher)",
    "stability": "stability of the weakest (higher)",
    "wcss_share": "share of the sum of squares left",
    "smallest_share": "smallest segment",
    "merge_jump": "jump to the next merge",
}
_SHARES = ("wcss_share", "smallest_share")


@dataclass(frozen=True)
class HowMany:
    """The part of a page: pictures, the advice's sentences, sentences on the neighbouring counts, and a table."""

    pictures: tuple[Picture, ...] = ()
    headline: str = ""
    sentences: tuple[str, ...] = ()
    neighbours: tuple[str, ...] = ()
    table: HtmlTable | None = None


def how_many(contents: Contents) -> HowMany:
    """What the study of the count, or of the radius, says; or how the number came about without one."""
    if contents.counts is not None:
        return _by_counts(contents, contents.counts)
    if contents.radii is not None:
        return _by_radii(contents.radii)
    if contents.seg.branches is not None:
        figure = draw.density_levels(contents.seg)
        return HowMany(pictures=(picture_of(figure),), sentences=("The number follows from the levels of density.",))
    method = contents.seg.method
    return HowMany(sentences=(f"The number was given: segments by {method}, with no study of how many there are.",))


def _by_counts(contents: Contents, study: CountStudy) -> HowMany:
    count = contents.seg.count
    beside = [other for other in (count - 1, count + 1) if other in study.segmentations]
    pictures = [draw.count_study(study)]
    if beside and count in study.segmentations:
        pictures.append(draw.segment_splits(study, sorted([count, *beside])))
    shown = {name: words for name, words in _CRITERIA.items() if name in study.table}
    rows = [
        [
            number_cell(tried),
            *((share_cell if name in _SHARES else number_cell)(row[name]) for name in shown),
        ]
        for tried, row in zip(study.table.index.tolist(), study.table.to_dict("records"), strict=True)
    ]
    return HowMany(
        tuple(picture_of(figure) for figure in pictures),
        study.advice.headline(),
        tuple(study.advice.sentences()),
        tuple(_neighbour(contents, study, other) for other in beside),
        table_of(
            "Each number of segments by each criterion, and which way is better", ("segments", *shown.values()), rows
        ),
    )


def _neighbour(contents: Contents, study: CountStudy, other: int) -> str:
    """What another count would change, and how large its segments would be."""
    seg, there = contents.seg, study.segmentations[other]
    both = (seg.codes > 0) & (there.codes > 0)
    change = change_in_words(seg.codes[both], there.codes[both]) if both.any() else "nobody is in both"
    sizes = listed([f"{size:,}" for size in np.sort(there.sizes.to_numpy())[::-1]], most=12)
    which = "One fewer" if other < seg.count else "One more"
    return f"{which} ({other} {plural(other, 'segment')}): {change}. They would have {sizes} {contents.noun.many}."


def _by_radii(study: RadiusStudy) -> HowMany:
    columns = ("segments", "fair_segments", "unassigned_share", "largest_share", "validity", "agreement")
    rows = [
        [
            number_cell(radius),
            *((share_cell if name.endswith("share") else number_cell)(row[name]) for name in columns),
        ]
        for radius, row in zip(study.table.index.tolist(), study.table.to_dict("records"), strict=True)
    ]
    head = ("radius", "segments", "of a fair size", "unassigned", "largest", "validity (higher)", "agreement (higher)")
    return HowMany(
        (picture_of(draw.radius_study(study)), picture_of(draw.neighbour_distances(study))),
        study.advice.headline(),
        tuple(study.advice.sentences()),
        table=table_of("What each radius makes of everyone", head, rows),
    )
