"""How often the advice on the count is right, and each criterion alone, by family of made-up tables.

`python -m benchmarks.advice` tries the seeds that were never used in tuning; `python -m benchmarks.advice 0 20` others.
Rules and limits were tuned on seeds 0 to 29; 500 to 539 and 1000 to 1029 were looked at on the way.
"""

import os
import sys
from concurrent.futures import ProcessPoolExecutor

import pandas as pd

import gauger
from benchmarks.battery import Made, tables

FRESH = range(2_000, 2_030)

_CRITERIA = (
    "elbow",
    "davies_bouldin",
    "calinski_harabasz",
    "gap",
    "silhouette",
    "prediction_strength",
    "stability",
)
_SHORT = ("elbow", "DB", "CH", "gap", "silh.", "pred.", "stab.")


def main() -> None:
    """Study every table and print the shares of exact counts."""
    seeds = range(*map(int, sys.argv[1:3])) if len(sys.argv) > 2 else FRESH
    os.environ["GAUGER_THREADS"] = "1"
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        found = pd.DataFrame(list(pool.map(_study, tables(seeds), chunksize=4)))
    print(f"exact counts in percent, seeds {seeds.start} to {seeds.stop - 1}, {len(found)} tables")
    right = found[["advice", *_CRITERIA]].eq(found["truth"], axis=0).assign(family=found["family"])
    by_family = right.groupby("family", sort=False).mean() * 100.0
    by_family.loc["all families alike"] = by_family.mean()
    by_family.columns = ["advice", *_SHORT]
    print(by_family.round(0).astype(int).to_string())
    print(by_family.loc[["all families alike"]].round(1).to_string(header=False))
    cloud = found["truth"] == 1
    print(f"structureless tables called so: {(found['advice'][cloud] == 1).mean():.1%} of {cloud.sum()}")
    print(f"structured tables called structureless: {(found['advice'][~cloud] == 1).mean():.1%} of {(~cloud).sum()}")
    missed = found[found["advice"] != found["truth"]]
    print(f"missed: {len(missed)}, of these the truth among the alternatives: {missed['offered'].sum()}")
    hedged = missed["offered"] & (missed["verdict"] == "unclear")
    print(f"missed, but called unclear with the truth among the alternatives: {hedged.sum()}")
    print(missed["verdict"].value_counts().to_string())
    print("right by verdict:")
    print((found["advice"] == found["truth"]).groupby(found["verdict"]).agg(["mean", "size"]).round(3).to_string())


def _study(made: Made) -> dict[str, object]:
    table = pd.DataFrame(made.values, columns=[f"feature_{index}" for index in range(made.values.shape[1])])
    features = gauger.prepare(table.assign(who=range(len(table))), key="who")
    advice = gauger.study_counts(features, resamples=10).advice
    return {
        "family": made.family,
        "truth": made.count,
        "advice": advice.count,
        "verdict": advice.verdict,
        "offered": made.count in advice.alternatives,
        **advice.picks,
    }


if __name__ == "__main__":
    main()
