"""How often the interval of a value uplift holds the truth: arms 9:1 and 1:1, shares of buyers, tails of their values.

`python -m benchmarks.uplift [SEED] [TRIALS]` prints the coverage of the nominal 95 %.
"""

import sys

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.statistics.intervals import LEAST_BUYERS, LEVEL, difference_of_means

_SHAPES = {"log-normal, 0.5": 0.5, "log-normal, 1.0": 1.0, "log-normal, 1.5": 1.5, "exponential": None}


def coverage(tail: float | None, ratio: int, share: float, effect: float, seed: int, trials: int) -> float:
    """The share of campaigns whose interval holds the truth; the smaller arm has 20 to 60 buyers."""
    rng = np.random.default_rng(seed)
    mean = 1.0 if tail is None else float(np.exp(tail**2 / 2.0))
    hits: list[bool] = []
    while len(hits) < trials:
        held = int(rng.uniform(LEAST_BUYERS, 60.0) / share)
        own = _arm(rng, held * ratio, share * effect, tail)
        other = _arm(rng, held, share, tail)
        low, high = difference_of_means(own, other, LEVEL, rng)
        if not np.isnan(low):
            hits.append(low <= (effect - 1.0) * share * mean <= high)
    return float(np.mean(hits))


def _arm(rng: np.random.Generator, n: int, share: float, tail: float | None) -> NDArray[np.float64]:
    values = np.zeros(n)
    buyers = int(rng.binomial(n, share))
    values[:buyers] = rng.exponential(size=buyers) if tail is None else rng.lognormal(0.0, tail, buyers)
    return values


def main() -> None:
    """Print the table."""
    seed, trials = (int(word) for word in (*sys.argv[1:], *("100", "500")[len(sys.argv) - 1 :]))
    print(f"{'values of buyers':>18}{'arms':>6}{'buyers':>8}{'effect':>8}{'coverage':>10}")
    for name, tail in _SHAPES.items():
        for ratio in (9, 1):
            for share in (0.01, 0.1):
                for effect in (1.0, 1.3):
                    held = coverage(tail, ratio, share, effect, seed, trials)
                    print(f"{name:>18}{ratio:>4}:1{share:>8.0%}{effect:>8.1f}{held:>10.1%}", flush=True)


if __name__ == "__main__":
    main()
