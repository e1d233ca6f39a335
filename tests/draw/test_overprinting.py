"""No two texts of a figure overprint and none leaves it: on the demo data, with few and with many segments."""

from collections.abc import Callable, Iterator

import numpy as np
import pandas as pd
import pytest
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.text import Text

import gauger
from gauger.demo.walkthrough import FEATURES
from gauger.draw.clouds import MOST_POINTS
from gauger.segmentation import segmentation_from_codes

draw = gauger.draw

_HAIR = 1.0


def _texts(figure: Figure) -> Iterator[Text]:
    yield from figure.texts
    for legend in (*figure.legends, *(axes.get_legend() for axes in figure.axes)):
        if legend is not None:
            yield from (*legend.get_texts(), legend.get_title())
    for axes in figure.axes:
        yield from axes.texts
        yield from axes.findobj(lambda artist, own=axes: artist in (own.title, own._left_title, own._right_title))
        if axes.axison:
            yield from _of_axis(axes)


def _of_axis(axes: Axes) -> Iterator[Text]:
    for axis in (axes.xaxis, axes.yaxis):
        low, high = sorted(axis.get_view_interval())
        yield axis.label
        for tick in (*axis.get_major_ticks(), *axis.get_minor_ticks()):
            if low <= tick.get_loc() <= high:
                yield from (tick.label1, tick.label2)


def _faults(figure: Figure) -> list[object]:
    """Pairs of texts whose frames share more than a hair, and texts that leave the figure."""
    canvas = FigureCanvasAgg(figure)
    figure.draw_without_rendering()
    shown = [text for text in _texts(figure) if text.get_visible() and text.get_text().strip()]
    boxes = np.array([Text.get_window_extent(text, canvas.get_renderer()).extents for text in shown])
    low, high = boxes[:, :2], boxes[:, 2:]
    outside = ((low < -1.0) | (high > np.array(canvas.get_width_height()) + 1.0)).any(axis=1)
    over = ((low + _HAIR)[:, None] < (high - _HAIR)[None]).all(axis=2)
    slanted = np.array([text.get_rotation() % 90.0 != 0.0 for text in shown])  # their frames cover more than they do
    pairs = np.argwhere(np.triu(over & over.T, 1) & ~slanted[:, None] & ~slanted)
    told = [text.get_text() for text in shown]
    return [told[at] for at in np.flatnonzero(outside)] + [(told[one], told[other]) for one, other in pairs]


Named = dict[str, Callable[[], Figure]]


DEMO_FIGURES = (
    "bubbles",
    "bubbles of customers",
    "boxes",
    "violins",
    "campaign",
    "components",
    "correlations",
    "counts",
    "dendrogram",
    "distributions",
    "feature tree",
    "flow to the panel",
    "flow to bands",
    "heat",
    "dendrogram of houses",
    "houses",
    "index",
    "jumps",
    "levels",
    "lines",
    "linkages",
    "map",
    "metrics",
    "moves",
    "neighbours",
    "pairs",
    "profile",
    "radii",
    "iterations",
    "scatter",
    "series",
    "shares",
    "side by side",
    "silhouettes",
    "silhouettes beside",
    "splits",
    "spread",
    "treatments",
)
MANY_FIGURES = (
    "scatter",
    "components",
    "pairs",
    "map",
    "bubbles",
    "heat",
    "lines",
    "profile",
    "boxes",
    "spread",
    "shares",
    "flow",
    "silhouettes",
)
SHADED = ("scatter", "map")


