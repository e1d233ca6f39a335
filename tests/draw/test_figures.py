"""What the figures hold: their artists, labels, ranges and notes, and that no labels overlap."""

from collections.abc import Callable
from dataclasses import replace
from itertools import combinations

import numpy as np
import pandas as pd
import pytest
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.collections import QuadMesh
from matplotlib.colors import to_rgb
from matplotlib.figure import Figure
from matplotlib.patches import PathPatch, Rectangle

import gauger
from gauger.algorithms.diagnostics.elbow import Elbow
from gauger.appearance import ACCENT, SEGMENT_COLOURS, SEGMENT_MARKERS
from gauger.errors import SettingError, UnknownColumnError
from gauger.segmentation import segmentation_from_codes
from gauger.wording import short_number

Make = Callable[..., gauger.FeatureSet]


def _texts(figure: Figure) -> list[str]:
    own = [text.get_text() for axes in figure.axes for text in axes.texts]
    return own + [axes.get_title(loc="left") for axes in figure.axes]


def _title(figure: Figure) -> str:
    return figure.get_suptitle()


def _overlapping(axes: Axes) -> list[tuple[str, str]]:
    canvas = FigureCanvasAgg(axes.figure)
    canvas.draw()
    boxes = [(text.get_text(), text.get_window_extent(canvas.renderer)) for text in axes.texts if text.get_text()]
    return [(one, other) for (one, a), (other, b) in combinations(boxes, 2) if a.overlaps(b)]


@pytest.mark.slow
def test_the_count_study_marks_the_advised_count_in_every_panel(demo_study: gauger.CountStudy) -> None:
    figure = gauger.draw.count_study(demo_study)
    spread, apart, gap, stable = figure.axes
    assert figure.get_size_inches() @ [100, 0] == 1280
    assert _title(figure) == "Leaning to 6 segments (silhouette 0.58); look at 5 or 7 too"
    for axes, name in ((spread, "wcss"), (apart, "silhouette"), (gap, "gap")):
        np.testing.assert_allclose(axes.lines[0].get_ydata(), demo_study.table[name].dropna())
    assert any(np.array_equal(line.get_ydata(), demo_study.table["stability"]) for line in stable.lines)
    bars = np.diff([segment[:, 1] for segment in gap.containers[0][2][0].get_segments()]).ravel() / 2.0
    np.testing.assert_allclose(bars, demo_study.table["gap_se"])
    for axes in figure.axes:
        assert [6, 6] in [list(line.get_xdata()) for line in axes.lines]
        assert _overlapping(axes) == []
    assert spread.get_title(loc="left") == "Elbow at 6, strength 0.66 of 1"


def test_verdicts_and_a_sharp_elbow_elsewhere_are_in_the_figure(demo_study: gauger.CountStudy) -> None:
    elbow = Elbow(3, 0.9, 3)
    picks = {**demo_study.advice.picks, "elbow": 3, "silhouette": 4}
    advice = replace(demo_study.advice, verdict="leaning", alternatives={8: "", 3: ""}, elbow=elbow, picks=picks)
    figure = gauger.draw.count_study(replace(demo_study, advice=advice))
    assert _title(figure) == "Leaning to 6 segments (silhouette 0.58); look at 3 or 8 too"
    assert [text.get_text() for text in figure.axes[0].texts] == ["elbow", "6 advised"]
    assert [text.get_text() for text in figure.axes[1].texts] == ["highest", "0.576"]
    clear = replace(demo_study, advice=replace(advice, verdict="clear"))
    assert _title(gauger.draw.count_study(clear)).startswith("6 segments, clearly: silhouette 0.58, and members thin")
    unclear = replace(demo_study, advice=replace(advice, verdict="unclear", alternatives={}))
    assert _title(gauger.draw.count_study(unclear)) == "Unclear: 6 segments at best (silhouette 0.58)"
    none = replace(demo_study, advice=replace(advice, verdict="no structure", count=1))
    assert _title(gauger.draw.count_study(none)).startswith("No structure: one cloud")
    flags = replace(none, advice=replace(none.advice, filters={"app": "the values of app"}))
    assert _title(gauger.draw.count_study(flags)) == "No structure beside what a filter on app tells apart"


