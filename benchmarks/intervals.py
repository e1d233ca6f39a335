"""How often intervals hold the truth and alarms are false: Cramér's V, sampled silhouettes, drift of nothing.

`python -m benchmarks.intervals [SEED] [PART…]` writes docs/results/intervals.json, of which the documentation's tables
are made. The seed in that file was looked at once.
"""

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.statistics import cramers_v_interval

RESULTS = Path(__file__).parents[1] / "docs" / "results" / "intervals.json"

_SHAPES = ((2, 2), (2, 6), (3, 4), (5, 5), (4, 6), (5, 10), (6, 12))
_CUSTOMERS = (200, 1_000, 5_000, 20_000)
_STRENGTHS = (0.0, 0.05, 0.1, 0.2, 0.3, 0.45, 0.6)
_TABLES, _POPULATIONS = 800, 4

Values = NDArray[np.float64]
Row = dict[str, Any]


def of_cramers_v(seed: int) -> list[Row]:
    """The share of tables whose interval of V holds the truth, by shape, customers and V.

    Margins are even in one population in four and drawn at random in the others, where the least row has 5 % and the
    least column 3 % of the customers.
    """
    rows = []
    for shape in _SHAPES:
        for customers in _CUSTOMERS:
            for strength in _STRENGTHS:
                rng = np.random.default_rng([seed, *shape, customers, round(strength * 100)])
                missed = _missed(shape, customers, strength, rng)
                above, below = missed.mean(axis=0)
                rows.append(
                    {
                        "shape": f"{shape[0]} x {shape[1]}",
                        "customers": customers,
                        "v": strength,
                        "covered": round(float(1.0 - above - below), 4),
                        "truth below": round(float(above), 4),
                        "truth above": round(float(below), 4),
                    }
                )
    return rows


def _missed(shape: tuple[int, int], customers: int, strength: float, rng: np.random.Generator) -> NDArray[np.bool_]:
    """For each table whether the interval begins above the truth, and whether it ends below it: (tables, 2)."""
    found = []
    for number in range(_POPULATIONS):
        shares = _population(shape, strength, rng, even=number == 0)
        for _ in range(_TABLES // _POPULATIONS):
            low, high = cramers_v_interval(rng.multinomial(customers, shares.ravel()).reshape(shape))
            found.append((low > strength, high < strength))
    return np.array(found)


def _population(shape: tuple[int, int], strength: float, rng: np.random.Generator, *, even: bool) -> Values:
    """Shares (k, m) whose Cramér's V is `strength`: a random table of the same margins, mixed with independence."""
    k, m = shape
    while True:
        rows = np.full(k, 1.0 / k) if even else np.maximum(rng.dirichlet(np.full(k, 4.0)), 0.05)
        columns = np.full(m, 1.0 / m) if even else np.maximum(rng.dirichlet(np.full(m, 4.0)), 0.03)
        rows, columns = rows / rows.sum(), columns / columns.sum()
        apart = np.outer(rows, columns)
        for evenness in (1.0, 0.3, 0.1, 0.03, 0.01):
            drawn = rng.gamma(evenness, size=shape) + 1e-9
            for _ in range(500):
                drawn *= (rows / drawn.sum(axis=1))[:, None]
                drawn *= columns / drawn.sum(axis=0)
            own = float(np.sqrt(((drawn**2 / apart).sum() - 1.0) / (min(shape) - 1)))
            if own >= strength:
                return np.asarray(apart + (drawn - apart) * strength / own)


PARTS: dict[str, Callable[[int], list[Row]]] = {"cramers v": of_cramers_v}


def main() -> None:
    """Measure the parts that are named, or all, and keep the others."""
    seed, *named = sys.argv[1:] or ["0"]
    results = json.loads(RESULTS.read_text(encoding="utf-8")) if RESULTS.exists() else {}
    for part in named or PARTS:
        results[part] = {"seed": int(seed), "rows": PARTS[part](int(seed))}
        for row in results[part]["rows"]:
            print(*row.values(), sep="\t", flush=True)
        RESULTS.write_text(json.dumps(results, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
