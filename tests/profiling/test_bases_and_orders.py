"""Shares with what they are of, levels in their order, an index only where it says something, names that are true."""

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError, UnknownColumnError

RNG = np.random.default_rng(4)
N = 300
GROUP = np.repeat([0, 1, 2], N // 3)
TABLE = pd.DataFrame(
    {
        "who": range(N),
        "orders": RNG.poisson(3 + 25 * (GROUP == 1)),
        "spend_total": RNG.gamma(9.0, 4.0, N) + 100.0 * (GROUP == 2),
        "trend": RNG.normal(0.02, 1.0, N) + 0.5 * (GROUP == 0),
        "income": np.where(RNG.random(N) < 0.08, RNG.choice(["under 15K", "15-99K", "100K+"], N), None),
        "mood": RNG.choice(["low", "middle", "high"], N),
    }
)


@pytest.fixture(scope="module")
def seg() -> gauger.Segmentation:
    return gauger.segment_by_kmeans(gauger.prepare(TABLE, key="who", features=["orders", "spend_total"]), 3, starts=3)


@pytest.fixture(scope="module")
def profile(seg: gauger.Segmentation) -> gauger.Profile:
    return gauger.profile(seg, TABLE, ordered={"mood": ["low", "middle", "high"]}, resamples=2)


def test_what_shares_are_of_is_counted_and_few_are_not_shared(
    profile: gauger.Profile, seg: gauger.Segmentation
) -> None:
    known = TABLE["income"].notna().to_numpy()
    for number in (1, 2, 3):
        own = known & (seg.codes == number)
        assert profile.known[number]["income"] == own.sum()
        rich = int((TABLE["income"][own] == "100K+").sum())
        assert profile.share_in_words("income", "100K+", number) == f"{rich} of {own.sum()}"
    assert profile.share_in_words("mood", "low", 1).endswith("%")
    words = " ".join(profile.in_words(number) for number in (1, 2, 3))
    assert "income" not in words


def test_no_title_speaks_of_a_share_of_few(profile: gauger.Profile) -> None:
    figure = gauger.draw.category_shares(profile, "income")
    assert "%" not in figure.get_suptitle()
    texts = [text.get_text() for text in figure.axes[0].texts]
    assert not any("%" in text for text in texts[: len(texts) // 2])
    assert any("known" in label.get_text() for label in figure.axes[0].get_yticklabels())


def test_levels_stand_in_their_order(profile: gauger.Profile, seg: gauger.Segmentation) -> None:
    levels = profile.categories.index.to_frame()
    assert levels.loc[levels["column"] == "income", "level"].tolist() == ["under 15K", "15-99K", "100K+"]
    assert levels.loc[levels["column"] == "mood", "level"].tolist() == ["low", "middle", "high"]
    assert profile.ordered == {"income": "numbers", "mood": "given"}
    crossing = gauger.compare(seg, TABLE.set_index("who")["income"]).crossing
    assert crossing.columns.tolist()[:3] == ["under 15K", "15-99K", "100K+"]
    for ordered, error in (({"mod": ["a"]}, UnknownColumnError), ({"mood": ["a", "b"]}, SettingError)):
        with pytest.raises(error, match=r"mo+d"):
            gauger.profile(seg, TABLE, ordered=ordered, resamples=0)


def test_an_index_is_given_where_everyones_mean_is_clear_of_zero(profile: gauger.Profile) -> None:
    assert profile.index[["orders", "spend_total"]].notna().all(axis=None)
    assert profile.index["trend"].isna().all()
    assert profile.differences.columns.tolist() == ["trend"]
    expected = profile.means["trend"] - TABLE["trend"].mean()
    np.testing.assert_allclose(profile.differences["trend"], expected)


def test_names_say_few_of_counts_and_spend_of_what(profile: gauger.Profile) -> None:
    names = " | ".join(profile.suggested_names.values())
    assert "many orders" in names
    assert "high spend in all" in names
    assert "low orders" not in names


def test_a_name_says_nothing_that_is_false_of_the_median() -> None:
    """Three customers lift the second segment's mean spend above everyone's; its median is below."""
    spend = np.concatenate([np.full(60, 20.0), np.full(37, 10.0), np.full(3, 2_000.0)])
    table = pd.DataFrame({"who": range(100), "visits": np.repeat([2.0, 30.0], [60, 40]), "spend": spend})
    features = gauger.prepare(table, key="who", scale={"visits": "zscore", "spend": "none"})
    given = pd.DataFrame({"who": range(100), "segment": np.repeat([1, 2], [60, 40])})
    seg = gauger.segmentation_from_assignments(features, given, method="a file")
    found = gauger.profile(seg, resamples=0)
    assert found.means.loc[2, "spend"] > found.means.loc[1, "spend"]
    assert "high spend" not in found.suggested_names[2]


def test_a_known_column_is_told_by_v_and_what_one_would_guess(seg: gauger.Segmentation) -> None:
    said = pd.Series(np.where(RNG.random(N) < 0.9, GROUP, 2 - GROUP).astype(str), index=TABLE["who"], name="said")
    found = gauger.compare(seg, said)
    assert found.association.customers == N
    assert found.association.low < found.association.cramers_v < found.association.high
    table = pd.crosstab(seg.codes, said.to_numpy())
    assert found.association.guessed == pytest.approx(table.max(axis=1).sum() / N)
    assert found.association.guessed_without == pytest.approx(table.sum().max() / N)
    assert found.answer.startswith("From the segment alone one would guess said right for ")
    assert "agree" not in found.headline()
    again = gauger.compare(seg, said)
    assert again.association == found.association
    assert gauger.compare(seg, seg.assignments).association is None


def test_scores_of_bands_are_numbered_from_the_best() -> None:
    features = gauger.prepare(TABLE, key="who", features=["orders", "spend_total"])
    seg = gauger.segment_by_bands(features, {"orders": 3, "spend_total": 3}, combine="score")
    scores = seg.assignments.groupby("segment")["score"].first()
    assert scores.tolist() == sorted(scores, reverse=True)
    assert seg.names[1] == f"score {scores[1]}"