def test_silhouette_diagrams_show_every_customer_and_the_mean(demo_study: gauger.CountStudy) -> None:
    figure = gauger.draw.silhouette_diagrams(demo_study, [2, 6])
    two, six = figure.axes
    assert (len(two.collections), len(six.collections)) == (2, 6)
    own = gauger.silhouette(demo_study.segmentations[6])
    for number, part in enumerate(six.collections, 1):
        assert to_rgb(SEGMENT_COLOURS[number - 1]) == tuple(part.get_facecolor()[0][:3])
        values = own.values[demo_study.segmentations[6].codes == number]
        assert part.get_paths()[0].vertices[:, 0].max() == pytest.approx(values.max())
    assert own.mean in [line.get_xdata()[0] for line in six.lines]
    assert six.get_title(loc="left").startswith("6 segments, advised\nmean 0.58")
    assert len(gauger.draw.silhouette_diagrams(demo_study).axes) == 4


@pytest.mark.parametrize("counts", [[1, 2], [2, 99], [], [2, 3, 4, 5, 6]])
def test_silhouette_diagrams_of_impossible_counts_are_refused(demo_study: gauger.CountStudy, counts: list[int]) -> None:
    with pytest.raises(SettingError, match="one to 4 of those studied"):
        gauger.draw.silhouette_diagrams(demo_study, counts)


def test_splits_are_as_wide_as_they_have_customers(demo_study: gauger.CountStudy) -> None:
    (axes,) = gauger.draw.segment_splits(demo_study, [5, 6]).axes
    boxes = [patch for patch in axes.patches if isinstance(patch, Rectangle)]
    bands = [patch for patch in axes.patches if isinstance(patch, PathPatch)]
    five, six = demo_study.segmentations[5], demo_study.segmentations[6]
    assert len(boxes) == 11
    pairs = pd.crosstab(five.codes, six.codes)
    assert len(bands) == (pairs > 0).to_numpy().sum()
    scale = 1.0 - 0.018 * 5
    shares = sorted(box.get_height() / scale for box in boxes if box.get_x() == 1.0)
    np.testing.assert_allclose(shares, np.sort(six.sizes / six.sizes.sum()))
    assert _overlapping(axes) == []
    with pytest.raises(SettingError, match="one to 8 of those studied"):
        gauger.draw.segment_splits(demo_study, [5, 77])


def test_the_round_history_shows_what_each_round_did(demo_features: gauger.FeatureSet) -> None:
    seg = gauger.segment_by_kmeans(demo_features, 6)
    upper, lower = gauger.draw.iteration_history(seg).axes
    assert [bar.get_height() for bar in upper.patches] == seg.history["moved"].tolist()
    np.testing.assert_allclose(lower.lines[0].get_ydata(), seg.history["wcss"])
    assert _title(gauger.draw.iteration_history(seg)).startswith(f"At rest after {seg.iterations} iterations")
    stopped = gauger.segment_by_kmeans(demo_features, 6, max_iterations=2)
    moved = stopped.history["moved"].iloc[-1]
    assert (
        _title(gauger.draw.iteration_history(stopped))
        == f"Stopped at 2 iterations with {moved} still moving: not final"
    )
    by_hand = segmentation_from_codes(demo_features, stopped.codes, method="hand")
    with pytest.raises(SettingError, match="segments by hand are not made in iterations"):
        gauger.draw.iteration_history(by_hand)


def test_spreads_show_centres_and_the_middle_half_in_original_units(demo_segments: gauger.Segmentation) -> None:
    figure = gauger.draw.segment_spread(demo_segments)
    assert _title(figure).startswith("spend_mean tells segments apart best: 94%")
    visits = next(axes for axes in figure.axes if axes.get_title(loc="left") == "visits")
    thick = [line for line in visits.lines if line.get_linewidth() == 9.0]
    own = demo_segments.features.original["visits"].to_numpy()[demo_segments.codes == 3]
    np.testing.assert_allclose(thick[2].get_xdata(), np.quantile(own, (0.25, 0.75)))
    points = [line.get_xdata()[0] for line in visits.lines if line.get_marker() in SEGMENT_MARKERS]
    np.testing.assert_allclose(points, demo_segments.centres["visits"])


def test_a_study_of_one_count_says_there_is_nothing_to_compare(features_of: Make) -> None:
    figure = gauger.draw.count_study(gauger.study_counts(features_of([[1.0], [2.0]]), counts=[1]))
    assert "compares with nothing" in _title(figure)
    assert "one segment has no silhouette" in _texts(figure)


