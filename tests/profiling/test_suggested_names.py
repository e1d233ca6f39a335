"""Names of segments, from scores that are given: how many words, which, and what tells two of them apart."""

import pandas as pd
import pytest

from gauger.features import Indicator, Level
from gauger.profiling.suggested_names import suggested_names


def _names(
    scores: dict[str, list[float]],
    *,
    medians: dict[str, list[float]] | None = None,
    indicators: dict[str, Indicator] | None = None,
    counts: tuple[str, ...] = (),
) -> list[str]:
    """Segments from 1 on, each with its score on every feature; medians lie on the side of the scores unless given."""
    table = pd.DataFrame(scores)
    table.index += 1
    middle = pd.DataFrame(medians) if medians else pd.concat([table.reset_index(drop=True), table[:1] * 0.0])
    middle.index = [*table.index, "everyone"]
    own = {number: f"segment {number}" for number in table.index}
    return list(suggested_names(table, indicators or {}, own, medians=middle, counts=counts).values())


@pytest.mark.parametrize(
    ("first", "second", "name"),
    [
        (0.24, 0.0, "like everyone"),
        (0.25, 0.0, "many visits"),
        (1.0, 0.49, "many visits"),
        (1.0, 0.5, "many visits, high basket"),
        (2.0, 0.79, "many visits"),
        (2.0, 0.8, "many visits, high basket"),
        (1.0, -0.9, "many visits, low basket"),
        (0.3, -0.3, "many visits"),
    ],
)
def test_a_second_word_needs_half_a_deviation_and_two_fifths_of_the_first(
    first: float, second: float, name: str
) -> None:
    assert _names({"visits": [first, -3.0], "basket": [second, 0.0]})[0] == name


def test_words_come_in_the_order_of_their_differences() -> None:
    assert _names({"visits": [0.6, 0.0], "basket": [-0.9, 0.0]}) == ["low basket, many visits", "like everyone"]


def test_nothing_is_said_that_is_false_of_the_median_customer() -> None:
    scores = {"visits": [0.9, -0.9], "basket": [0.8, -0.8]}
    assert _names(scores, medians={"visits": [3.0, 3.0, 3.0], "basket": [7.0, 1.0, 4.0]}) == [
        *("high basket", "low basket")
    ]
    assert _names(scores, medians={"visits": [2.0, 4.0, 3.0], "basket": [7.0, 1.0, 4.0]}) == [
        *("high basket", "low basket")
    ]


@pytest.mark.parametrize(
    ("score", "median", "name"),
    [
        (0.9, 0.6, "area north"),
        (0.9, 0.5, "like everyone"),
        (0.9, 0.4, "like everyone"),
        (-0.9, 0.4, "seldom area north"),
        (-0.9, 0.6, "like everyone"),
    ],
)
def test_a_level_is_said_where_more_or_fewer_than_half_have_it(score: float, median: float, name: str) -> None:
    """Everyone's own share of the level, here 0.9 or 0.1, decides nothing."""
    north = {"area_north": Indicator("area", Level("text", "north"))}
    for everyone in (0.9, 0.1):
        medians = {"area_north": [median, 0.5, everyone], "visits": [0.0, 9.0, 3.0]}
        assert _names({"area_north": [score, 0.0], "visits": [0.0, 2.0]}, medians=medians, indicators=north)[0] == name


def test_segments_that_would_be_called_the_same_are_told_apart_by_how_much_then_by_more_words_then_by_number() -> None:
    assert _names({"visits": [1.7, 1.0, -1.0]}) == ["very many visits", "many visits", "few visits"]
    assert _names({"visits": [1.0, 1.0], "basket": [0.3, -0.3]}) == [
        *("many visits, high basket", "many visits, low basket")
    ]
    assert _names({"visits": [1.7, 1.0], "basket": [0.3, 0.3], "age": [0.2, 0.2]}) == [
        *("very many visits, high basket", "many visits, high basket")
    ]
    assert _names({"visits": [1.0, 1.0]}) == ["many visits, segment 1", "many visits, segment 2"]


@pytest.mark.parametrize(
    ("score", "said"), [(1.59, "many visits"), (1.6, "very many visits"), (-1.6, "very few visits")]
)
def test_very_needs_one_and_six_tenths_of_a_deviation(score: float, said: str) -> None:
    assert _names({"visits": [score, score]})[0] == f"{said}, segment 1"


@pytest.mark.parametrize(
    ("feature", "low", "high"),
    [
        ("recency_days", "here lately", "long away"),
        ("days_since_order", "here lately", "long away"),
        ("tenure_days", "new", "with us for long"),
        ("gap_days", "short gaps", "long gaps"),
        ("age", "lower age", "higher age"),
        ("visits_trend", "falling visits", "rising visits"),
        ("share_kind_family", "little family", "much family"),
        ("spend_share_drinks", "little drinks", "much drinks"),
        ("spend_mean", "low spend a time", "high spend a time"),
        ("spend_total", "low spend in all", "high spend in all"),
        ("seats_median", "few seats usually", "many seats usually"),
        ("fee_largest", "low fee at most", "high fee at most"),
        ("_mean", "low mean", "high mean"),
        ("orders_web", "few orders web", "many orders web"),
        ("bags", "few bags", "many bags"),
        ("points", "low points", "high points"),
        ("ticket_price", "low ticket price", "high ticket price"),
    ],
)
def test_each_kind_of_feature_has_words_of_its_own(feature: str, low: str, high: str) -> None:
    assert _names({feature: [-1.0, 1.0]}, counts=("bags", "ticket_price")) == [low, high]


def test_a_level_that_is_unknown_is_said_to_be() -> None:
    assert _names(
        {"a_unknown": [1.0, 0.0]},
        indicators={"a_unknown": Indicator("home_area", None)},
        medians={"a_unknown": [1.0, 0.0, 0.0]},
    ) == ["home area unknown", "like everyone"]
