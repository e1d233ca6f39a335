"""How often the advice on the count is right, by family of made-up tables, and how steady it is.

`python -m benchmarks.advice` takes about half an hour and writes docs/results/advice.json, of which the documentation's
tables are made. `python -m benchmarks.advice 3` takes three seeds of each family only, and writes nothing.

Rules and limits were tuned on the families of `benchmarks.battery` and on `TUNED` of `benchmarks.foreign`, on seeds
below 1,000; `ASIDE` were looked at once, when the rules stood. The seeds here are fresh for all.
"""

import json
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pandas as pd

import gauger
from benchmarks import battery, foreign
from gauger.clustering import order_customers

FIRST = 40_000
"""The first of the seeds that were never used in tuning."""

SEEDS = {"continuous": 10, "tuned on": 5, "set aside": 8}
"""Tables a family."""

_STEADY_SEEDS = 1
"""Tables a family that are studied again and again."""

_CRITERIA = {
    "silhouette": "silhouette",
    "elbow": "elbow",
    "gap": "gap",
    "prediction_strength": "prediction strength",
    "stability": "stability",
    "calinski_harabasz": "Caliński-Harabasz",
    "davies_bouldin": "Davies-Bouldin",
}
RESULTS = Path(__file__).parents[1] / "docs" / "results" / "advice.json"

Family = Callable[[np.random.Generator], tuple[int, pd.DataFrame]]


@dataclass(frozen=True)
class Case:
    """One made-up table, by the part of the benchmark, its family and its seed."""

    part: str
    family: str
    seed: int

    def make(self) -> tuple[int, pd.DataFrame]:
        """The true count, and the table."""
        families = families_of(self.part)
        rng = np.random.default_rng([self.seed, list(families).index(self.family)])
        count, table = families[self.family](rng)
        return count, table.iloc[rng.permutation(len(table))].reset_index(drop=True)


def families_of(part: str) -> dict[str, Family]:
    """The families of a part of the benchmark."""
    return {"continuous": battery.FAMILIES, "tuned on": foreign.TUNED, "set aside": foreign.ASIDE}[part]


def cases(seeds: dict[str, int]) -> Iterator[Case]:
    """A table of every family for as many seeds as each part has."""
    for part, many in seeds.items():
        for family in families_of(part):
            for seed in range(FIRST, FIRST + many):
                yield Case(part, family, seed)


