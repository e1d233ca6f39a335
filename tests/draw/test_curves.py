"""Axes follow a feature's transform, colours stay from count to count, labels in a crowd shrink and stay apart."""

from itertools import combinations, pairwise

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.draw.curves import curve_of, even_steps

RNG = np.random.default_rng(6)
N = 120


def _segments(transform: str, n: int = N) -> gauger.Segmentation:
    group = RNG.integers(0, 2, n)
    table = pd.DataFrame(
        {"who": range(n), "visits": np.exp(RNG.normal(1.0 + 3.0 * group, 0.5)), "age": RNG.normal(40.0, 9.0, n)}
    )
    return gauger.segment_by_kmeans(gauger.prepare(table, key="who", transform={"visits": transform}), 2, starts=2)


@pytest.mark.slow
@pytest.mark.parametrize("transform", ["log", "signed_log", "sqrt", "power"])
def test_an_axis_has_the_scale_of_its_features_transform(transform: str) -> None:
    seg = _segments(transform)
    for figure in (gauger.draw.scatter(seg, "visits", "age", outline="ellipse"), gauger.draw.pair_grid(seg)):
        figure.canvas.draw()
    (axes,) = gauger.draw.scatter(seg, "visits", "age").axes
    assert (axes.get_xscale(), axes.get_yscale()) == ("function", "linear")
    values = np.array([0.0, 1.0, 10.0, 100.0])
    placed = axes.transData.transform(np.column_stack([values, np.full(4, 40.0)]))[:, 0]
    steps = [step for step in seg.features.treatments["visits"] if hasattr(step, "exponent") or hasattr(step, "rule")]
    curve = next(step for step in steps if type(step).__name__ in ("Transform", "Power")).apply(values)
    np.testing.assert_allclose(np.diff(placed) / np.diff(placed).sum(), np.diff(curve) / np.diff(curve).sum())
    ticks = axes.get_xticks()
    labels = [label.get_text() for label in axes.get_xticklabels()]
    assert [float(label.replace(",", "")) for label in labels] == pytest.approx(ticks.tolist())
    assert len(ticks) >= 3


def test_points_keep_original_units_and_boxes_and_violins_follow_too() -> None:
    seg = _segments("log")
    (axes,) = gauger.draw.scatter(seg, "visits", "age").axes
    drawn = np.concatenate([points.get_offsets() for points in axes.collections[:2]])
    assert sorted(drawn[:, 0]) == pytest.approx(sorted(seg.features.original["visits"]))
    for kind in ("box", "violin"):
        scales = [axes.get_xscale() for axes in gauger.draw.segment_boxes(seg, kind=kind).axes]
        assert scales == ["function", "linear"]


@pytest.mark.slow
def test_shading_of_very_many_follows_the_axis() -> None:
    seg = _segments("log", 20_500)
    figure = gauger.draw.scatter(seg, "visits", "age")
    figure.canvas.draw()
    assert figure.axes[0].get_xscale() == "function"


def test_steps_are_even_where_they_stand_on_the_axis() -> None:
    seg = _segments("log")
    curve = curve_of(seg.features, "visits")
    assert np.diff(np.log1p(even_steps(curve, (0.0, 99.0), 4))) == pytest.approx(np.full(4, np.log(100.0) / 4))
    assert curve_of(seg.features, "age") is None


def test_a_segment_keeps_its_colour_from_count_to_count() -> None:
    values = np.concatenate([RNG.normal(at, 0.4, size) for at, size in ((0.0, 50), (10.0, 40), (20.0, 30), (30.0, 20))])
    table = pd.DataFrame({"who": range(len(values)), "visits": values})
    study = gauger.study_counts(gauger.prepare(table, key="who"), counts=range(1, 7), references=2, resamples=2)
    (axes,) = gauger.draw.segment_splits(study, [2, 3, 4, 5]).axes
    columns: dict[float, list[tuple[float, tuple[float, ...]]]] = {}
    for box in axes.patches:
        if hasattr(box, "get_xy") and hasattr(box, "get_width"):
            columns.setdefault(round(box.get_x(), 3), []).append((box.get_height(), box.get_facecolor()))
    colours = [{colour for _, colour in boxes} for _, boxes in sorted(columns.items())]
    for before, after in pairwise(colours):
        assert before <= after, "a colour of a segment went away"
        assert len(after) == len(before) + 1
    from gauger.appearance import segment_colour

    four = study.segmentations[4]
    shown = {round(height, 4): colour for height, colour in columns[2.0]}
    scale = sum(shown)
    for number in four.numbers:
        share = four.sizes[number] / len(values) * scale
        nearest = min(shown, key=lambda height: abs(height - share))
        from matplotlib.colors import to_rgba

        assert shown[nearest] == to_rgba(segment_colour(int(number)))


@pytest.mark.slow
def test_labels_in_a_crowd_never_cover_each_other() -> None:
    centres = RNG.normal(0.0, 0.02, (14, 2))
    table = pd.DataFrame(np.repeat(centres, 5, axis=0), columns=["x", "y"]).assign(who=range(70))
    features = gauger.prepare(table, key="who", scale="none")
    given = pd.DataFrame({"who": range(70), "segment": np.repeat(np.arange(1, 15), 5)})
    given["segment_name"] = "a rather long name " + given["segment"].astype(str)
    seg = gauger.segmentation_from_assignments(features, given, method="a file")
    figure = gauger.draw.scatter(seg)
    figure.canvas.draw()
    boxes = [text.get_window_extent() for text in figure.axes[0].texts]
    assert not any(one.overlaps(other) for one, other in combinations(boxes, 2))
