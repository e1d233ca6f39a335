"""The knee against curves whose knee is known."""

import numpy as np
import pytest

from gauger.algorithms.diagnostics.knee import find_knee


def test_a_curve_that_lies_flat_and_then_stands_up_has_a_clear_knee_at_the_corner() -> None:
    curve = np.concatenate([np.linspace(1.0, 1.1, 181), np.linspace(1.2, 11.0, 20)])
    knee = find_knee(curve)
    assert knee is not None
    assert knee.height == pytest.approx(1.1)
    assert knee.share == pytest.approx(0.9)
    assert knee.clear


def test_a_straight_line_has_a_knee_without_strength() -> None:
    knee = find_knee(np.linspace(2.0, 3.0, 1_001))
    assert knee is not None
    assert knee.strength == pytest.approx(0.0, abs=0.02)
    assert not knee.clear


def test_the_strength_of_a_parabola_is_a_quarter_at_its_middle() -> None:
    """x - x² is largest at 0.5, where it is 0.25; the highest 1 % are held, which shifts both a little."""
    knee = find_knee(np.linspace(0.0, 1.0, 10_001) ** 2)
    assert knee is not None
    assert knee.share == pytest.approx(0.5, abs=0.02)
    assert knee.strength == pytest.approx(0.25, abs=0.02)


def test_one_extreme_customer_does_not_move_the_knee() -> None:
    curve = np.concatenate([np.linspace(1.0, 1.1, 181), np.linspace(1.2, 11.0, 20)])
    plain, extreme = find_knee(curve), find_knee(np.append(curve, 1e6))
    assert plain is not None
    assert extreme is not None
    assert extreme.height == pytest.approx(plain.height, rel=0.02)


@pytest.mark.parametrize("values", [[], [1.0], [1.0, 2.0], [3.0] * 50, [0.0] * 90 + [1.0, 2.0, 3.0]])
def test_too_few_values_equal_ones_and_mostly_copies_have_no_knee(values: list[float]) -> None:
    assert find_knee(np.array(values)) is None
