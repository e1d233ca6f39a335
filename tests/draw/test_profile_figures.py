"""What the figures of a profile, of a plane and of a comparison hold."""

from collections.abc import Callable

import numpy as np
import pandas as pd
import pytest
from matplotlib.collections import QuadMesh
from matplotlib.colors import to_rgb
from matplotlib.patches import PathPatch, Rectangle

import gauger
from gauger.appearance import SEGMENT_COLOURS
from gauger.draw.clouds import MOST_POINTS
from gauger.errors import ColumnValuesError, SettingError, UnknownColumnError
from gauger.profiling.components import components_of
from gauger.segmentation import segmentation_from_codes

Make = Callable[..., gauger.FeatureSet]

draw = gauger.draw


@pytest.fixture(scope="module")
def profile(demo_segments: gauger.Segmentation, members: pd.DataFrame) -> gauger.Profile:
    return gauger.profile(demo_segments, members, resamples=0)


def test_components_are_those_of_the_singular_values(demo_segments: gauger.Segmentation) -> None:
    values = demo_segments.features.values
    centred = values - values.mean(axis=0)
    singular = np.linalg.svd(centred, compute_uv=False) ** 2
    found = components_of(demo_segments)
    np.testing.assert_allclose(found.shares, (singular / singular.sum())[:2])
    np.testing.assert_allclose(found.points.var(axis=0), singular[:2] / len(values))
    for index, name in enumerate(demo_segments.features.names):
        for axis in range(2):
            r = np.corrcoef(values[:, index], found.points[:, axis])[0, 1]
            assert found.directions.loc[name].iloc[axis] == pytest.approx(r)
    figure = draw.component_scatter(demo_segments)
    (axes,) = figure.axes
    assert axes.get_xlabel() == f"first component: {found.shares[0]:.0%} of the variance"
    assert {"  visits", "  recency_days"} <= {text.get_text() for text in axes.texts}
    assert sum(len(part.get_offsets()) for part in axes.collections) == len(values) + demo_segments.count


@pytest.mark.slow
def test_segments_apart_in_all_features_and_mixed_in_two_are_remarked(features_of: Make) -> None:
    rng = np.random.default_rng(1)
    codes = np.repeat(np.arange(1, 13), 40)
    seg = segmentation_from_codes(
        features_of(6.0 * np.eye(12)[codes - 1] + rng.normal(size=(480, 12))), codes, method="hand"
    )
    assert "mixed-in-two" in [remark.code for remark in gauger.profile(seg, resamples=0).remarks]
    assert "look mixed here" in draw.component_scatter(seg).get_suptitle()
    assert "yet 100% are nearest their own centre by all features" in draw.scatter(seg).get_supxlabel()


def test_the_demo_is_not_called_mixed(profile: gauger.Profile) -> None:
    assert "mixed-in-two" not in [remark.code for remark in profile.remarks]


def test_very_many_customers_are_shaded_where_they_are(features_of: Make) -> None:
    rng = np.random.default_rng(0)
    codes = np.repeat([1, 2], MOST_POINTS)
    features = features_of(rng.normal(size=(2 * MOST_POINTS, 2)) + 20.0 * (codes[:, None] - 1))
    seg = segmentation_from_codes(features, codes, method="hand")
    figure = draw.scatter(seg)
    (axes,) = figure.axes
    (mesh,) = [part for part in axes.collections if isinstance(part, QuadMesh)]
    shading = np.asarray(mesh.get_array())
    left, right = shading[:20, :30].reshape(-1, 4), shading[-20:, -30:].reshape(-1, 4)
    for part, number in ((left, 0), (right, 1)):
        filled = part[part[:, 3] > 0]
        np.testing.assert_allclose(filled[:, :3], np.tile(to_rgb(SEGMENT_COLOURS[number]), (len(filled), 1)), atol=1e-6)
    assert shading[:, :, 3].max() == pytest.approx(1.0)
    assert "The darker, the more of the 40,000 customers are there." in figure.get_supxlabel()
    assert sum(len(part.get_offsets()) for part in axes.collections if part is not mesh) == 2  # the two centres


def test_bubbles_stand_at_two_means_and_have_the_area_of_a_third(profile: gauger.Profile) -> None:
    (axes,) = draw.profile_bubbles(profile, "visits", "spend_mean", "age").axes
    bubbles = {
        tuple(part.get_offsets()[0]): part.get_sizes()[0] for part in axes.collections if part.get_sizes()[0] > 16
    }
    means = profile.means.loc[profile.numbers]
    assert set(bubbles) == {tuple(row) for row in means[["visits", "spend_mean"]].to_numpy()}
    areas = [bubbles[tuple(row)] for row in means[["visits", "spend_mean"]].to_numpy()]
    np.testing.assert_allclose(np.array(areas) / max(areas), means["age"] / means["age"].max())
    with pytest.raises(UnknownColumnError, match="did you mean 'visits'"):
        draw.profile_bubbles(profile, "visit")


@pytest.mark.parametrize("of", ["scores", "index"])
def test_the_heat_map_writes_every_value(profile: gauger.Profile, of: str) -> None:
    figure = draw.profile_heat(profile, of)
    (axes,) = figure.axes
    table = getattr(profile, of).loc[profile.numbers].T
    written = [text.get_text() for text in axes.texts]
    expected = [f"{value:+.2f}" if of == "scores" else f"{value:,.0f}" for value in table.to_numpy().ravel()]
    assert written == expected
    assert [label.get_text() for label in axes.get_yticklabels()] == list(table.index)
    with pytest.raises(SettingError, match="of='means'"):
        draw.profile_heat(profile, "means")


