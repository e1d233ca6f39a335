"""Measuring: intervals against published figures, planted effects, and what cannot be said."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.algorithms.statistics.intervals import LEVEL, difference_of_means, newcombe, wilson
from gauger.errors import ColumnValuesError, KeyColumnError, MissingFileError, ModelFileError, SettingError


@pytest.mark.parametrize(
    ("counts", "interval"),
    [
        ((56, 70, 48, 80), (0.0524, 0.3339)),
        ((9, 10, 3, 10), (0.1705, 0.8090)),
        ((6, 7, 2, 7), (0.0582, 0.8062)),
        ((5, 56, 0, 29), (-0.0381, 0.1926)),
        ((0, 10, 0, 20), (-0.1611, 0.2775)),
        ((10, 10, 0, 20), (0.6791, 1.0)),
    ],
)
def test_intervals_are_those_of_newcombe_1998(counts: tuple[int, int, int, int], interval: tuple[float, float]) -> None:
    """Table II, method 10."""
    assert newcombe(*counts) == pytest.approx(interval, abs=5e-5)


def test_the_score_interval_is_wilsons() -> None:
    assert wilson(81, 263) == pytest.approx(
        (0.2553, 0.3662), abs=5e-5
    )  # Newcombe (1998), Statistics in Medicine 17, 857
    assert wilson(0, 20) == pytest.approx((0.0, 0.1611), abs=5e-5)


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory, demo_segments: gauger.Segmentation, members: pd.DataFrame) -> Path:
    made = tmp_path_factory.mktemp("campaign") / "spring"
    gauger.hand_off(demo_segments, members, made, campaign="spring", holdout=0.3)
    return made


def _outcomes(folder: Path, segment: int, seed: int) -> pd.DataFrame:
    arms = gauger.read_table(folder / "arms.csv")
    planted = (arms["segment"] == segment) & (arms["arm"] == "contacted")
    rng = np.random.default_rng(seed)
    yes = rng.random(len(arms)) < np.where(planted, 0.28, 0.06)
    return pd.DataFrame({"member_id": arms["member_id"], "responded": yes.astype(int), "spent": yes * 20.0})


@pytest.mark.slow
def test_a_planted_uplift_is_found_and_only_it(folder: Path) -> None:
    found = gauger.measure(folder / "manifest.json", _outcomes(folder, 2, seed=4), value="spent")
    readings = found.table["reading"].drop("all")
    assert readings[readings == "more"].index.tolist() == [2]
    row = found.table.loc[2]
    assert row["low"] < 0.22 < row["high"]
    assert row["uplift"] == pytest.approx(row["response"] - row["holdout_response"])
    assert row["value_uplift"] == pytest.approx(20.0 * row["uplift"])
    assert row["gained"] == pytest.approx(row["value_uplift"] * row["contacted"])
    assert "more response by the campaign in segment 2" in found.headline()
    assert "no segment" not in found.headline()
    whole = found.table.loc["all"]  # of single segments fewer than 20 of those held out bought
    assert whole["value_low"] < whole["value_uplift"] < whole["value_high"]
    assert set(found.table["value_reading"].drop("all")) == {"too small to say"}


@pytest.mark.slow
def test_without_an_effect_intervals_cover_zero_nineteen_times_in_twenty(folder: Path) -> None:
    tables = [gauger.measure(folder, _outcomes(folder, 0, seed)).table for seed in range(60)]
    covered = [
        row["low"] <= 0.0 <= row["high"] for table in tables for row in table.drop(index="all").to_dict("records")
    ]
    assert 0.97 <= np.mean(covered) <= 1.0
    clear = [
        all(row["low"] <= 0.0 <= row["high"] for row in table.drop(index="all").to_dict("records")) for table in tables
    ]
    assert np.mean(clear) >= 0.9
    words = gauger.measure(folder, _outcomes(folder, 0, 0)).headline()
    assert words.endswith("of no segment can it be said whether the campaign did anything")
    title = gauger.draw.campaign_outcome(gauger.measure(folder, _outcomes(folder, 0, 0))).get_suptitle()
    assert title == "spring: of no segment can it be said whether the campaign did anything"


@pytest.mark.slow
@pytest.mark.parametrize(("contacted", "held"), [(9, 1), (1, 1)])
def test_intervals_of_values_hold_the_truth_as_often_as_they_say(
    contacted: int, held: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gauger.algorithms.statistics.intervals._DRAWS", 2_000)
    rng = np.random.default_rng(contacted)
    inside = []
    for _ in range(200):
        arms = []
        for size, share in ((600 * contacted, 0.06), (600 * held, 0.05)):
            arms.append(np.where(rng.random(size) < share, rng.lognormal(3.0, 1.0, size), 0.0))
        low, high = difference_of_means(arms[0], arms[1], LEVEL, rng)
        if not np.isnan(low):
            inside.append(low <= 0.01 * np.exp(3.5) <= high)
    assert len(inside) > 180
    assert 0.91 <= np.mean(inside) <= 0.99


def test_few_buyers_and_negative_values_have_no_interval() -> None:
    rng = np.random.default_rng(0)
    many, few = np.where(rng.random(900) < 0.1, 20.0, 0.0), np.where(np.arange(300) < 19, 20.0, 0.0)
    assert np.isnan(difference_of_means(many, few, LEVEL, rng)).all()
    assert np.isnan(difference_of_means(many, -many, LEVEL, rng)).all()
    low, high = difference_of_means(many, many, LEVEL, rng)  # the same value from each: only shares differ
    assert low < 0.0 < high


def test_who_is_not_in_the_outcomes_did_not_respond(folder: Path) -> None:
    whole = _outcomes(folder, 2, seed=4)
    part = gauger.measure(folder, whole[whole["responded"] == 1][::-1])
    pd.testing.assert_frame_equal(part.table, gauger.measure(folder, whole).table)
    strangers = pd.concat([whole, pd.DataFrame({"member_id": ["X1"], "responded": [1]})])
    assert "outcomes-of-others" in [remark.code for remark in gauger.measure(folder, strangers).remarks]


def test_segments_too_small_are_said_to_be(tmp_path: Path) -> None:
    keys = [f"c{at:03d}" for at in range(220)]
    codes = pd.DataFrame({"who": keys, "segment": np.repeat([1, 2], [200, 20])})
    people = pd.DataFrame({"who": keys, "consent_email": 1, "email": [f"{key}@example.org" for key in keys]})
    gauger.hand_off(codes, people, tmp_path / "out", campaign="x", holdout=0.2)
    found = gauger.measure(tmp_path / "out", pd.DataFrame({"who": keys[::4], "responded": "yes"}))
    assert found.table.loc[2, "reading"] == "too small to say"
    assert "too few customers or responses to say anything of segment 2" in str(found.remarks[0])
    figure = gauger.draw.campaign_outcome(found)
    assert "too small to say" in [text.get_text() for text in figure.axes[1].texts]


@pytest.mark.slow
def test_the_figure_shows_each_difference_with_its_interval(folder: Path) -> None:
    found = gauger.measure(folder, _outcomes(folder, 2, seed=4))
    figure = gauger.draw.campaign_outcome(found)
    _, right = figure.axes
    ends = [tuple(line.get_xdata()) for line in right.lines if len(line.get_xdata()) == 2 and line.get_linewidth() > 2]
    np.testing.assert_allclose(ends, 100.0 * found.table[["low", "high"]].to_numpy())
    assert figure.get_suptitle().startswith("spring: +")


def test_what_cannot_be_measured_is_refused(folder: Path, tmp_path: Path) -> None:
    whole = _outcomes(folder, 2, seed=4)
    with pytest.raises(MissingFileError):
        gauger.measure(tmp_path / "nowhere", whole)
    (tmp_path / "manifest.json").write_text("{")
    with pytest.raises(ModelFileError, match="cannot be read as a manifest"):
        gauger.measure(tmp_path, whole)
    (tmp_path / "manifest.json").write_text((folder / "manifest.json").read_text())
    with pytest.raises(ModelFileError, match="without it nobody knows who was held out"):
        gauger.measure(tmp_path, whole)
    with pytest.raises(KeyColumnError):
        gauger.measure(folder, pd.concat([whole, whole]))
    with pytest.raises(ColumnValuesError, match="must say yes or no"):
        gauger.measure(folder, whole.assign(responded="soon"))
    with pytest.raises(ColumnValuesError, match="must hold numbers"):
        gauger.measure(folder, whole.assign(spent="much"), value="spent")
    with pytest.raises(KeyError, match="written the same way"):
        gauger.measure(folder, whole.assign(member_id=whole["member_id"] + "x"))
    codes = pd.DataFrame({"who": ["a"], "segment": [1]})
    people = pd.DataFrame({"who": ["a"], "consent_email": [1], "email": ["a@example.org"]})
    gauger.hand_off(codes, people, tmp_path / "none", campaign="x", holdout=0.0)
    with pytest.raises(SettingError, match="nobody was held out"):
        gauger.measure(tmp_path / "none", pd.DataFrame({"who": ["a"], "responded": [1]}))


def test_segments_share_one_level_and_everyone_has_it_alone(folder: Path) -> None:
    """Of six segments each leaves out a sixth of 5 %, so that all hold together; that of everyone leaves out 5 %."""
    outcomes = _outcomes(folder, 2, seed=4)
    table = gauger.measure(folder, outcomes, value="spent").table
    arms = gauger.read_table(folder / "arms.csv").merge(outcomes, on="member_id")
    for label, row in table.iterrows():
        own = arms if label == "all" else arms[arms["segment"] == label]
        counts = [
            int(count)
            for arm in ("contacted", "holdout")
            for count in ((own[own["arm"] == arm]["responded"]).sum(), (own["arm"] == arm).sum())
        ]
        level = LEVEL if label == "all" else LEVEL / 6
        assert (row["low"], row["high"]) == pytest.approx(newcombe(*counts, level))
        assert (row["contacted"], row["holdout"]) == (counts[1], counts[3])
        assert row["response"] == pytest.approx(counts[0] / counts[1])
        assert row["value"] == pytest.approx(own[own["arm"] == "contacted"]["spent"].mean())
        assert row["holdout_value"] == pytest.approx(own[own["arm"] == "holdout"]["spent"].mean())
        assert row["gained"] == pytest.approx((row["value"] - row["holdout_value"]) * row["contacted"])


def test_a_missing_value_is_worth_nothing(folder: Path) -> None:
    outcomes = _outcomes(folder, 2, seed=4)
    gaps = outcomes.assign(spent=outcomes["spent"].where(outcomes["spent"] > 0.0))
    pd.testing.assert_frame_equal(
        gauger.measure(folder, gaps, value="spent").table, gauger.measure(folder, outcomes, value="spent").table
    )


def test_without_outcomes_nobody_responded(folder: Path) -> None:
    nobody = gauger.measure(folder, pd.DataFrame({"member_id": [], "responded": []}))
    assert (nobody.table[["response", "holdout_response", "uplift"]] == 0.0).all(axis=None)
    assert set(nobody.table["reading"]) == {"too small to say"}
