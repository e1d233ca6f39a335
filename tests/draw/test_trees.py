"""Trees, jumps, studies of trees and series as drawn: what stands where, in which colour, and that labels are apart."""

from collections.abc import Callable
from itertools import combinations

import numpy as np
import pandas as pd
import pytest
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.colors import to_hex
from matplotlib.figure import Figure

import gauger
from gauger.appearance import ACCENT, INK, QUIET, segment_colour
from gauger.draw.tree_view import USUAL_BRANCHES, view_of
from gauger.errors import SettingError
from gauger.features import HIGH_CORRELATION
from gauger.profiling.series_patterns import pattern_of

Make = Callable[..., gauger.FeatureSet]

GROUPS = np.repeat([[0.0, 0.0], [9.0, 0.0], [0.0, 9.0]], [9, 7, 5], axis=0)


@pytest.fixture(scope="module")
def demo_tree(demo_features: gauger.FeatureSet) -> gauger.MergeTree:
    return gauger.build_tree(demo_features)


def _named(values: np.ndarray, names: list[str]) -> gauger.FeatureSet:
    table = pd.DataFrame(values, columns=[f"f{index}" for index in range(values.shape[1])])
    table.insert(0, "house", names)
    return gauger.prepare(table, key="house", scale="none")


def _small(n: int = 21, name: str = "house {}") -> gauger.MergeTree:
    values = GROUPS[np.arange(n) % 21] + np.random.default_rng(0).normal(size=(n, 2))
    return gauger.build_tree(_named(values, [name.format(row) for row in range(n)]))


def _no_two_overlap(figure: Figure) -> bool:
    renderer = FigureCanvasAgg(figure).get_renderer()
    figure.draw_without_rendering()
    for axes in figure.axes:
        ticks = [*axes.get_xticklabels(), *axes.get_yticklabels(), *axes.texts]
        boxes = [text.get_window_extent(renderer) for text in ticks if text.get_text()]
        if any(one.overlaps(other) for one, other in combinations(boxes, 2)):
            return False
    return True


def _lines(axes: Axes) -> list[tuple[np.ndarray, str]]:
    lines = axes.collections[0]
    return [(line, to_hex(colour)) for line, colour in zip(lines.get_segments(), lines.get_colors(), strict=True)]


def test_a_small_tree_names_every_leaf_and_colours_segments_below_the_cut() -> None:
    tree = _small()
    figure = gauger.draw.dendrogram(tree, count=3)
    (axes,) = figure.axes
    labels = [text.get_text() for text in axes.get_yticklabels()]
    assert labels == [f"house {leaf}" for leaf in tree.leaf_order]
    assert figure.get_suptitle() == "3 segments of 21 houses by Ward's linkage, the largest with 43% of them"
    at = tree.height_of(3)
    assert any(text.get_text().startswith("cut at") and "3 segments" in text.get_text() for text in axes.texts)
    for line, colour in _lines(axes):
        if line[:, 0].max() <= at:
            assert colour in {segment_colour(number) for number in (1, 2, 3)}
        else:
            assert colour == to_hex(QUIET)
    names = [text.get_text() for text in axes.texts if text.get_text().startswith("segment")]
    assert names == ["segment 1 (9)", "segment 2 (7)", "segment 3 (5)"]
    assert _no_two_overlap(figure)


def test_heights_are_drawn_where_the_merges_are() -> None:
    tree = _small()
    (axes,) = gauger.draw.dendrogram(tree).axes
    tops = sorted(float(line[:, 0].max()) for line, _ in _lines(axes))
    np.testing.assert_allclose(tops, np.sort(tree.merges["height"]))
    assert {colour for _, colour in _lines(axes)} == {to_hex(INK)}
    assert axes.get_xlabel() == "Ward's height, in units of distance on the working scale"