def main() -> None:
    """Study every table, print the shares by family, and write them down."""
    asked = int(sys.argv[1]) if len(sys.argv) > 1 else None
    seeds = SEEDS if asked is None else dict.fromkeys(SEEDS, asked)
    os.environ["GAUGER_THREADS"] = "1"
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        found = pd.DataFrame(pool.map(_study, cases(seeds)))
        steady = pd.DataFrame(pool.map(_again, cases(dict.fromkeys(SEEDS, min(_STEADY_SEEDS, min(seeds.values()))))))
    results = {
        "seeds": {"first": FIRST, "a family": seeds},
        "parts": {part: _shares(own) for part, own in found.groupby("part", sort=False)},
        "families": [
            {"part": part, "family": family, **_shares(own)}
            for (part, family), own in found.groupby(["part", "family"], sort=False)
        ],
        "steady": {name: round(float(steady[name].mean()), 4) for name in _AGAIN},
        "steady tables": len(steady),
    }
    print("\n\n".join(table(results) for table in TABLES.values()))
    if asked is None:
        RESULTS.write_text(json.dumps(results, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


def prepared(table: pd.DataFrame) -> gauger.FeatureSet:
    """The features of a made-up table; columns of text are categories."""
    categories = [name for name in table if not pd.api.types.is_numeric_dtype(table[name])]
    measures = [name for name in table if name not in categories]
    return gauger.prepare(
        table.assign(who=range(len(table))), key="who", features=measures, categories=categories or None
    )


def _advice(features: gauger.FeatureSet, top: int, seed: int = 0, resamples: int = 2) -> gauger.CountAdvice:
    highest = min(top, len(order_customers(features).distinct()))
    study = gauger.study_counts(
        features, counts=range(1, highest + 1), references=max(2, resamples), resamples=resamples, seed=seed
    )
    return study.advice


def _study(case: Case) -> dict[str, object]:
    truth, table = case.make()
    advice = _advice(prepared(table), max(10, truth + 3), resamples=10)
    return {
        "part": case.part,
        "family": case.family,
        "truth": truth,
        "advice": advice.count,
        "verdict": advice.verdict,
        "offered": truth in advice.alternatives,
        "filter": bool(advice.filters),
        **advice.picks,
    }


_AGAIN = ("seeds", "highest counts", "without 2 %", "order")
"""What a table is studied again with."""


def _again(case: Case) -> dict[str, float]:
    """The shares of studies with the same count and verdict: other seeds, ranges, customers and orders."""
    truth, table = case.make()
    rng = np.random.default_rng(case.seed)
    top = max(10, truth + 3)
    first = _advice(prepared(table), top)

    def same(features: gauger.FeatureSet, highest: int = top, seed: int = 0) -> bool:
        advice = _advice(features, highest, seed)
        return (advice.count, advice.verdict) == (first.count, first.verdict)

    def fewer() -> pd.DataFrame:
        kept = np.sort(rng.choice(len(table), round(0.98 * len(table)), replace=False))
        return table.iloc[kept].reset_index(drop=True)

    features = prepared(table)
    turned = table.iloc[rng.permutation(len(table))][list(rng.permutation(table.columns))].reset_index(drop=True)
    return {
        "seeds": float(np.mean([same(features, seed=seed) for seed in (1, 2, 3, 4)])),
        "highest counts": float(np.mean([same(features, highest=first.count + more) for more in (1, 3, 5)])),
        "without 2 %": float(np.mean([same(prepared(fewer())) for _ in range(2)])),
        "order": float(same(prepared(turned))),
    }


def _shares(found: pd.DataFrame) -> dict[str, float | int | None]:
    """The shares of one part or family, None where there is nothing to share."""
    right = found["advice"] == found["truth"]
    cloud = found["truth"] == 1
    criteria = {name: (found[name] == found["truth"]).mean() for name in _CRITERIA}
    best = max(criteria, key=lambda name: criteria[name])
    return {
        "tables": len(found),
        "exact": _rounded(right.mean()),
        "groups found in none": _rounded((found["advice"] > 1)[cloud].mean()),
        "groups missed": _rounded((found["advice"] == 1)[~cloud].mean()),
        "clear": _rounded((found["verdict"] == "clear").mean()),
        "clear and right": _rounded(right[found["verdict"] == "clear"].mean()),
        "leaning": _rounded((found["verdict"] == "leaning").mean()),
        "leaning and right": _rounded(right[found["verdict"] == "leaning"].mean()),
        "wrong, the truth offered": _rounded(found["offered"][~right].mean()),
        "with a filter": _rounded(found["filter"].mean()),
        "silhouette alone": _rounded(criteria["silhouette"]),
        "best criterion": _CRITERIA[best],
        "best criterion alone": _rounded(criteria[best]),
    }


def _rounded(share: float) -> float | None:
    return None if share != share else round(float(share), 4)


def _percent(share: float | None) -> str:
    return "" if share is None else f"{share:.0%}"


_SHOWN = ("exact", "clear", "clear and right", "leaning", "leaning and right")


def where_it_fails(results: dict) -> str:
    """The families of which fewer than nine in ten are exact, the worst first."""
    families = sorted(results["families"], key=lambda row: row["exact"])
    return _of_families([row for row in families if row["exact"] < 0.9])


def in_all(results: dict) -> str:
    """Every measure, by part of the benchmark."""
    parts = results["parts"]
    names = next(iter(parts.values()))
    return _table(["", *parts], [[name, *(_cell(part[name]) for part in parts.values())] for name in names])


def steadiness(results: dict) -> str:
    """How often a table that is studied again gets the same count and verdict."""
    rows = [[name, _percent(share)] for name, share in results["steady"].items()]
    return _table([f"{results['steady tables']} tables, studied again with", "same count and verdict"], rows)


def by_family(results: dict) -> str:
    """Every family, part by part."""
    parts = [
        f"### {part.capitalize()}\n\n" + _of_families([row for row in results["families"] if row["part"] == part])
        for part in results["parts"]
    ]
    return "\n\n".join(parts)


TABLES = {
    "where-it-fails": where_it_fails,
    "in-all": in_all,
    "steadiness": steadiness,
    "by-family": by_family,
}
"""The tables of the documentation, made of the results."""


def _of_families(rows: Sequence[dict]) -> str:
    return _table(["family", "tables", *_SHOWN], [[row["family"], row["tables"], *_cells(row)] for row in rows])


def _cells(row: dict) -> list[str]:
    return [_percent(row[name]) for name in _SHOWN]


def _cell(value: float | int | str | None) -> str:
    return str(value) if isinstance(value, (int, str)) else _percent(value)


def _table(heads: Sequence[str], rows: Sequence[Sequence[object]]) -> str:
    body = [f"| {' | '.join(map(str, row))} |" for row in rows]
    return "\n".join([f"| {' | '.join(heads)} |", f"|{' --- |' * len(heads)}", *body])


if __name__ == "__main__":
    main()
