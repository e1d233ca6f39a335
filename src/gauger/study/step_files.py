"""The files of a step: of a count study, a profile, a comparison; in a folder of their own, or within a study's."""

from gauger import draw
from gauger.choosing import CountStudy
from gauger.features import FeatureSet
from gauger.profiling import Comparison, Profile
from gauger.segmentation import Segmentation
from gauger.tables import Results


def add_count_files(results: Results, study: CountStudy, features: FeatureSet, *, within: str = "") -> None:
    """Write a count study: its table, and figures of the criteria, the silhouettes, the splits and the features."""
    results.add_table(f"{within}counts.csv", study.table.reset_index())
    results.add_figure(f"{within}counts.png", draw.count_study(study))
    results.add_figure(f"{within}silhouettes.png", draw.silhouette_diagrams(study))
    results.add_figure(f"{within}splits.png", draw.segment_splits(study))
    results.add_figure(f"{within}features.png", draw.treatments(features))


def add_profile_files(results: Results, found: Profile, seg: Segmentation | None, *, within: str = "") -> None:
    """Write a profile: every table, and the figures that it has enough for."""
    for name, table in found.tables.items():
        results.add_table(f"{within}{name}.csv", table)
    several = len(found.measures) > 1
    if len(found.measures):
        results.add_figure(f"{within}profile.png", draw.profile_bars(found))
        results.add_figure(f"{within}heat.png", draw.profile_heat(found))
    if several:
        results.add_figure(f"{within}bubbles.png", draw.profile_bubbles(found))
    if several and len(found.numbers) > 1:
        results.add_figure(f"{within}lines.png", draw.profile_lines(found))
    if len(found.categories):
        results.add_figure(f"{within}categories.png", draw.category_shares(found))
    if seg is not None:
        results.add_figure(f"{within}boxes.png", draw.segment_boxes(seg))
    if seg is not None and len(seg.features.names) > 1:
        results.add_figure(f"{within}pairs.png", draw.pair_grid(seg))
        results.add_figure(f"{within}components.png", draw.component_scatter(seg))


def add_comparison_files(results: Results, found: Comparison, *axes: str, within: str = "") -> None:
    """Write a comparison: its tables, and the figures that it has enough for."""
    results.add_table(f"{within}crossing.csv", found.crossing.rename(columns=str).reset_index())
    results.add_table(f"{within}matches.csv", found.matched.rename_axis("segment").reset_index())
    results.add_table(f"{within}customers.csv", found.customers)
    results.add_figure(f"{within}flow.png", draw.flow(found))
    if len(found.worth):
        results.add_table(f"{within}worth.csv", found.worth.reset_index())
    if len(found.seg.features.names) > 1:
        results.add_figure(f"{within}side-by-side.png", draw.side_by_side(found, *axes))
