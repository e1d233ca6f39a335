"""Rules that tell a segment from the rest, on tables whose best rule is plain to see."""

import numpy as np
import pandas as pd
import pytest

from gauger.profiling.short_rules import _Cuts, rules_of


def _rules(measures: dict[str, object], codes: list[int], scores: dict[str, list[float]] | None = None) -> pd.DataFrame:
    table = pd.DataFrame(measures)
    count = max(codes)
    own = pd.DataFrame(scores or {name: [1.0] * count for name in table}, index=range(1, count + 1))
    return rules_of(table, np.array(codes), own)


def test_one_threshold_that_parts_two_segments_is_the_whole_rule() -> None:
    found = _rules({"visits": [*range(10), *range(50, 60)]}, [1] * 10 + [2] * 10)
    assert found["rule"].tolist() == ["visits <= 9", "visits >= 50"]
    assert found["matching"].tolist() == [10, 10]
    assert found["share_of_segment"].tolist() == found["share_of_matching"].tolist() == [1.0, 1.0]


def test_a_segment_in_the_middle_needs_both_ends() -> None:
    found = _rules({"visits": list(range(90))}, [1] * 30 + [2] * 30 + [3] * 30)
    assert set(found["rule"][2].split(" and ")) == {"visits >= 30", "visits <= 59"}
    assert found.loc[2, "matching"] == 30
    assert found.loc[2, "share_of_matching"] == 1.0


def test_a_corner_of_two_features_needs_both() -> None:
    visits, basket = np.divmod(np.arange(400), 20)
    codes = np.where((visits >= 10) & (basket < 5), 1, 2)
    found = _rules({"visits": visits, "basket": basket}, codes.tolist())
    assert set(found["rule"][1].split(" and ")) == {"visits >= 10", "basket <= 4"}
    assert found.loc[1, "share_of_segment"] == found.loc[1, "share_of_matching"] == 1.0


@pytest.mark.parametrize(("wrong", "conditions"), [(1, 1), (4, 2)])
def test_a_further_condition_must_add_a_hundredth(wrong: int, conditions: int) -> None:
    """100 of segment 1 have visits >= 1, and so have a few of the others, whom `basket` tells apart.

    The first condition is worth 200 / (200 + wrong): with 1 wrong the second adds 0.005, with 4 it adds 0.02.
    """
    visits = [1] * (100 + wrong) + [0] * 100
    basket = [1] * 100 + [0] * wrong + [0, 1] * 50
    found = _rules({"visits": visits, "basket": basket}, [1] * 100 + [2] * (wrong + 100))
    assert len(found["rule"][1].split(" and ")) == conditions
    assert found.loc[1, "matching"] == 100 + (wrong if conditions == 1 else 0)


def test_no_rule_has_more_than_three_conditions() -> None:
    grid = np.stack(np.meshgrid(*[np.arange(2)] * 5, indexing="ij"), axis=-1).reshape(-1, 5).repeat(9, axis=0)
    codes = np.where(grid.all(axis=1), 1, 2)
    found = _rules({f"f{at}": grid[:, at] for at in range(5)}, codes.tolist())
    assert len(found["rule"][1].split(" and ")) == 3


def test_only_the_twelve_features_that_differ_most_are_asked() -> None:
    rng = np.random.default_rng(0)
    codes = [1] * 30 + [2] * 30
    measures = {f"noise{at:02}": rng.normal(size=60) for at in range(12)} | {"visits": np.array(codes) * 5.0}
    scores = {name: [1.0, -1.0] for name in measures}
    assert "visits" not in _rules(measures, codes, scores | {"visits": [0.5, -0.5]})["rule"][1]
    assert _rules(measures, codes, scores | {"visits": [-2.0, 2.0]})["rule"][1] == "visits <= 5"


def test_whole_numbers_are_cut_at_whole_numbers_and_others_at_round_ones() -> None:
    codes = [1] * 40 + [2] * 40
    small = np.concatenate([np.linspace(0.0, 0.37, 40), np.linspace(0.62, 0.99, 40)])
    found = _rules({"share": small}, codes)
    assert found["rule"].tolist() == ["share <= 0.37", "share >= 0.62"]
    large = (small * 1_000_000.0).round()
    threshold = float(_rules({"spend": large}, codes)["rule"][1].split()[-1])
    assert threshold % 1_000.0 == 0.0
    assert 370_000.0 <= threshold < 620_000.0
    few = _rules({"seats": np.repeat([1, 2], 40)}, codes)
    assert few["rule"].tolist() == ["seats <= 1", "seats >= 2"]


def test_gaps_match_no_condition() -> None:
    found = _rules({"visits": [1.0] * 20 + [np.nan] * 10 + [9.0] * 30}, [1] * 30 + [2] * 30)
    assert found.loc[1, "matching"] == 20
    assert found.loc[1, "share_of_segment"] == pytest.approx(2 / 3)
    assert found.loc[1, "share_of_matching"] == 1.0


def test_a_segment_of_everyone_or_without_values_has_no_condition() -> None:
    assert _rules({"visits": [1.0, 2.0]}, [1, 1]).iloc[0].tolist() == ["everyone", 2, 1.0, 1.0]
    nothing = _rules({"visits": [np.nan] * 4}, [1, 1, 2, 2])
    assert nothing["rule"].tolist() == ["everyone", "everyone"]
    assert nothing["share_of_matching"].tolist() == [0.5, 0.5]


@pytest.mark.parametrize(("stray", "conditions"), [(2, 1), (3, 2)])
def test_a_further_condition_must_add_a_hundredth_to_the_worth(stray: int, conditions: int) -> None:
    """A hundred of a segment come often; of the others so many come as often, and of those all but none spend."""
    visits = np.array([9.0] * 100 + [9.0] * stray + [1.0] * 97)
    spend = np.array([0.0] * 100 + [5.0] * stray + [0.0] * 97)
    rule = _rules({"visits": visits, "spend": spend}, [1] * 100 + [2] * (97 + stray))["rule"][1]
    assert len(rule.split(" and ")) == conditions
    assert rule.startswith("visits >= 9")


def test_thresholds_are_powers_of_ten_near_a_two_hundredth_of_the_range() -> None:
    cuts = _Cuts.of(np.linspace(0.0, 100.0, 1_001))
    assert (cuts.step, cuts.decimals) == (1.0, 0)
    cuts = _Cuts.of(np.linspace(0.0, 1.0, 1_001))
    assert (cuts.step, cuts.decimals) == (0.01, 2)
    assert cuts.thresholds(np.linspace(0.204, 0.204, 5)).tolist() == [0.2, 0.21]
