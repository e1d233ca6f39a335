"""Density as drawn: the study of the radius, levels, segments of any shape, two segmentations side by side."""

from itertools import combinations

import numpy as np
import pytest
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.colors import to_hex
from matplotlib.figure import Figure
from matplotlib.patches import Polygon
from naive_density import features_of

import gauger
from benchmarks.odd_shapes import make_shape
from gauger.appearance import ACCENT, UNASSIGNED_COLOUR, segment_colour
from gauger.errors import SettingError


@pytest.fixture(scope="module")
def homes() -> gauger.FeatureSet:
    table = gauger.read_table(gauger.demo_file("homes.csv"))
    return gauger.prepare(table, key="home_id", features=["east_km", "north_km"], scale="none")


@pytest.fixture(scope="module")
def study(homes: gauger.FeatureSet) -> gauger.RadiusStudy:
    return gauger.study_radius(homes)


@pytest.fixture(scope="module")
def by_density(homes: gauger.FeatureSet, study: gauger.RadiusStudy) -> gauger.Segmentation:
    return gauger.segment_by_density(homes, study.advice.radius)


def _labels_apart(figure: Figure) -> bool:
    canvas = FigureCanvasAgg(figure)
    canvas.draw()
    boxes = [
        [text.get_window_extent(canvas.renderer) for text in axes.texts if text.get_text()] for axes in figure.axes
    ]
    inside = all(
        box.x1 <= figure.bbox.x1 and box.x0 >= 0 and box.y0 >= 0 and box.y1 <= figure.bbox.y1
        for panel in boxes
        for box in panel
    )
    return inside and not any(one.overlaps(other) for panel in boxes for one, other in combinations(panel, 2))


def _texts(figure: Figure) -> list[str]:
    return [text.get_text().strip() for axes in figure.axes for text in axes.texts]


@pytest.mark.slow
def test_the_neighbour_distances_mark_the_knee_and_the_advised_radius(study: gauger.RadiusStudy) -> None:
    figure = gauger.draw.neighbour_distances(study)
    (axes,) = figure.axes
    curve = axes.lines[0].get_ydata()
    assert curve[0] == study.distances[0]
    assert np.all(np.diff(curve) >= 0.0)
    assert any(line.get_color() == ACCENT and line.get_ydata()[0] == study.advice.radius for line in axes.lines)
    knee = next(line for line in axes.lines if line.get_marker() == "o")
    assert knee.get_ydata()[0] == study.knee.height
    assert any(text.startswith("knee at 0.542, strength 0.82") for text in _texts(figure))
    assert figure.get_suptitle() == "Neighbours are near for 92% of the homes, then distances turn up"
    assert _labels_apart(figure)


def test_a_faint_knee_is_said_to_be_none() -> None:
    points, _ = make_shape("uniform", seed=1, customers=500)
    figure = gauger.draw.neighbour_distances(gauger.study_radius(features_of(points)))
    assert figure.get_suptitle().startswith("No clear knee")
    assert any(text.startswith("no clear knee at") for text in _texts(figure))


@pytest.mark.slow
def test_the_radius_table_is_drawn_in_four_panels_with_the_plateau(study: gauger.RadiusStudy) -> None:
    figure = gauger.draw.radius_study(study)
    assert len(figure.axes) == 4
    assert figure.get_suptitle() == "Clear: radius 0.902 gives 4 segments of a fair size, 5% unassigned"
    for axes in figure.axes:
        assert any(line.get_color() == ACCENT and line.get_xdata()[0] == study.advice.radius for line in axes.lines)
        (plateau,) = axes.patches
        assert plateau.get_x() <= study.advice.radius <= plateau.get_x() + plateau.get_width()
    shares = figure.axes[1].lines
    assert np.asarray(shares[1].get_ydata()).tolist() == study.table["largest_share"].tolist()