@pytest.fixture(scope="module")
def demo(
    demo_features: gauger.FeatureSet,
    demo_study: gauger.CountStudy,
    demo_segments: gauger.Segmentation,
    behaviour: pd.DataFrame,
    members: pd.DataFrame,
    tmp_path_factory: pytest.TempPathFactory,
) -> Named:
    """Every figure there is, of the demo data."""
    plain = gauger.profile(demo_segments, members, resamples=0)
    seg = demo_segments.rename(plain.suggested_names)
    profile = gauger.profile(seg, members, resamples=0)
    bands = gauger.segment_by_bands(demo_features, {"recency_days": 5, "visits": 5}, combine="score")
    panel = gauger.read_table(gauger.demo_file("panel.csv")).set_index("member_id")["answer"]
    moves = gauger.migration(seg, gauger.build_model(seg).assign(behaviour[::2], gate="learned"), key="member_id")
    folder = tmp_path_factory.mktemp("campaign") / "out"
    gauger.hand_off(seg, members, folder, campaign="spring", holdout=0.3)
    came = gauger.measure(folder, behaviour[["member_id"]][::9].assign(responded=1))
    homes = gauger.read_table(gauger.demo_file("homes.csv"))
    indices = gauger.prepare(homes, key="home_id", features=["east_km", "north_km"], scale="none")
    radii = gauger.study_radius(indices)
    part = gauger.prepare(behaviour.head(300), key="member_id", features=FEATURES)
    weekly = gauger.read_table(gauger.demo_file("weekly_admissions.csv"))
    weeks = gauger.pivot_series(weekly, entity="house", period="week", value="admissions", missing="interpolate")
    series = gauger.prepare(weeks, key="house", scale="none")
    houses = gauger.build_tree(series, linkage="average", metric="dtw_zscored", optimal_order=True)
    tree = gauger.build_tree(demo_features)
    return {
        "bubbles": lambda: draw.profile_bubbles(profile),
        "bubbles of customers": lambda: draw.profile_bubbles(profile, "visits", "age", "customers"),
        "boxes": lambda: draw.segment_boxes(seg),
        "violins": lambda: draw.segment_boxes(seg, ["age", "visits"], table=members, kind="violin"),
        "campaign": lambda: draw.campaign_outcome(came),
        "components": lambda: draw.component_scatter(seg, outline="ellipse"),
        "correlations": lambda: draw.correlations(behaviour, "member_id"),
        "counts": lambda: draw.count_study(demo_study),
        "dendrogram": lambda: draw.dendrogram(tree),
        "distributions": lambda: draw.distributions(behaviour, "member_id"),
        "feature tree": lambda: draw.feature_tree(gauger.build_tree(demo_features, of="features")),
        "flow to the panel": lambda: draw.flow(gauger.compare(seg, panel)),
        "flow to bands": lambda: draw.flow(gauger.compare(seg, bands, resamples=0)),
        "heat": lambda: draw.profile_heat(profile),
        "dendrogram of houses": lambda: draw.dendrogram(houses, count=4),
        "houses": lambda: draw.category_shares(profile, "home_house"),
        "index": lambda: draw.profile_heat(profile, "index"),
        "jumps": lambda: draw.merge_jumps(tree),
        "levels": lambda: draw.density_levels(gauger.segment_by_density_levels(indices, 50)),
        "lines": lambda: draw.profile_lines(profile),
        "linkages": lambda: draw.linkage_study(gauger.study_linkages(part)),
        "map": lambda: draw.segment_map(seg, members),
        "metrics": lambda: draw.metric_study(gauger.study_metrics(part)),
        "moves": lambda: draw.migration_flow(moves),
        "neighbours": lambda: draw.neighbour_distances(radii),
        "pairs": lambda: draw.pair_grid(seg),
        "profile": lambda: draw.profile_bars(profile),
        "radii": lambda: draw.radius_study(radii),
        "iterations": lambda: draw.iteration_history(seg),
        "scatter": lambda: draw.scatter(seg, outline="hull"),
        "series": lambda: draw.series_panels(houses.cut(count=4)),
        "shares": lambda: draw.category_shares(profile),
        "side by side": lambda: draw.side_by_side(gauger.compare(seg, bands, resamples=0)),
        "silhouettes": lambda: draw.silhouette_diagrams(demo_study),
        "silhouettes beside": lambda: draw.silhouettes_and_scatter(seg),
        "splits": lambda: draw.segment_splits(demo_study),
        "spread": lambda: draw.segment_spread(seg),
        "treatments": lambda: draw.treatments(demo_features),
    }


@pytest.mark.slow
@pytest.mark.parametrize("name", DEMO_FIGURES)
def test_no_text_of_a_demo_figure_overprints_another(demo: Named, name: str) -> None:
    assert _faults(demo[name]()) == []


@pytest.mark.slow
def test_every_public_figure_is_among_those_looked_at(demo: Named) -> None:
    assert tuple(demo) == DEMO_FIGURES
    used = {name for make in demo.values() for name in make.__code__.co_names}
    assert set(draw.__all__) - {"describe"} <= used


@pytest.fixture(scope="module")
def many(request: pytest.FixtureRequest) -> Named:
    """Figures of so many segments, features and customers."""
    segments, features, customers = request.param
    rng = np.random.default_rng(segments * features)
    codes = rng.integers(0, segments, customers)
    values = rng.normal(0.0, 4.0, (segments, features))[codes] + rng.normal(size=(customers, features))
    names = [f"{'share_kind' if index % 2 else 'weekly'}_measure_{index}" for index in range(features)]
    table = pd.DataFrame(values, columns=names).assign(who=np.arange(customers))
    table["town"] = rng.choice(["Ardick", "Ardmer", "Belath"], customers)
    table["east_km"], table["north_km"] = rng.normal(0.0, 9.0, (2, customers))
    prepared = gauger.prepare(table, key="who", features=names)
    seg = segmentation_from_codes(prepared, codes + 1, method="by hand")
    seg = seg.rename(
        {number: f"many {names[number % features]}, few of all that is {number}" for number in seg.numbers}
    )
    profile = gauger.profile(seg, table, resamples=0)
    return {
        "scatter": lambda: draw.scatter(seg),
        "components": lambda: draw.component_scatter(seg),
        "bubbles": lambda: draw.profile_bubbles(profile),
        "heat": lambda: draw.profile_heat(profile),
        "lines": lambda: draw.profile_lines(profile),
        "profile": lambda: draw.profile_bars(profile),
        "boxes": lambda: draw.segment_boxes(seg),
        "spread": lambda: draw.segment_spread(seg),
        "pairs": lambda: draw.pair_grid(seg),
        "shares": lambda: draw.category_shares(profile),
        "map": lambda: draw.segment_map(seg, table),
        "flow": lambda: draw.flow(gauger.compare(seg, table.set_index("who")["town"])),
        "silhouettes": lambda: draw.silhouettes_and_scatter(seg),
    }


@pytest.mark.slow
@pytest.mark.parametrize(
    ("many", "name"),
    [
        *(((2, 2, 300), name) for name in MANY_FIGURES[:4]),
        *(pytest.param((2, 2, 300), name, marks=pytest.mark.slow) for name in MANY_FIGURES[4:]),
        *(pytest.param((12, 20, 3_000), name, marks=pytest.mark.slow) for name in MANY_FIGURES),
        *(pytest.param((12, 20, MOST_POINTS + 10_000), name, marks=pytest.mark.slow) for name in SHADED),
    ],
    indirect=["many"],
)
def test_figures_stay_readable_with_few_and_many_segments_and_features(many: Named, name: str) -> None:
    assert set(many) == set(MANY_FIGURES)
    assert _faults(many[name]()) == []