@pytest.mark.slow
@pytest.mark.parametrize(("n", "name"), [(5, "h{}"), (21, "h{}"), (40, "the house of number {}"), (60, "house {}")])
@pytest.mark.parametrize("layout", [None, "lying"])
def test_up_to_sixty_leaves_do_not_overprint(n: int, name: str, layout: str | None) -> None:
    figure = gauger.draw.dendrogram(_small(n, name), count=2, layout=layout)
    ticks = [*figure.axes[0].get_xticklabels(), *figure.axes[0].get_yticklabels()]
    assert {text.get_text() for text in ticks} >= {name.format(row) for row in range(n)}
    assert _no_two_overlap(figure)


def test_upright_names_are_turned_until_they_fit() -> None:
    for n, angle in ((5, 0), (30, 45), (60, 90)):
        (axes,) = gauger.draw.dendrogram(_small(n), layout="upright").axes
        assert {text.get_rotation() for text in axes.get_xticklabels()} == {angle}


def test_long_names_are_shortened() -> None:
    tree = _small(5, "a house with a name that nobody would ever want to write on any figure at all, {}")
    assert all(text.get_text().endswith("…") for text in gauger.draw.dendrogram(tree).axes[0].get_yticklabels())


def test_a_large_tree_is_collapsed_into_wedges_that_count_everyone(demo_tree: gauger.MergeTree) -> None:
    figure = gauger.draw.dendrogram(demo_tree, count=6, also=9)
    (axes,) = figure.axes
    counts = [int(text.get_text().strip("()").replace(",", "")) for text in axes.get_xticklabels()]
    assert len(counts) == USUAL_BRANCHES
    assert sum(counts) == 2_355
    assert len(axes.collections[1].get_paths()) == USUAL_BRANCHES
    assert "24 branches of 2,355 members" in figure.get_supxlabel()
    said = [text.get_text() for text in axes.texts]
    assert any(text.startswith("also at") and text.endswith("9 segments") for text in said)
    sizes = demo_tree.cut(count=6).sizes
    named = [text for text in said if text.startswith("segment")]
    assert len(named) == 6
    assert f"segment 1 ({sizes[1]:,})" in named
    assert _no_two_overlap(figure)


def test_every_segment_of_a_fine_cut_is_in_the_view(demo_tree: gauger.MergeTree) -> None:
    view = view_of(demo_tree, count=25)
    assert len(view.branches) == 50
    assert view.cut is not None
    assert set(view.cut.spans) == set(range(1, 26))
    for number, size in demo_tree.cut(count=25).sizes.items():
        assert sum(branch.size for branch in view.branches if branch.segment == number) == size


def test_the_smallest_trees_and_the_finest_cuts_are_drawn(demo_tree: gauger.MergeTree) -> None:
    pair = gauger.build_tree(_named(np.array([[0.0], [3.0]]), ["a", "b"]))
    assert gauger.draw.dendrogram(pair, count=2).get_suptitle().startswith("2 segments of 2 houses")
    assert gauger.draw.dendrogram(pair, count=1).get_suptitle() == "1 segment of 2 houses by Ward's linkage"
    assert gauger.draw.merge_jumps(pair).get_suptitle() == "One merge only: there is nothing to compare"
    assert _no_two_overlap(gauger.draw.dendrogram(demo_tree, count=25))


def test_segments_may_have_names_and_an_unknown_layout_is_refused() -> None:
    tree = _small()
    (axes,) = gauger.draw.dendrogram(tree, segments=tree.cut(count=2).rename({1: "town", 2: "coast"})).axes
    assert {"town (14)", "coast (7)"} <= {text.get_text() for text in axes.texts}
    with pytest.raises(SettingError, match="layout='flat' is not known; it can be upright or lying"):
        gauger.draw.dendrogram(tree, layout="flat")  # type: ignore[arg-type]


