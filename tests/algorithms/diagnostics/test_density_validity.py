"""Density-based validity against figures worked by hand and the definition written out."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from naive_density import all_distances

from gauger.algorithms.diagnostics.validity import core_distances, density_validity


def _on_a_line(*values: float) -> np.ndarray:
    return all_distances(np.array(values)[:, None])


def test_two_threes_on_a_line_by_hand() -> None:
    """Core distances 4/3, 1, 4/3; both links are 4/3 long; the middle ones are inner and 10 apart."""
    apart = _on_a_line(0, 1, 2, 10, 11, 12)
    assert core_distances(apart[:3, :3], 1) == pytest.approx([4 / 3, 1.0, 4 / 3])
    expected = (10.0 - 4 / 3) / 10.0
    assert density_validity(apart, np.array([1, 1, 1, 2, 2, 2]), 1) == pytest.approx(expected)


def test_the_unassigned_and_segments_of_one_count_as_nothing() -> None:
    apart = _on_a_line(0, 1, 2, 10, 11, 12, 50, 90)
    assert density_validity(apart, np.array([1, 1, 1, 2, 2, 2, 0, 0]), 1) == pytest.approx(6 / 8 * (10.0 - 4 / 3) / 10)
    with_single = density_validity(apart, np.array([1, 1, 1, 2, 2, 2, 3, 0]), 1)
    assert with_single == pytest.approx(6 / 8 * (10.0 - 4 / 3) / 10)


def test_segments_that_lie_closer_than_their_own_links_are_below_0() -> None:
    apart = _on_a_line(0, 9, 18, 9.5, 18.5, 27.5)
    assert density_validity(apart, np.array([1, 1, 1, 2, 2, 2]), 1) < 0.0


@pytest.mark.parametrize("codes", [[0, 0, 0, 0], [1, 1, 1, 0]])
def test_fewer_than_two_segments_have_no_validity(codes: list[int]) -> None:
    assert np.isnan(density_validity(_on_a_line(0, 1, 2, 3), np.array(codes), 1))


def test_copies_have_a_core_distance_of_0_and_do_no_harm() -> None:
    apart = _on_a_line(0, 0, 0, 5, 5, 5)
    assert core_distances(apart[:3, :3], 1).tolist() == [0.0, 0.0, 0.0]
    assert density_validity(apart, np.array([1, 1, 1, 2, 2, 2]), 1) == 1.0


@given(st.integers(6, 40), st.integers(1, 4), st.integers(2, 4), st.integers(0, 10_000))
def test_it_is_that_of_the_definition(n: int, d: int, segments: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    points, codes = rng.normal(size=(n, d)), rng.integers(0, segments + 1, size=n)
    points += 2.0 * codes[:, None]
    apart = all_distances(points)
    expected = _by_definition(apart, codes, d)
    assert density_validity(apart, codes, d) == pytest.approx(expected, nan_ok=True)


def _by_definition(apart: np.ndarray, codes: np.ndarray, d: int) -> float:
    present = [number for number in range(1, codes.max() + 1) if (codes == number).any()]
    if len(present) < 2:
        return np.nan
    core = np.zeros(len(codes))
    for row, own in enumerate(codes):
        others = [other for other in np.flatnonzero(codes == own) if other != row]
        if own and others:
            core[row] = (sum((1.0 / apart[row, other]) ** d for other in others) / len(others)) ** (-1.0 / d)
    mutual = np.maximum(apart, np.maximum(core[:, None], core))
    inner, sparseness = {}, {}
    for number in present:
        rows = np.flatnonzero(codes == number).tolist()
        links = _shortest_links(rows, mutual)
        ends = [end for link in links for end in link[:2]]
        inner[number] = [row for row in rows if ends.count(row) > 1] or rows
        both = [length for one, other, length in links if ends.count(one) > 1 and ends.count(other) > 1]
        sparseness[number] = max(both or [length for *_, length in links], default=0.0)
    total = 0.0
    for number in present:
        size = int((codes == number).sum())
        apart_from = min(mutual[np.ix_(inner[number], inner[other])].min() for other in present if other != number)
        if size > 1:
            total += size / len(codes) * (apart_from - sparseness[number]) / max(apart_from, sparseness[number])
    return total


def _shortest_links(rows: list[int], mutual: np.ndarray) -> list[tuple[int, int, float]]:
    """From the first row on; of links as short the one to the lowest row, from the one that was reached first."""
    inside, links = [rows[0]], []
    while len(inside) < len(rows):
        ways = ((mutual[i, j], j, index) for index, i in enumerate(inside) for j in rows if j not in inside)
        length, other, index = min(ways)
        links.append((inside[index], other, length))
        inside.append(other)
    return links