def test_the_scatter_shows_every_segment_with_its_name_and_its_centre(demo_segments: gauger.Segmentation) -> None:
    figure = gauger.draw.scatter(demo_segments.rename({1: "now and then"}), x="visits", y="spend_mean")
    (axes,) = figure.axes
    points = sum(len(part.get_offsets()) for part in axes.collections) - demo_segments.count
    assert points == len(demo_segments.codes)
    labels = [text.get_text().strip() for text in axes.texts]
    assert labels[0] == "now and then (761)"
    assert len(labels) == 6
    assert (axes.get_xlabel(), axes.get_ylabel()) == ("visits", "spend_mean")
    assert _overlapping(axes) == []


def test_the_scatter_says_how_many_extreme_customers_are_outside(demo_segments: gauger.Segmentation) -> None:
    figure = gauger.draw.scatter(demo_segments, x="recency_days", y="seats_mean")
    _, top = figure.axes[0].get_ylim()
    outside = int((demo_segments.features.original["seats_mean"] > top).sum())
    assert outside == 10
    assert figure.get_supxlabel() == "10 members with extreme values lie outside the frame."


def test_the_scatter_picks_the_pair_that_tells_segments_apart(features_of: Make) -> None:
    rng = np.random.default_rng(0)
    groups = np.repeat([0, 1, 2], 50)
    values = np.column_stack([rng.normal(size=150), groups * 20 + rng.normal(size=150), (groups == 1) * 20.0])
    figure = gauger.draw.scatter(gauger.segment_by_kmeans(features_of(values), 3))
    assert "f1" in (figure.axes[0].get_xlabel(), figure.axes[0].get_ylabel())
    assert "100% of customers" in _title(figure)
    named = gauger.draw.scatter(gauger.segment_by_kmeans(features_of(values), 3), y="f0")
    assert named.axes[0].get_ylabel() == "f0"


def test_customers_without_a_recorded_value_are_counted_not_drawn() -> None:
    table = pd.DataFrame({"who": range(6), "a": [1.0, 2, np.nan, 11, 12, 13], "b": [5.0, 1, 3, 2, 4, 6]})
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", missing="median"), 2)
    figure = gauger.draw.scatter(seg)
    assert figure.get_supxlabel() == "1 customer without a recorded value is not drawn."
    assert np.isfinite(figure.axes[0].get_xlim()).all()


def test_labels_do_not_overlap_even_when_the_centres_do(features_of: Make) -> None:
    rng = np.random.default_rng(0)
    values = np.column_stack([rng.normal(size=(300, 2)), np.repeat(np.arange(6), 50) * 30.0])
    figure = gauger.draw.scatter(gauger.segment_by_kmeans(features_of(values), 6), x="f0", y="f1")
    assert _overlapping(figure.axes[0]) == []


def test_a_scatter_of_unknown_or_too_few_features_is_refused(
    features_of: Make, demo_segments: gauger.Segmentation
) -> None:
    with pytest.raises(UnknownColumnError, match="did you mean 'visits'"):
        gauger.draw.scatter(demo_segments, x="vists")
    with pytest.raises(SettingError, match="needs two features"):
        gauger.draw.scatter(gauger.segment_by_kmeans(features_of([[1.0], [2.0]]), 1))


@pytest.mark.slow
def test_profile_bars_have_a_panel_a_measure_and_a_bar_a_segment(
    demo_segments: gauger.Segmentation, members: pd.DataFrame
) -> None:
    profile = gauger.profile(demo_segments, members)
    figure = gauger.draw.profile_bars(profile)
    panels = [axes for axes in figure.axes if axes.axison]
    assert len(panels) == 7
    for axes, measure in zip(panels, profile.means.columns, strict=True):
        assert axes.get_title(loc="left").startswith(f"{measure} (everyone ")
        np.testing.assert_allclose([bar.get_width() for bar in axes.patches], profile.means[measure].iloc[:-1])
        assert axes.texts[0].get_text() == short_number(profile.means[measure].iloc[0])
    assert _title(figure) == "Strongest contrast: segment 4 has 4.2 times everyone's recency days"


def test_more_measures_than_fit_are_left_to_the_tables(demo_segments: gauger.Segmentation) -> None:
    keys = demo_segments.features.keys
    rng = np.random.default_rng(0)
    extra = pd.DataFrame({f"m{index}": rng.uniform(1, 2, len(keys)) for index in range(11)}).assign(member_id=keys)
    figure = gauger.draw.profile_bars(gauger.profile(demo_segments, extra))
    titles = [axes.get_title(loc="left") for axes in figure.axes]
    assert len(titles) == 12
    assert any(title.startswith("recency_days") for title in titles)
    assert figure.get_supxlabel() == "3 more measures are in the tables."


