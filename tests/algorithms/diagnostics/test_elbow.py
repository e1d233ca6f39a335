"""The elbow: curves whose bend is known."""

import numpy as np
import pytest

from gauger.algorithms.diagnostics.elbow import find_elbow

SHARP_AT_3 = [1000.0, 500.0, 100.0, 90.0, 82.0, 76.0]


def test_a_sharp_bend_is_found_with_its_strength() -> None:
    elbow = find_elbow(range(1, 7), SHARP_AT_3)
    before, after = np.log(500 / 100) / np.log(3 / 2), np.log(100 / 90) / np.log(4 / 3)
    assert (elbow.count, elbow.by_chord) == (3, 3)
    assert elbow.strength == pytest.approx(1 - after / before)


def test_the_chord_and_the_bend_may_differ() -> None:
    curve = [100.0, 60.0, 40.0, 30.0, 10.0, 9.5, 9.0]
    chord = [1 - index / 6 - (value - 9.0) / 91.0 for index, value in enumerate(curve)]
    elbow = find_elbow(range(1, 8), curve)
    assert elbow.by_chord == int(np.argmax(chord)) + 1
    assert elbow.count == 5


@pytest.mark.parametrize("power", [0.3, 0.5, 1.0, 2.0])
def test_a_curve_that_falls_like_a_power_has_no_elbow_to_speak_of(power: float) -> None:
    counts = np.arange(1, 11)
    assert find_elbow(counts, 1000.0 * counts**-power).strength == pytest.approx(0.0, abs=1e-9)


def test_too_few_counts_or_a_flat_curve_have_no_elbow() -> None:
    assert find_elbow([1, 2], [9.0, 1.0]) is None
    assert find_elbow([1, 2, 3], [5.0, 5.0, 5.0]) is None


def test_a_curve_that_reaches_zero_is_an_elbow_of_full_strength() -> None:
    found = find_elbow([1, 2, 3, 4], [9.0, 4.0, 0.0, 0.0])
    assert (found.count, found.strength) == (3, pytest.approx(1.0))
    slopes = [-np.log(1e-12 / 0.5) / np.log(3 / 2), -np.log(0.5) / np.log(2)]  # what is next to nothing counts as such
    assert find_elbow([1, 2, 3], [2.0, 1.0, 0.0]).strength == max(0.0, 1 - slopes[0] / slopes[1])