def test_a_study_without_structure_shows_no_plateau() -> None:
    points, _ = make_shape("uniform", seed=1, customers=500)
    figure = gauger.draw.radius_study(gauger.study_radius(features_of(points)))
    assert figure.get_suptitle() == "No structure: density never tells two groups apart"
    assert not any(axes.patches for axes in figure.axes)


def test_outsiders_are_small_grey_crosses_and_shapes_are_named_beside_them(by_density: gauger.Segmentation) -> None:
    figure = gauger.draw.scatter(by_density)
    (axes,) = figure.axes
    crosses = axes.collections[0]
    assert to_hex(crosses.get_edgecolor()[0]) == UNASSIGNED_COLOUR
    assert len(crosses.get_offsets()) == (by_density.codes == 0).sum()
    assert crosses.get_sizes()[0] < axes.collections[1].get_sizes()[0]
    assert figure.get_suptitle() == "4 segments in shapes of their own, and 77 homes in none (grey crosses)"
    assert axes.get_aspect() == 1.0
    assert _labels_apart(figure)


@pytest.mark.parametrize("outline", ["hull", "ellipse"])
def test_an_outline_is_drawn_around_every_segment(by_density: gauger.Segmentation, outline: str) -> None:
    (axes,) = gauger.draw.scatter(by_density, outline=outline).axes
    assert [to_hex(one.get_edgecolor()) for one in axes.patches] == [segment_colour(n) for n in by_density.numbers]
    assert all(isinstance(one, Polygon) for one in axes.patches)
    if outline == "hull":
        hull = axes.patches[0].get_path()
        own = by_density.features.original[by_density.codes == 1].to_numpy()
        assert hull.contains_points(own, radius=1e-6).mean() > 0.9


def test_a_hull_of_customers_on_a_line_is_left_out() -> None:
    points = np.column_stack([np.arange(20.0), np.arange(20.0)])
    seg = gauger.segment_by_density(features_of(points), 2.0)
    assert not gauger.draw.scatter(seg, outline="hull").axes[0].patches


def test_chosen_customers_are_named_by_key_and_no_label_overprints(by_density: gauger.Segmentation) -> None:
    at_one_spot = by_density.features.keys[by_density.codes == 1][:6].tolist()
    figure = gauger.draw.scatter(by_density, label=at_one_spot)
    assert set(at_one_spot) <= set(_texts(figure))
    assert _labels_apart(figure)


@pytest.mark.parametrize(
    ("options", "message"),
    [
        ({"label": ["H0001", "H9x"]}, r"there is no home 'H9x' to label"),
        ({"label": [f"H{number:04d}" for number in range(1, 20)]}, "at most 12"),
        ({"outline": "hul"}, "Did you mean 'hull'"),
    ],
)
def test_what_cannot_be_drawn_is_refused(by_density: gauger.Segmentation, options: dict, message: str) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.draw.scatter(by_density, **options)


@pytest.mark.slow
def test_of_very_many_segments_the_largest_are_named(homes: gauger.FeatureSet) -> None:
    seg = gauger.segment_by_density(homes, 0.25)
    assert seg.count > 60
    figure = gauger.draw.scatter(seg, outline="hull")
    assert len(_texts(figure)) == 20
    assert figure.get_supxlabel().endswith(f"The 20 largest of {seg.count} segments are named.")
    both = gauger.draw.side_by_side(gauger.compare(seg, seg))
    assert [len(axes.texts) for axes in both.axes] == [20, 20]
    assert "largest of 81 segments are named" in both.get_supxlabel()


def test_nobody_in_a_segment_is_drawn_and_said(homes: gauger.FeatureSet) -> None:
    figure = gauger.draw.scatter(gauger.segment_by_density(homes, 0.001), outline="hull")
    assert figure.get_suptitle() == "None of the 1,580 homes is in a segment"