def test_a_measure_without_a_value_is_said(demo_segments: gauger.Segmentation) -> None:
    first = demo_segments.codes == 1
    table = pd.DataFrame({"member_id": demo_segments.features.keys, "points": np.where(first, np.nan, 4.5)})
    table.loc[~first, "points"] += np.arange((~first).sum())
    figure = gauger.draw.profile_bars(gauger.profile(demo_segments, table))
    assert "no value" in [text.get_text() for axes in figure.axes for text in axes.texts]


def _seen_by(kind: str, colour: str) -> np.ndarray:
    """Linear red, green, blue as seen with a colour deficiency: Viénot, Brettel & Mollon (1999)."""
    linear = np.array(to_rgb(colour)) ** 2.2
    lms = np.array([[17.8824, 43.5161, 4.11935], [3.45565, 27.1554, 3.86714], [0.0299566, 0.184309, 1.46709]])
    lacking = {
        "none": np.eye(3),
        "red": np.array([[0, 2.02344, -2.52581], [0, 1, 0], [0, 0, 1]]),
        "green": np.array([[1, 0, 0], [0.494207, 0, 1.24827], [0, 0, 1]]),
    }[kind]
    return np.clip(np.linalg.inv(lms) @ lacking @ lms @ linear, 0, 1)


@pytest.mark.parametrize("kind", ["none", "red", "green"])
def test_the_first_six_colours_stay_apart_with_colour_deficiency(kind: str) -> None:
    seen = [_seen_by(kind, colour) ** (1 / 2.2) for colour in SEGMENT_COLOURS[:6]]
    assert min(np.linalg.norm(one - other) for one, other in combinations(seen, 2)) > 0.15


def test_each_of_twelve_segments_has_a_colour_and_a_marker_of_its_own() -> None:
    assert len(set(SEGMENT_COLOURS)) == len(set(SEGMENT_MARKERS)) == 12


def test_distributions_hold_every_measure_and_colour_long_tails(behaviour: pd.DataFrame) -> None:
    figure = gauger.draw.distributions(behaviour, "member_id")
    drawn = [axes for axes in figure.axes if axes.patches]
    titles = [axes.get_title(loc="left") for axes in drawn]
    tails = [name.removesuffix(", logarithm") for name in titles if name.endswith(", logarithm")]
    assert set(titles) - {f"{name}, logarithm" for name in tails} == set(gauger.look(behaviour, "member_id").measures)
    assert titles[: 2 * len(tails)] == [name for tail in tails for name in (tail, f"{tail}, logarithm")]
    beside = drawn[titles.index("visits, logarithm")]
    assert sum(bar.get_height() for bar in beside.patches) == len(behaviour)
    edges = np.array([beside.transData.transform((bar.get_x(), 0.0))[0] for bar in beside.patches])
    np.testing.assert_allclose(np.diff(edges), np.diff(edges)[0], rtol=1e-6)
    visits = next(axes for axes in drawn if axes.get_title(loc="left") == "visits")
    assert sum(bar.get_height() for bar in visits.patches) == len(behaviour)
    assert visits.get_xlabel() == "median 11.0"
    assert visits.lines[0].get_xdata()[0] == behaviour["visits"].median()
    assert to_rgb(visits.patches[0].get_facecolor()) == to_rgb(ACCENT)
    assert "long tail" in _title(figure)


@pytest.mark.slow
def test_distributions_of_too_many_measures_say_how_many_are_not_drawn() -> None:
    rng = np.random.default_rng(0)
    table = pd.DataFrame(rng.normal(size=(50, 23)), columns=[f"m{index}" for index in range(23)])
    figure = gauger.draw.distributions(table)
    assert sum(bool(axes.patches) for axes in figure.axes) == 20
    assert "3 more measures are not drawn" in figure.get_supxlabel()
    assert _title(figure) == "No long tails among 20 measures"
    with pytest.raises(SettingError, match="no measure to draw"):
        gauger.draw.distributions(pd.DataFrame({"who": list("abc")}))


def test_bins_of_whole_numbers_hold_as_many_of_them_each() -> None:
    ages = pd.DataFrame({"who": range(1000), "years": np.arange(1000) % 100 + 1})
    bars = gauger.draw.distributions(ages, "who").axes[0].patches
    assert {bar.get_width() for bar in bars} == {3.0}
    assert {bar.get_height() for bar in bars[:-1]} == {30.0}