def test_a_tree_of_features_stands_beside_the_correlations_in_its_order(behaviour: pd.DataFrame) -> None:
    features = gauger.prepare(behaviour, key="member_id")
    tree = gauger.build_tree(features, of="features", metric="absolute_correlation")
    figure = gauger.draw.feature_tree(tree, height=1.0 - HIGH_CORRELATION)
    left, heat = figure.axes[:2]
    names = [str(tree.leaf_names[leaf]) for leaf in tree.leaf_order]
    assert [text.get_text() for text in heat.get_yticklabels()] == names
    assert figure.get_suptitle() == "Nearly the same: visits and active_days (|r| up to 1.00)"
    assert left.get_xlabel() == "similarity in percent (|r|)"
    assert left.xaxis.get_major_formatter()(0.25, 0) == "75 %"
    r = np.corrcoef(features.values.T)
    index = [features.names.index(name) for name in names]
    np.testing.assert_allclose(heat.images[0].get_array(), r[np.ix_(index, index)], atol=1e-12)
    with pytest.raises(SettingError, match="this figure is of features"):
        gauger.draw.feature_tree(_small())


def test_features_that_all_say_the_same_are_one_group(features_of: Make) -> None:
    base = np.random.default_rng(0).normal(size=100)
    features = features_of(np.column_stack([base, 2.0 * base + 1.0, base + 1e-3 * np.arange(100) ** 0.5]))
    tree = gauger.build_tree(features, of="features")
    assert tree.count_at(1.0 - HIGH_CORRELATION) == 1
    assert gauger.draw.feature_tree(tree).get_suptitle().startswith("Nearly the same: f0, f1 and f2 (r up to 1.00)")


def test_a_cut_finer_than_the_view_says_what_cannot_be_told_apart(demo_tree: gauger.MergeTree) -> None:
    for count in (100, 2_355):
        figure = gauger.draw.dendrogram(demo_tree, count=count)
        shown = view_of(demo_tree, count=count).cut
        assert shown is not None
        assert f"{count - len(shown.spans):,} segments are inside wedges" in figure.get_supxlabel().replace("\n", " ")


def test_unlike_features_are_said_to_be_so(features_of: Make) -> None:
    tree = gauger.build_tree(features_of(np.random.default_rng(1).normal(size=(80, 3))), of="features")
    assert gauger.draw.dendrogram(tree).get_suptitle().startswith("No two features say the same; closest are f")


@pytest.mark.slow
def test_jumps_are_bars_and_the_advised_count_is_marked(demo_tree: gauger.MergeTree) -> None:
    study = gauger.study_counts(demo_tree.features, method="tree", tree=demo_tree, resamples=2)
    figure = gauger.draw.merge_jumps(demo_tree, study.advice)
    heights, bars = figure.axes
    last = demo_tree.merges.tail(20)
    np.testing.assert_allclose(heights.lines[0].get_ydata(), last["height"])
    np.testing.assert_allclose([bar.get_height() for bar in bars.patches[:19]], last["jump"].iloc[:-1])
    assert to_hex(bars.patches[-1].get_facecolor()) == ACCENT
    assert "6 advised" in [text.get_text() for text in bars.texts]
    assert figure.get_suptitle().endswith("is from 2 segments to 1; with everything else heard, 6 are advised")
    assert "The last 20 of 2,354 merges are drawn." in figure.get_supxlabel()
    assert _no_two_overlap(figure)
    with pytest.raises(SettingError, match="most=1 must be a whole number from 2 up"):
        gauger.draw.merge_jumps(demo_tree, most=1)