def test_levels_are_rows_as_thick_as_their_customers_and_count_who_leaves(homes: gauger.FeatureSet) -> None:
    seg = gauger.segment_by_density_levels(homes)
    figure = gauger.draw.density_levels(seg)
    (axes,) = figure.axes
    names = [label.get_text() for label in axes.get_yticklabels()]
    assert len(axes.patches) == 2 * len(names) == 2 * len(seg.branches)
    assert figure.get_suptitle() == "4 segments come apart as the distance shrinks; 76 homes leave before"
    assert axes.get_xlim()[0] > axes.get_xlim()[1]
    assert {seg.names[number] for number in seg.numbers} <= {name.split(" (")[0] for name in names}
    thick = dict(zip(names, axes.patches[::2], strict=True))
    still = dict(zip(names, axes.patches[1::2], strict=True))
    for number in seg.numbers:
        (row,) = seg.branches.index[seg.branches["segment"] == number]
        held = int(seg.branches.loc[row, "customers"])
        name = f"{seg.names[number]} ({held:,})"
        assert thick[name].get_height() == pytest.approx(0.86 * held / len(seg.codes))
        assert to_hex(thick[name].get_facecolor()) == segment_colour(number)
        assert thick[name].get_x() == pytest.approx(seg.branches.loc[row, "born"])
        below = seg.branches[seg.branches["parent"] == row]
        own = seg.departures.loc[seg.departures["branch"] == row, "distance"]
        ends = below["born"].iloc[0] if len(below) else own.min()
        last = int(below["customers"].sum()) if len(below) else int((own == own.min()).sum())
        assert thick[name].get_x() + thick[name].get_width() == pytest.approx(ends)
        assert still[name].get_height() == pytest.approx(max(0.86 * last / len(seg.codes), 0.03))
        if held > last:
            assert f"{held - last:,} {'leaves' if held - last == 1 else 'leave'} on the way" in " ".join(_texts(figure))


def test_levels_of_one_cloud_are_one_row_and_other_methods_have_none(by_density: gauger.Segmentation) -> None:
    points, _ = make_shape("uniform", seed=2, customers=400)
    figure = gauger.draw.density_levels(gauger.segment_by_density_levels(features_of(points)))
    assert len(figure.axes[0].patches) == 2
    assert "never come apart" in figure.get_suptitle()
    with pytest.raises(SettingError, match="only segment_by_density_levels"):
        gauger.draw.density_levels(by_density)


@pytest.mark.slow
def test_the_other_side_may_be_of_other_features_in_another_order(by_density: gauger.Segmentation) -> None:
    homes = by_density.features
    table = homes.original.reset_index().iloc[np.random.default_rng(1).permutation(len(homes.keys))]
    far = gauger.prepare(
        table.assign(way=np.hypot(table["east_km"], table["north_km"])), key="home_id", features=["way"]
    )
    by_way = gauger.segment_by_kmeans(far, 2).rename({1: "far off"})
    found = gauger.compare(by_density, by_way)
    left, right = gauger.draw.side_by_side(found).axes
    assert right.texts[0].get_text().strip().startswith("far off (")
    assert len(left.collections[0].get_offsets()) == 77
    drawn = np.vstack([points.get_offsets() for points in right.collections[:2]])
    assert len(drawn) == len(homes.keys)


@pytest.mark.slow
def test_two_segmentations_share_axes_and_matched_segments_share_colours(
    homes: gauger.FeatureSet, by_density: gauger.Segmentation
) -> None:
    found = gauger.compare(gauger.segment_by_kmeans(homes, 4), by_density)
    figure = gauger.draw.side_by_side(found)
    left, right = figure.axes
    assert left.get_xlim() == right.get_xlim()
    assert left.get_ylim() == right.get_ylim()
    assert left.get_title(loc="left") == "k-means: 4 segments"
    assert right.get_title(loc="left").endswith("4 segments, 77 unassigned")
    assert figure.get_suptitle().startswith("61% of homes are in matching segments (adjusted Rand 0.56)")
    taken = found.matched["other"].dropna()
    points = right.collections[1 : 1 + by_density.count]
    for number, match in taken.items():
        assert to_hex(points[int(match) - 1].get_facecolor()[0]) == segment_colour(number)
    assert _labels_apart(figure)