def test_treatments_stand_beside_what_they_were(behaviour: pd.DataFrame) -> None:
    features = gauger.prepare(
        behaviour, key="member_id", features=["visits", "spend_total"], transform={"visits": "log"}, cap=(0.0, 0.99)
    )
    figure = gauger.draw.treatments(features)
    titles = [axes.get_title(loc="left") for axes in figure.axes]
    assert titles == ["visits", "cap → log → zscore", "spend_total", "cap → zscore"]
    before, after = figure.axes[:2]
    assert before.get_xlim()[1] >= behaviour["visits"].max()
    assert after.get_xlim()[1] >= features.values[:, 0].max()
    assert _title(figure) == "Of 2 long tails, none are left after treatment"


def test_only_indicators_can_be_drawn_too(members: pd.DataFrame) -> None:
    features = gauger.prepare(members, key="member_id", features=[], categories=["household"])
    figure = gauger.draw.treatments(features)
    assert "tail" not in figure.get_supxlabel()
    assert _title(figure) == "Indicators: 1 where a member has the level"


def test_correlations_are_ordered_and_named(behaviour: pd.DataFrame) -> None:
    figure = gauger.draw.correlations(behaviour, "member_id")
    axes = figure.axes[0]
    names = [label.get_text() for label in axes.get_yticklabels()]
    assert names == [label.get_text() for label in axes.get_xticklabels()]
    assert abs(names.index("visits") - names.index("active_days")) == 1
    drawn = axes.images[0].get_array()
    expected = behaviour[names].astype(float).corr().to_numpy()
    np.testing.assert_allclose(drawn, expected, atol=1e-9)
    assert _title(figure).startswith("Nearly the same: visits and active_days")


@pytest.mark.slow
def test_correlations_of_forty_measures_show_the_thirty_strongest_without_overlap() -> None:
    rng = np.random.default_rng(0)
    base = rng.normal(size=(300, 20))
    table = pd.DataFrame(np.hstack([base, base[:, :10] + 0.1 * rng.normal(size=(300, 10)), rng.normal(size=(300, 10))]))
    table.columns = [f"a_rather_long_measure_{index}" for index in range(40)]
    figure = gauger.draw.correlations(table)
    axes = figure.axes[0]
    assert len(axes.get_yticklabels()) == 30
    assert "10 measures with weaker correlations are not drawn" in figure.get_supxlabel()
    canvas = FigureCanvasAgg(figure)
    canvas.draw()
    boxes = [label.get_window_extent(canvas.renderer) for label in axes.get_yticklabels()]
    assert not any(one.overlaps(other) for one, other in combinations(boxes, 2))
    assert all(box.x0 >= 0 for box in boxes)


def test_correlations_need_two_measures_that_vary() -> None:
    with pytest.raises(SettingError, match="at least two measures that vary"):
        gauger.draw.correlations(pd.DataFrame({"who": list("abc"), "x": [1.5, 2.5, 9.0]}), "who")


def test_bands_are_marked_at_their_centres_and_called_bands(demo_features: gauger.FeatureSet) -> None:
    seg = gauger.segment_by_bands(demo_features, {"visits": 5, "spend_mean": 5}, combine="score", score_bands=4)
    figure = gauger.draw.scatter(seg, "visits", "spend_mean")
    assert figure.get_suptitle() == "4 segments by bands of visits and spend_mean"
    (axes,) = figure.axes
    marked = {tuple(offset) for marks in axes.collections for offset in np.round(marks.get_offsets(), 9).tolist()}
    for centre in seg.centres[["visits", "spend_mean"]].to_numpy().round(9).tolist():
        assert tuple(centre) in marked


def test_shading_on_a_logarithmic_axis_lies_where_the_customers_are() -> None:
    rng = np.random.default_rng(3)
    rows = 21_000
    table = pd.DataFrame(
        {"who": range(rows), "visits": rng.lognormal(2.0, 0.1, rows), "spend": rng.lognormal(6.0, 0.1, rows)}
    )
    table.loc[0, ["visits", "spend"]] = 1.0  # so that the frame is wide
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", transform="log"), 1)
    (axes,) = gauger.draw.scatter(seg, "visits", "spend").axes
    (mesh,) = [one for one in axes.collections if isinstance(one, QuadMesh)]
    shades = mesh.get_array()[..., 3]
    down, across = np.unravel_index(shades.argmax(), shades.shape)
    corners = mesh.get_coordinates()[down : down + 2, across : across + 2]
    for index, name in enumerate(("visits", "spend")):
        low, high = corners[..., index].min(), corners[..., index].max()
        assert table[name].quantile(0.1) < (low + high) / 2.0 < table[name].quantile(0.9)
