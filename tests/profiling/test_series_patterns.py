"""The pattern of a series in a word, at the bounds of each."""

import re

import numpy as np
import pytest

from gauger.profiling import pattern_of
from gauger.profiling.series_patterns import _wave

WEEKS = [f"w{at:02}" for at in range(52)]
LINE = np.linspace(-0.5, 0.5, 52)
RIPPLE = np.where(np.arange(52) % 2, 0.1, -0.1)  # too fast for a season, and even


def _word(values: np.ndarray) -> str:
    return pattern_of(values, WEEKS[: len(values)]).word


@pytest.mark.parametrize(
    ("climb", "word", "text"),
    [
        (15.1, "rising", "rising: +15% of its level from first to last"),
        (-15.1, "falling", "falling: -15% of its level from first to last"),
        (14.9, "flat", "flat: within 7% of its level"),
        (-14.9, "flat", "flat: within 7% of its level"),
    ],
)
def test_a_line_must_climb_by_fifteen_in_a_hundred_of_the_level(climb: float, word: str, text: str) -> None:
    found = pattern_of(100.0 + climb * LINE, WEEKS)
    assert (found.word, found.text) == (word, text)


def test_the_level_is_a_size_whatever_the_sign() -> None:
    assert _word(-100.0 + 20.0 * LINE) == "rising"
    assert _word(np.zeros(52)) == "flat"


@pytest.mark.parametrize(("half", "word"), [(10.1, "seasonal"), (10.0, "flat")])
def test_a_season_swings_by_a_tenth_of_the_level(half: float, word: str) -> None:
    values = 100.0 + half * np.cos(2.0 * np.pi * (np.arange(52) - 25.5) / 26.0)
    found = pattern_of(values, WEEKS)
    assert found.word == word
    if word == "seasonal":
        assert re.fullmatch(
            r"seasonal, every 26 periods: high near w(00|25|26|51), low near w(12|13|38|39)", found.text
        )


@pytest.mark.parametrize(("noise", "word"), [(0.98, "seasonal"), (1.02, "uneven")])
def test_a_season_tells_half_of_what_the_line_leaves(noise: float, word: str) -> None:
    """Two waves of nearly the same size, far from each other in length."""
    at = 2.0 * np.pi * np.arange(52) / 52.0
    values = 1_000.0 + 300.0 * np.cos(4.0 * at) + 300.0 * noise * np.cos(23.0 * at)
    values -= LINE * (LINE @ values) / (LINE @ LINE)
    assert _word(values) == word


def test_a_wave_of_fewer_than_four_periods_is_no_season() -> None:
    at = 2.0 * np.pi * np.arange(52)
    assert _word(100.0 + 30.0 * np.cos(at / 4.0)) == "seasonal"
    assert _word(100.0 + 30.0 * np.cos(at / 3.25)) == "uneven"


@pytest.mark.parametrize(("height", "word"), [(0.81, "spike"), (0.79, "flat")])
def test_a_spike_stands_out_by_eight_usual_steps(height: float, word: str) -> None:
    """The median is 10 and the usual step 0.1."""
    values = 10.0 + np.array([0.1, -0.1] * 25 + [0.0, 0.0])
    found = pattern_of(np.insert(values, 20, 10.0 + height), [*WEEKS, "w52"])
    assert found.word == word
    if word == "spike":
        assert found.text == "spike around w20"


@pytest.mark.parametrize(
    ("weeks", "word", "around"),
    [
        ([20], "spike", "w20"),
        ([20, 22], "spike", "w22"),
        ([20, 21, 22], "spike", "w22"),
        ([20, 23], "flat", ""),
        ([20, 21, 22, 23], "flat", ""),
    ],
)
def test_a_spike_is_up_to_three_neighbours_and_named_after_the_farthest(
    weeks: list[int], word: str, around: str
) -> None:
    values = np.full(52, 10.0)
    values[weeks] = 10.0 + 0.01 * np.array(weeks)
    found = pattern_of(values, WEEKS)
    assert found.word == word
    if around:
        assert found.text == f"spike around {around}"


