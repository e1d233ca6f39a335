"""Figures in words, and what they say of whoever is segmented."""

import numpy as np
import pandas as pd
import pytest
from matplotlib.figure import Figure

import gauger
from gauger.wording import Noun


@pytest.fixture(scope="module")
def table() -> pd.DataFrame:
    rng = np.random.default_rng(2)
    group = np.arange(90) % 3
    return pd.DataFrame(
        {
            "house_id": np.arange(90),
            "seats": np.round(rng.normal(10.0 + 30.0 * (group == 1), 1.0), 2),
            "films": np.round(rng.normal(5.0 + 20.0 * (group == 2), 1.0), 2),
            "town": np.array(["north", "south", "coast"])[group],
        }
    )


@pytest.fixture(scope="module")
def seg(table: pd.DataFrame) -> gauger.Segmentation:
    return gauger.segment_by_kmeans(gauger.prepare(table, key="house_id"), 3)


def test_a_description_has_the_finding_the_form_axes_and_words(seg: gauger.Segmentation) -> None:
    figure = gauger.draw.scatter(seg)
    told = gauger.draw.describe(figure)
    assert told.startswith("3 segments of 90 houses by seats and films, the largest with 33%.")
    assert "A cloud of points, one for each of the houses" in told
    across = figure.axes[0].get_xlim()
    low, high = (float(part.replace("−", "-")) for part in _between(told, "Across, seats from ", ";").split(" to "))
    assert across[0] <= low < high <= across[1]
    assert "segment 1 (30)" in told
    assert gauger.draw.describe(figure) == told


def _between(text: str, before: str, after: str) -> str:
    return text.split(before)[1].split(after)[0]


def test_panels_are_told_one_by_one_and_bars_with_their_values(seg: gauger.Segmentation, table: pd.DataFrame) -> None:
    profile = gauger.profile(seg, table, resamples=0)
    told = gauger.draw.describe(gauger.draw.profile_bars(profile))
    means = profile.means["seats"].drop("everyone")
    for mean in means:
        assert f"{mean:.1f}" in told
    assert "the dashed line is everyone's mean" in told
    assert "segment 1, segment 2 and segment 3" in told


def test_what_data_hold_is_told_without_signs_that_nobody_sees() -> None:
    table = pd.DataFrame({"who": range(9), "a\x1b[31m\u202e": [1, 2, 3, 21, 22, 23, 41, 42, 43], "b": range(9)})
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 3)
    told = gauger.draw.describe(gauger.draw.scatter(seg))
    assert "\\x1b[31m\\u202e" in told
    assert not {"\x1b", "\u202e"} & set(told)


def test_a_figure_of_somebody_else_is_told_by_its_axes() -> None:
    figure = Figure()
    axes = figure.subplots()
    axes.plot([0, 10], [0, 5])
    axes.set_xlabel("weeks")
    assert gauger.draw.describe(figure).startswith("Across, weeks from 0 to 10")


def test_values_stand_in_a_column_of_their_own_right_of_every_bar_and_line(seg: gauger.Segmentation) -> None:
    figure = gauger.draw.profile_bars(gauger.profile(seg, resamples=0))
    figure.draw_without_rendering()
    for axes in figure.axes:
        ends = [bar.get_window_extent().x1 for bar in axes.patches]
        ends += [axes.transData.transform((line.get_xdata()[0], 0.0))[0] for line in axes.lines]
        assert all(text.get_window_extent().x0 > max(ends) for text in axes.texts)


@pytest.mark.slow
@pytest.mark.parametrize("count", range(1, 17))
def test_no_place_of_a_figure_of_panels_stays_empty(count: int) -> None:
    from gauger.draw.panels import panels_for, rows_of

    figure = Figure()
    rows = rows_of(count)
    panels = panels_for(figure, rows)
    assert sum(rows) == len(panels) == count
    assert max(rows) - min(rows) <= 1
    assert sum(first for _, first in panels) == len(rows)
    spans = [axes.get_subplotspec() for axes, _ in panels]
    filled = sum((span.colspan.stop - span.colspan.start) for span in spans)
    assert filled == len(rows) * spans[0].get_gridspec().ncols


@pytest.mark.parametrize(
    ("key", "one", "many"),
    [
        ("house_id", "house", "houses"),
        ("HouseholdNo", "household", "households"),
        ("MEMBERS", "member", "members"),
        ("company", "company", "companies"),
        ("store branch code", "branch", "branches"),
        ("person_ref", "person", "people"),
        ("email", "customer", "customers"),
        ("id", "customer", "customers"),
        ("kunde_nr", "customer", "customers"),
    ],
)
def test_the_noun_comes_from_the_key(key: str, one: str, many: str) -> None:
    assert Noun.of_key(key) == Noun(one, many)


@pytest.mark.slow
def test_a_noun_that_is_given_wins_everywhere_and_names_of_data_stay(table: pd.DataFrame) -> None:
    table = table.rename(columns={"films": "customers per day"}).assign(flat=1.0)
    features = gauger.prepare(table, key="house_id", noun="cinema", features=["seats", "customers per day", "flat"])
    seg = gauger.segment_by_kmeans(features, 3)
    assert seg.headline().startswith("3 segments of 90 cinemas")
    assert (
        "seats and customers per day"
        in gauger.draw.scatter(
            gauger.segment_by_kmeans(gauger.prepare(table, key="house_id", features=["seats", "customers per day"]), 3)
        ).get_suptitle()
    )
    said = [remark.text for remark in (*features.remarks, *gauger.profile(seg, resamples=2).remarks)]
    assert not any("customer" in text.replace("customers per day", "") for text in said)
    advice = gauger.study_counts(features, counts=(1, 2, 3), references=2, resamples=2).advice
    assert "cinemas" in " ".join(advice.reasons)
    with pytest.raises(gauger.errors.SettingError, match="must be a word"):
        gauger.prepare(table, key="house_id", features=["seats"], noun=" ")
