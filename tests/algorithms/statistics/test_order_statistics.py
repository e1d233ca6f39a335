"""Order statistics from counts between edges, and hashes: against a sort, and against published figures."""

import numpy as np
import pytest

from gauger.algorithms.key_hashes import as_shares, hash_numbers, hash_texts, remixed
from gauger.algorithms.statistics import Edges, Moments, OrderStatistics, count_between, edges_around, ranks_among

SHARES = (0.0, 0.25, 0.5, 0.9, 1.0)


@pytest.mark.parametrize("seed", range(4))
def test_ranks_and_quantiles_of_groups_are_those_of_a_sort(seed: int) -> None:
    rng = np.random.default_rng(seed)
    columns = np.vstack([rng.normal(size=900), rng.integers(0, 5, 900).astype(float)])
    columns[:, rng.random(900) < 0.1] = np.nan
    codes = rng.integers(0, 3, 900)
    edges = Edges.of([edges_around([np.sort(one[:90][~np.isnan(one[:90])])], SHARES) for one in columns])
    counts = edges.counts(3)
    count_between(columns, codes, 0, 900, edges.values, edges.starts, counts)
    found = OrderStatistics.counted(edges, counts)
    for group in (0, 1, 2, found.everyone):
        for column, values in enumerate(columns):
            own = np.sort(values[((codes == group) | (group == found.everyone)) & ~np.isnan(values)])
            assert found.known(group, column) == len(own)
            ranks = {(group, column): found.ranks_of(group, column, SHARES)}
            found.open_ranges(ranks)
            found.take(group, column, ranks[group, column], own[::-1])
            for share in SHARES:
                assert found.quantile(group, column, share) == pytest.approx(np.quantile(own, share), abs=1e-12)
            for edge in edges.of_column(column)[0]:
                assert found.below(group, column, edge) == (own < edge).sum()


def test_edges_are_the_values_around_a_rank_and_those_just_above_them() -> None:
    ordered = np.arange(1_001.0)
    found = edges_around([ordered], [0.5], also=[-3.0])
    assert found[:2].tolist() == [-3.0, np.nextafter(-3.0, np.inf)]
    values = found[2::2]
    assert len(values) == 48
    assert (values[0], values[-1]) == (434, 566)  # 4 standard errors, 63.3 ranks, and two more
    assert edges_around([np.arange(9.0)], [0.0])[0] == 0.0
    assert edges_around([np.empty(0)], [0.5]).size == 0


def test_hashes_are_those_of_the_published_generator() -> None:
    """Steele, Lea & Flood (2014), Fast splittable pseudorandom number generators: the first outputs of seed 1234567."""
    golden = 0x9E3779B97F4A7C15
    outputs = [6457827717110365317, 3203168211198807973, 9817491932198370423]
    hashes = np.zeros(3, dtype=np.uint64)
    states = np.array([(1234567 + step * golden) % 2**64 for step in range(3)], dtype=np.uint64)
    hash_numbers(states.view(np.int64), hashes)
    assert hashes.tolist() == outputs
    for salt in (0, 7):
        mask = (salt * 0xD1342543DE82EF95 + golden) % 2**64
        assert remixed(np.array([mask ^ (1234567 + golden)], dtype=np.uint64), salt).tolist() == outputs[:1]
    assert as_shares(np.array([0, 2**64 - 1], dtype=np.uint64)).tolist() == [2.0**-53, 1.0]


def test_groups_that_are_all_alike_do_not_differ_and_others_differ_without_end() -> None:
    alike = Moments(np.array([2.0, 3.0]), np.array([5.0, 5.0]), np.zeros(2))
    assert alike.scores().tolist() == [0.0, 0.0]
    apart = Moments(np.array([2.0, 3.0, 0.0]), np.array([5.0, 6.0, np.nan]), np.zeros(3))
    assert apart.scores()[:2].tolist() == [-np.inf, np.inf]
    assert np.isnan(apart.scores()[2])


def test_standard_deviations_are_those_of_samples_and_of_fewer_than_two_there_are_none() -> None:
    found = Moments(np.array([3.0, 1.0]), np.array([2.0, 5.0]), np.array([2.0, 0.0])).standard_deviation
    assert found[0] == 1.0
    assert np.isnan(found[1])


def _of_texts(texts: list[str]) -> list[int]:
    written = [text.encode() for text in texts]
    hashes = np.zeros(len(texts), dtype=np.uint64)
    ends = np.cumsum([0, *map(len, written)])
    hash_texts(np.frombuffer(b"".join(written), dtype=np.uint8), ends, hashes)
    return hashes.tolist()


def test_a_key_has_one_hash_as_a_number_and_as_text_and_every_other_text_one_of_its_own() -> None:
    numbers = [0, 7, 10, -3, 1_234, 10**18 - 1, -(10**17)]
    hashes = np.zeros(len(numbers), dtype=np.uint64)
    hash_numbers(np.array(numbers), hashes)
    assert _of_texts(list(map(str, numbers))) == hashes.tolist()
    others = ["", "-", "-0", "00", "007", "-07", "+7", "7.0", "7 ", "1/", "1:", ":", "/", "1" * 19, "7-", "--7"]
    others += ["abcdefg", "abcdefgh", "abcdefghi", "abcdefgh\0", "abcdefgha", "bbcdefgh", "abcdefghabcdefgh", "ä"]
    assert len({*_of_texts(others), *hashes.tolist()}) == len(others) + len(numbers)


def test_the_hashes_of_keys_never_change() -> None:
    """Samples, hold-outs and draws go by them: other hashes would choose other customers."""
    assert _of_texts(["", "abc", "abcdefgh", "abcdefghi"]) == [
        12919645939244872292,
        13785447289082874918,
        7070594705696561064,
        6139818567710904856,
    ]


@pytest.mark.parametrize(
    ("part", "ranks"), [([2.0], [2.5]), ([2.0, 2.0], [2.5, 2.5]), ([1.0, 3.0, 3.0], [1.0, 4.0, 4.0]), ([], [])]
)
def test_equal_values_have_their_ranks_halfway(part: list[float], ranks: list[float]) -> None:
    assert ranks_among(np.array([1.0, 2.0, 2.0, 3.0]), np.array(part)).tolist() == ranks