def test_parallel_lines_run_through_the_scores(profile: gauger.Profile) -> None:
    (axes,) = draw.profile_lines(profile).axes
    lines = [line for line in axes.lines if len(line.get_xdata()) == profile.scores.shape[1]]
    np.testing.assert_allclose([line.get_ydata() for line in lines], profile.scores.loc[profile.numbers])
    assert len({line.get_marker() for line in lines}) == len(profile.numbers)
    names = {text.get_text() for text in axes.texts}
    assert set(profile.sizes["name"].loc[profile.numbers]) <= names
    assert f"{profile.typical.loc[4, 'recency_days']:.0f}" in names


def test_boxes_hold_quartiles_also_of_columns_of_a_table(
    demo_segments: gauger.Segmentation, members: pd.DataFrame
) -> None:
    figure = draw.segment_boxes(demo_segments, ["age"], table=members)
    (axes,) = figure.axes
    ages = gauger.members(demo_segments, members, segment=3)["age"].dropna().astype(float)
    box = axes.patches[2].get_path().vertices[:, 0]
    assert (box.min(), box.max()) == tuple(np.quantile(ages, (0.25, 0.75)))
    assert len(draw.segment_boxes(demo_segments, kind="violin").axes) == 4
    with pytest.raises(ColumnValuesError, match="draw it with category_shares"):
        draw.segment_boxes(demo_segments, ["household"], table=members)
    with pytest.raises(SettingError, match="kind='bar'"):
        draw.segment_boxes(demo_segments, kind="bar")


def test_category_shares_add_up_in_every_bar(profile: gauger.Profile) -> None:
    figure = draw.category_shares(profile, "household")
    (axes,) = figure.axes
    bars = [patch for patch in axes.patches if isinstance(patch, Rectangle)]
    widths = pd.Series([bar.get_width() for bar in bars]).groupby([round(bar.get_y(), 3) for bar in bars]).sum()
    np.testing.assert_allclose(widths, 1.0)
    assert len(widths) == len(profile.numbers) + 1
    assert "segment 2: 94% have household family" in figure.get_suptitle()
    assert len({bar.get_hatch() for bar in bars}) == 4
    with pytest.raises(UnknownColumnError, match="did you mean 'household'"):
        draw.category_shares(profile, "houshold")


def test_a_map_has_the_same_scale_both_ways(demo_segments: gauger.Segmentation, members: pd.DataFrame) -> None:
    figure = draw.segment_map(demo_segments, members)
    (axes,) = figure.axes
    figure.canvas.draw()
    (x0, y0), (x1, y1) = axes.transData.transform([(0.0, 0.0), (1.0, 1.0)])
    assert x1 - x0 == pytest.approx(y1 - y0)
    with pytest.raises(SettingError, match="give the table that holds them"):
        draw.segment_map(demo_segments)


def test_degrees_become_kilometres(demo_segments: gauger.Segmentation) -> None:
    keys = demo_segments.features.keys
    table = pd.DataFrame({"member_id": keys, "lon": 10.0, "lat": 60.0})
    table.loc[0, ["lon", "lat"]] = [11.0, 61.0]
    (axes,) = draw.segment_map(demo_segments, table, east="lon", north="lat", unit="degrees").axes
    points = np.vstack([part.get_offsets() for part in axes.collections])
    degree = 2.0 * np.pi * 6371.0 / 360.0
    np.testing.assert_allclose(points.max(axis=0), [degree * np.cos(np.pi / 3.0), degree], rtol=1e-9)
    with pytest.raises(ColumnValuesError, match="no degrees"):
        draw.segment_map(demo_segments, table.assign(lat=120.0), east="lon", north="lat", unit="degrees")


def test_pairs_show_each_pair_once_and_what_it_tells(demo_segments: gauger.Segmentation) -> None:
    figure = draw.pair_grid(demo_segments, ["visits", "spend_mean", "seats_mean"])
    told = [text.get_text() for axes in figure.axes for text in axes.texts]
    assert len(told) == 3
    assert all(text.endswith("%") for text in told)
    assert len([axes for axes in figure.axes if axes.collections]) == 3
    with pytest.raises(SettingError, match="two to 5 features"):
        draw.pair_grid(demo_segments, ["visits"])


def test_the_flow_is_as_wide_as_the_customers_in_it(demo_segments: gauger.Segmentation) -> None:
    panel = gauger.read_table(gauger.demo_file("panel.csv")).set_index("member_id")["answer"]
    found = gauger.compare(demo_segments, panel)
    figure = draw.flow(found)
    (axes,) = figure.axes
    bands = [patch for patch in axes.patches if isinstance(patch, PathPatch)]
    assert len(bands) == (found.crossing > 0).to_numpy().sum()
    heights = sorted(band.get_path().vertices[0, 1] - band.get_path().vertices[-2, 1] for band in bands)
    counts = np.sort(found.crossing.to_numpy()[found.crossing.to_numpy() > 0])
    np.testing.assert_allclose(np.array(heights) / heights[-1], counts / counts[-1])
    assert figure.get_suptitle().startswith(f"answer: Cramér's V {found.association.cramers_v:.2f} (")
    assert any("I go on the cheap evenings" in text.get_text() for text in axes.texts)


def test_silhouettes_stand_beside_the_customers(demo_segments: gauger.Segmentation) -> None:
    left, right = draw.silhouettes_and_scatter(demo_segments).axes
    assert len(right.collections) == demo_segments.count
    own = gauger.silhouette(demo_segments)
    assert right.collections[0].get_paths()[0].vertices[:, 0].max() == pytest.approx(
        own.values[demo_segments.codes == 1].max()
    )
    assert left.get_xlabel() in demo_segments.features.names
