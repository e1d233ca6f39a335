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
import pandas as pd
from numpy.typing import NDArray

import gauger
from gauger.algorithms.diagnostics import EXACT_UP_TO, sample_by_segment, sampled_silhouettes, silhouette_values
from gauger.algorithms.statistics import cramers_v_interval

RESULTS = Path(__file__).parents[1] / "docs" / "results" / "intervals.json"

_SHAPES = ((2, 2), (2, 6), (3, 4), (5, 5), (4, 6), (5, 10), (6, 12))
_CUSTOMERS = (200, 1_000, 5_000, 20_000)
_STRENGTHS = (0.0, 0.05, 0.1, 0.2, 0.3, 0.45, 0.6)
_TABLES, _POPULATIONS = 800, 4
_SAMPLES, _COMPARISONS = 200, 200

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


def of_silhouettes(seed: int) -> list[Row]:
    """How often the mean silhouette of 10,000 of 22,000 customers is more than 1.96 standard errors from everyone's."""
    rows = []
    for features, segments, gap in ((2, 3, 0.0), (2, 3, 2.0), (4, 5, 2.0), (6, 8, 1.0), (2, 10, 2.0)):
        rng = np.random.default_rng([seed, features, segments, round(gap)])
        columns, codes = _segmented(features, segments, gap, rng)
        exact, sizes = float(silhouette_values(columns, codes).mean()), np.bincount(codes)[1:]
        found = []
        for draw in range(_SAMPLES):
            chosen = sample_by_segment(codes, EXACT_UP_TO, draw)
            found.append(sampled_silhouettes(columns[:, chosen], codes[chosen], sizes)[1:])
        means, errors = np.array(found).T
        rows.append(
            {
                "features": features,
                "segments": segments,
                "silhouette": round(exact, 3),
                "standard error": float(f"{errors.mean():.2g}"),
                "of what samples differ by": round(float(errors.mean() / means.std()), 2),
                "beyond 1.96": round(float((np.abs(means - exact) > 1.96 * errors).mean()), 3),
            }
        )
    return rows


def _segmented(features: int, segments: int, gap: float, rng: np.random.Generator) -> tuple[Values, NDArray[np.int32]]:
    """22,000 customers as columns, each in the segment whose centre is nearest."""
    centres = rng.normal(size=(segments, features)) * max(gap, 0.5)
    values = centres[rng.choice(segments, 22_000, p=rng.dirichlet(np.full(segments, 4.0)))]
    values = (values * (gap > 0.0) + rng.normal(size=values.shape)).astype(np.float64)
    nearest = ((values[:, None] - centres) ** 2).sum(axis=2).argmin(axis=1)
    codes = np.unique(nearest, return_inverse=True)[1] + 1
    order = rng.permutation(len(values))
    return np.ascontiguousarray(values[order].T), codes[order].astype(np.int32)


def of_drift(seed: int) -> list[Row]:
    """How often the advice is not "keep" where customers have not changed, and not "learn again" where half have."""
    rows = []
    for now, then in ((300, 300), (100, 1_000), (300, 3_000), (1_000, 1_000), (3_000, 300), (5_000, 5_000)):
        alarms, missed = [], []
        for draw in range(_COMPARISONS):
            rng = np.random.default_rng([seed, now, then, draw])
            before, after = _customers(then, rng), _customers(now, rng)
            model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(before, key="who"), 4, starts=2))
            alarms.append(gauger.drift(model, after).advice.action)
            later = after.assign(visits=after["visits"] * 2)
            missed.append(gauger.drift(model, later).advice.action)
        rows.append(
            {
                "customers now": now,
                "then": then,
                "watch, unchanged": alarms.count("watch") / _COMPARISONS,
                "learn again, unchanged": alarms.count("learn again") / _COMPARISONS,
                "learn again, visits doubled": missed.count("learn again") / _COMPARISONS,
            }
        )
    return rows


def _customers(size: int, rng: np.random.Generator) -> pd.DataFrame:
    """Three kinds of customers with five features: whole days, counts, a long tail, many zeros, a flag."""
    kind = rng.integers(0, 3, size)
    return pd.DataFrame(
        {
            "who": range(size),
            "recency": np.ceil(rng.gamma(1.0 + kind, 20.0)),
            "visits": 1 + rng.poisson(4.0 * kind + 1.0),
            "spend": rng.lognormal(3.0 + 0.3 * kind, 0.6),
            "share": np.where(rng.random(size) < 0.4, 0.0, rng.random(size)),
            "flag": (rng.random(size) < 0.2).astype(float),
        }
    )


def table_of_v(results: dict[str, Any]) -> str:
    """The lowest and the highest coverage over shapes, a row for each number of customers and a column for each V."""
    held: dict[tuple[int, float], list[float]] = {}
    for row in results["cramers v"]["rows"]:
        held.setdefault((row["customers"], row["v"]), []).append(row["covered"])
    heads = " | ".join(f"V {strength:g}" for strength in _STRENGTHS)
    lines = [f"| customers | {heads} |", f"| ---: |{' ---: |' * len(_STRENGTHS)}"]
    for size in _CUSTOMERS:
        cells = [f"{min(held[size, one]):.1%} to {max(held[size, one]):.1%}" for one in _STRENGTHS]
        lines.append(f"| {size:,} | {' | '.join(cells)} |")
    return "\n".join(lines)


def table_of(part: str) -> Callable[[dict[str, Any]], str]:
    """What makes a table of a part's rows as they are."""

    def made(results: dict[str, Any]) -> str:
        rows = results[part]["rows"]
        shown = [[f"{value:,}" if isinstance(value, int) else f"{value:g}" for value in row.values()] for row in rows]
        lines = [f"| {' | '.join(rows[0])} |", f"|{' ---: |' * len(rows[0])}"]
        return "\n".join([*lines, *(f"| {' | '.join(row)} |" for row in shown)])

    return made


TABLES = {"cramers_v": table_of_v, "silhouettes": table_of("silhouettes"), "drift": table_of("drift")}
"""What the documentation has of the results."""

PARTS: dict[str, Callable[[int], list[Row]]] = {
    "cramers v": of_cramers_v,
    "silhouettes": of_silhouettes,
    "drift": of_drift,
}


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
