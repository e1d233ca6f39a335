"""Sums and ranks that parts of a table are added up by, against Python's own fractions and NumPy."""

from fractions import Fraction
from types import SimpleNamespace
from typing import Any

import numpy as np
import pyarrow as pa
import pytest

from gauger.sources.bottom_rows import BottomRows
from gauger.sources.databases.database_quantiles import _places
from gauger.sources.exact_moments import SegmentMoments
from gauger.sources.files.feature_measuring import _CHANCE, CORESET, MeasuredPart
from gauger.sources.files.file_quantiles import _Filled
from gauger.sources.surveys import _added

VALUES = np.array([[1e9 + 1.0, 1e9 + 2.0, 1e9 + 4.0, 5.0, np.nan, 7.0], [0.1, 0.1, 0.1, -3.0, 8.0, np.nan]])
CODES = np.array([0, 0, 0, 1, 1, 1], dtype=np.int32)


def _moments(columns: np.ndarray = VALUES, codes: np.ndarray = CODES) -> SegmentMoments:
    parts = [VALUES[:, group == CODES] for group in (0, 1)]
    lows, highs = (np.array([how(part, axis=1) for part in parts]) for how in (np.nanmin, np.nanmax))
    return SegmentMoments.none(lows, highs).with_block(columns, codes)


def test_moments_by_segment_are_those_of_its_values_however_far_from_zero() -> None:
    found = _moments()
    assert found.known.tolist() == [[3, 3], [2, 2]]
    assert found.means().tolist() == [[1e9 + 7 / 3, 0.1], [6.0, 2.5]]
    assert found.deviations() == pytest.approx(np.array([[np.sqrt(14 / 9), 0.0], [1.0, 5.5]]), rel=1e-12)
    sample = found.deviations(of_a_sample=True)
    assert sample == pytest.approx(np.array([[np.sqrt(7 / 3), 0.0], [np.sqrt(2.0), 5.5 * np.sqrt(2.0)]]), rel=1e-12)
    assert found.square_sums().tolist() == [[10.0, 0.0], [4.0, 121.0]]
    assert found.known_of_everyone().tolist() == [5, 5]


def test_moments_of_everyone_are_exact_and_need_two_values_as_a_sample() -> None:
    means, deviations = _moments().of_everyone()
    own = [[Fraction(one) for one in row if not np.isnan(one)] for row in VALUES.tolist()]
    middle = [sum(row, Fraction()) / len(row) for row in own]
    assert means.tolist() == [float(one) for one in middle]
    rest = [sum(((one - mean) ** 2 for one in row), Fraction()) for row, mean in zip(own, middle, strict=True)]
    assert deviations.tolist() == pytest.approx([float(one / 5) ** 0.5 for one in rest], rel=1e-15)
    assert _moments().of_everyone(of_a_sample=True)[1].tolist() == pytest.approx(
        [float(one / 4) ** 0.5 for one in rest], rel=1e-15
    )
    one = _moments(VALUES[:, :1], CODES[:1])
    assert one.of_everyone()[1].tolist() == [0.0, 0.0]
    assert np.isnan(one.of_everyone(of_a_sample=True)[1]).all()
    nobody = _moments(VALUES[:, :0], CODES[:0])
    assert np.isnan([*nobody.of_everyone()[0], *nobody.means().ravel(), *nobody.deviations().ravel()]).all()


def test_moments_of_parts_and_of_columns_are_put_together_to_the_same_bits() -> None:
    whole = _moments()
    parts = _moments(VALUES[:, ::2], CODES[::2]) + _moments(VALUES[:, 1::2], CODES[1::2])
    assert parts.content() == whole.content()
    assert parts.content() != _moments(VALUES[:, [0, 1, 3, 4, 5]], CODES[[0, 1, 3, 4, 5]]).content()
    apart = [
        SegmentMoments.none(whole.lows[:, [at]], (whole.lows + whole.spans)[:, [at]]).with_block(VALUES[[at]], CODES)
        for at in (0, 1)
    ]
    joined = apart[0].with_columns(apart[1])
    assert joined.means().tolist() == whole.means().tolist()
    assert joined.deviations().tolist() == whole.deviations().tolist()


@pytest.mark.parametrize(
    ("size", "shares", "places"),
    [(5, (0.25,), ["2", "3"]), (5, (1.0,), ["5"]), (5, (0.0, 0.5), ["1", "2", "3", "4"]), (1, (0.5,), ["1"])],
)
def test_a_quantile_lies_between_two_places(size: int, shares: tuple[float, ...], places: list[str]) -> None:
    assert _places(size, shares) == places


@pytest.mark.parametrize(
    ("before", "gaps", "shares", "ranks"),
    [
        (0, 0, (0.5,), {1, 2}),
        (1, 2, (0.3,), set()),  # both are filled
        (1, 2, (0.0, 1.0), {0, 3}),
        (3, 1, (0.5,), {2}),
        (4, 3, (1.0,), set()),
    ],
)
def test_ranks_of_a_filled_measure_leave_out_the_filled(
    before: int, gaps: int, shares: tuple[float, ...], ranks: set[int]
) -> None:
    """Four values 10, 20, 30, 40 are present, and the filled ones stand together after so many of them."""
    order: Any = SimpleNamespace(known=lambda *_: 4, at_rank=lambda _group, _column, rank: 10.0 * (rank + 1))
    filled = _Filled(order, 0, gaps, 10.0 * before + 5.0, before)
    assert filled.ranks(shares) == ranks
    everyone = sorted([10.0, 20.0, 30.0, 40.0] + [10.0 * before + 5.0] * gaps)
    for share in (0.0, 0.3, 0.5, 1.0):
        assert filled.quantile(share) == pytest.approx(np.quantile(everyone, share))


def test_counts_of_levels_are_added_whoever_has_them() -> None:
    assert _added({"n": 2, "s": 1}, {"s": 5, "w": 3}) == {"n": 2, "s": 6, "w": 3}


@pytest.mark.parametrize("more", [0, 1])
def test_a_coreset_of_everyone_has_no_weights_and_a_drawn_one_has_those_of_its_chances(more: int) -> None:
    size = CORESET + more
    order = np.linspace(0.1, 0.5, size)
    rows = pa.table({"f0": np.arange(size) + 0.0, _CHANCE: np.full(size, 0.8)})
    nothing: Any = None
    columns, weights = MeasuredPart(nothing, nothing, BottomRows(CORESET + 1, order[::-1], rows)).coreset()
    assert columns.shape == (1, CORESET)
    assert columns[0, 0] == size - 1
    assert weights.tolist() == pytest.approx([1.0 / (0.8 * 0.5) if more else 1.0] * CORESET)