def test_a_spike_that_goes_down_is_a_dip() -> None:
    values = 10.0 + RIPPLE
    values[30] = 3.0
    assert pattern_of(values, WEEKS).text == "dip around w30"


@pytest.mark.parametrize(("half", "word"), [(24.9, "flat"), (25.1, "uneven")])
def test_a_flat_series_keeps_within_a_quarter_of_its_level(half: float, word: str) -> None:
    assert _word(100.0 + half * np.array([1.0, -1.0] * 26)) == word


@pytest.mark.parametrize(("periods", "word"), [(7, "short"), (8, "rising")])
def test_fewer_than_eight_periods_are_short(periods: int, word: str) -> None:
    found = pattern_of(np.arange(1.0, periods + 1.0), WEEKS[:periods])
    assert found.word == word
    if word == "short":
        assert found.text == "short: 7 periods"


@pytest.mark.parametrize(
    ("periods", "cycles", "found"), [(52, 1, True), (52, 13, True), (52, 14, False), (6, 1, True), (6, 2, False)]
)
def test_a_wave_has_from_one_cycle_to_one_in_four_periods(periods: int, cycles: int, found: bool) -> None:
    wave = np.sin(2.0 * np.pi * cycles * np.arange(periods) / periods)
    share, told, times = _wave(wave)
    assert share == pytest.approx(1.0 if found else 0.0, abs=1e-9)
    assert told == pytest.approx(wave if found else 0.0 * wave, abs=1e-9)
    assert (times == cycles) == found


def test_what_is_said_of_a_series_is_true_of_it() -> None:
    words = set()
    for seed in range(300):
        rng = np.random.default_rng(seed)
        n = int(rng.integers(8, 60))
        values = 100.0 + rng.choice([2.0, 10.0, 30.0]) * rng.normal(size=n)
        values += rng.choice([0.0, 40.0]) * np.sin(np.arange(n) / 4.0) + rng.choice([0.0, 2.0, -1.0]) * np.arange(n)
        if rng.random() < 0.4:
            values[int(rng.choice([0, n // 2, n - 1]))] += rng.choice([-600.0, 900.0])
        weeks = [f"w{index}" for index in range(n)]
        found = pattern_of(values, weeks)
        words.add(found.word)
        level = np.abs(values).mean()
        if found.word in ("spike", "dip"):
            at = int(values.argmax() if found.word == "spike" else values.argmin())
            assert found.text == f"{found.word} around w{at}"
        elif found.word == "flat":
            half = np.ptp(values) / 2.0 / level
            assert half <= 0.25
            assert found.text == f"flat: within {half:.0%} of its level"
        elif found.word == "uneven":
            assert found.text == f"uneven: highest w{values.argmax()}, lowest w{values.argmin()}"
            assert np.ptp(values) / 2.0 / level > 0.25
        elif found.word == "seasonal":
            said = re.fullmatch(
                r"seasonal, (?:every (\d+) periods|one wave): high near w(\d+), low near w(\d+)", found.text
            )
            assert said is not None
            line = np.polyval(np.polyfit(np.arange(n), values, 1), np.arange(n))
            phase = 2.0 * np.pi * (np.arange(n) - int(said[2])) / (n / round(n / int(said[1])) if said[1] else n)
            assert (values - line) @ np.cos(phase) > 0.0
            assert np.cos(phase[int(said[3])]) < -0.5
        elif found.word in ("rising", "falling"):
            slope = np.polyfit(np.arange(n), values, 1)[0]
            assert (slope > 0.0) == (found.word == "rising")
            assert f"{slope * (n - 1) / level:+.0%}" in found.text
    assert words == {"spike", "dip", "flat", "uneven", "rising", "falling", "seasonal"}


def test_a_first_week_that_is_the_lowest_of_all_is_a_dip() -> None:
    values = np.append(5.0, 100.0 + np.arange(52) % 3)
    assert pattern_of(values, [str(week) for week in range(1, 54)]).text == "dip around 1"