@pytest.mark.slow
def test_linkages_and_metrics_are_dots_where_their_figures_are(features_of: Make) -> None:
    features = features_of(GROUPS + np.random.default_rng(2).normal(size=GROUPS.shape))
    study = gauger.study_linkages(features, count=3)
    figure = gauger.draw.linkage_study(study)
    table = study.table.sort_values("agreement", ascending=False, kind="stable")
    for axes, column in zip(figure.axes, ("cophenetic_correlation", "largest_share", "agreement"), strict=True):
        np.testing.assert_allclose(axes.collections[-1].get_offsets()[:, 0], table[column])
    assert [text.get_text() for text in figure.axes[0].get_yticklabels()] == table.index.tolist()
    assert study.advice.reasons[-1] in figure.get_supxlabel().replace("\n", " ")
    metrics = gauger.study_metrics(features)
    figure = gauger.draw.metric_study(metrics)
    np.testing.assert_allclose(figure.axes[0].collections[0].get_offsets(), metrics.map)
    assert {text.get_text() for text in figure.axes[0].texts} == set(metrics.map.index)
    assert _no_two_overlap(figure)


@pytest.fixture(scope="module")
def houses() -> gauger.Segmentation:
    weekly = gauger.read_table(gauger.demo_file("weekly_admissions.csv"))
    series = gauger.pivot_series(weekly, entity="house", period="week", value="admissions", missing="interpolate")
    features = gauger.prepare(series, key="house", scale="none")
    return gauger.build_tree(features, linkage="average", metric="dtw_zscored").cut(count=5)


def test_the_planted_courses_of_the_houses_are_told_in_the_panels(houses: gauger.Segmentation) -> None:
    figure = gauger.draw.series_panels(houses, relative=True)
    panels = figure.axes[:5]
    titles = " ".join(axes.get_title(loc="left").replace("\n", " ") for axes in panels)
    assert figure.get_suptitle() == "5 segments of 48 series: rising, flat, falling and 2 seasonal"
    for word in ("rising: +", "falling: -", "flat: within", "high near 2024-07", "high near 2025-01"):
        assert word in titles
    assert len({axes.get_ylim() for axes in panels}) == 1
    for axes, number in zip(panels, houses.numbers, strict=True):
        own = houses.features.values[houses.codes == number]
        own = own / own.mean(axis=1, keepdims=True)
        np.testing.assert_allclose(axes.lines[0].get_ydata(), own.mean(axis=0))
        assert len(axes.collections[0].get_segments()) == len(own)
    assert _no_two_overlap(figure)


@pytest.mark.slow
def test_four_panels_in_a_line_have_room_for_their_periods(houses: gauger.Segmentation) -> None:
    tree = gauger.build_tree(houses.features, linkage="average", metric="dtw_zscored")
    figure = gauger.draw.series_panels(tree.cut(count=7), relative=True)
    assert len({axes.get_position().y0 for axes in figure.axes[:4]}) == 1
    assert _no_two_overlap(figure)


def test_series_are_in_original_units_and_need_periods(houses: gauger.Segmentation) -> None:
    figure = gauger.draw.series_panels(houses)
    own = houses.features.original[houses.codes == 1]
    np.testing.assert_allclose(figure.axes[0].lines[0].get_ydata(), own.mean())
    assert figure.axes[0].get_ylabel() == "original units"
    with pytest.raises(SettingError, match="at least three periods; these features have 2"):
        gauger.draw.series_panels(_small().cut(count=2))


@pytest.mark.parametrize(
    ("values", "word"),
    [
        (np.full(40, 5.0), "flat"),
        (np.linspace(100.0, 150.0, 40), "rising"),
        (np.linspace(150.0, 100.0, 40), "falling"),
        (100.0 + 30.0 * np.sin(np.arange(52.0) / 52.0 * 4.0 * np.pi), "seasonal"),
        (np.where(np.arange(40) == 12, 300.0, 100.0 + np.arange(40) % 3), "spike"),
        (np.arange(5.0), "short"),
    ],
)
def test_a_course_is_told_by_its_word(values: np.ndarray, word: str) -> None:
    pattern = pattern_of(values, [f"week {index}" for index in range(len(values))])
    assert pattern.word == word
    if word == "spike":
        assert pattern.text == "spike around week 12"
    if word == "rising":
        assert pattern.text == "rising: +40% of its level from first to last"
