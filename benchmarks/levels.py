"""What density levels see and what they make up: small groups, dense spots in a cloud, and clouds of one peak.

`python -m benchmarks.levels [SEED]` prints shares by number of features and customers.
"""

import sys
from collections.abc import Callable

import numpy as np
import pandas as pd
from numpy.typing import NDArray

import gauger

Values = NDArray[np.float64]

_TRIALS = 20
_PURE, _REACHED = 0.8, 0.25
"""A group counts as found when a segment is of it for four fifths, and holds a quarter of it: its fringe is
unassigned."""


def _features(values: Values) -> gauger.FeatureSet:
    table = pd.DataFrame(values, columns=[f"f{at}" for at in range(values.shape[1])])
    table.insert(0, "who", np.arange(len(values)))
    return gauger.prepare(table, key="who")


def one_peak(rng: np.random.Generator, n: int, d: int) -> Values:
    """A cloud of one peak, of a shape at random."""
    kind = int(rng.integers(0, 6))
    if kind == 0:
        return rng.normal(size=(n, d))
    if kind == 1:
        return rng.random((n, d))
    if kind == 2:
        return rng.exponential(size=(n, d))
    if kind == 3:
        return rng.standard_t(4, size=(n, d))
    if kind == 4:
        return np.log(rng.gamma(1.5, size=(n, d)))
    return rng.normal(size=(n, d)) @ rng.normal(size=(d, d))


def small_group(rng: np.random.Generator, n: int, d: int) -> tuple[Values, NDArray[np.bool_]]:
    """A tenth of the customers, five standard deviations off."""
    own = rng.random(n) < 0.1
    values = rng.normal(size=(n, d))
    way = rng.normal(size=d)
    values[own] += 5.0 * way / np.linalg.norm(way)
    return values, own


def dense_spot(rng: np.random.Generator, n: int, d: int) -> tuple[Values, NDArray[np.bool_]]:
    """Three tenths of the customers ten times narrower, somewhere inside a wide cloud."""
    own = rng.random(n) < 0.3
    values = rng.normal(size=(n, d))
    values[own] = 0.1 * values[own] + 0.7 * rng.normal(size=d)
    return values, own


def found(codes: NDArray[np.int32], own: NDArray[np.bool_]) -> bool:
    """Whether a segment has a quarter of some customers, and they are four fifths of it."""
    for number in range(1, int(codes.max()) + 1):
        both = float((own & (codes == number)).sum())
        if both >= _REACHED * own.sum() and both >= _PURE * (codes == number).sum():
            return True
    return False


def share_found(make: Callable[..., tuple[Values, NDArray[np.bool_]]], n: int, d: int, seed: int) -> float:
    """In how many of a number of tables the group is found."""
    rng = np.random.default_rng(seed)
    hits = []
    for _ in range(_TRIALS):
        values, own = make(rng, n, d)
        hits.append(found(gauger.segment_by_density_levels(_features(values)).codes, own))
    return float(np.mean(hits))


def share_split(n: int, d: int, seed: int, trials: int = 200) -> float:
    """In how many of a number of clouds of one peak more than one segment is found."""
    rng = np.random.default_rng(seed)
    split = [gauger.segment_by_density_levels(_features(one_peak(rng, n, d))).count > 1 for _ in range(trials)]
    return float(np.mean(split))


def main() -> None:
    """Print the table."""
    seed = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    print(f"{'features':>8}{'customers':>11}{'10 % at 5 sigma':>18}{'spot of 30 %':>15}{'one peak split':>17}")
    for d in (1, 2, 3, 5):
        for n in (300, 1_000, 3_000):
            group = share_found(small_group, n, d, seed) if d > 1 else float("nan")
            spot, split = share_found(dense_spot, n, d, seed), share_split(n, d, seed)
            print(f"{d:>8}{n:>11,}{group:>18.0%}{spot:>15.0%}{split:>17.1%}", flush=True)


if __name__ == "__main__":
    main()
