"""Houses by season: weekly series grouped by their pattern, plain against dynamic time warping, and merged back.

Run it as it stands: python examples/houses_by_season.py [folder]
"""

import sys
from pathlib import Path

import gauger

folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path("houses-by-season")
folder.mkdir(exist_ok=True)

# One row a house, one column a week. Some weeks are missing: nobody counted, which is not the same as nobody came, so
# the gaps are bridged and not set to zero. The remarks name the house that opened late.
weekly = gauger.read_table(gauger.demo_file("weekly_admissions.csv"))
series = gauger.pivot_series(weekly, entity="house", period="week", value="admissions", missing="interpolate")
for remark in gauger.remarks_of(series):
    print(f"remark: {remark}")

# scale="none": a z-score of each week by itself would bend the series.
houses = gauger.prepare(series, key="house", scale="none")

# How differently do metrics see these houses? Plain and dynamic time warping see large and small ones; the dynamic time
# warping of z-scored series sees their pattern.
metrics = gauger.study_metrics(houses, metrics=["euclidean", "dtw", "dtw_zscored", "lagged_correlation"])
print(metrics.rank_correlation.round(2).to_string())
print(*metrics.advice.reasons, sep="\n")
gauger.draw.metric_study(metrics).savefig(folder / "metrics.png")

# The count by three criteria, for each of two trees.
for metric in ("euclidean", "dtw_zscored"):
    tree = gauger.build_tree(houses, linkage="average", metric=metric, optimal_order=True)
    study = gauger.study_counts(houses, counts=range(1, 9), method="tree", tree=tree)
    three = {name: study.advice.picks[name] for name in ("silhouette", "gap", "merge_jump")}
    print(f"\n{metric}: " + ", ".join(f"{name} says {count}" for name, count in three.items()))
    print(study.advice)

# The last tree, cut where its advice says; the figure names every house.
segments = tree.cut(count=study.advice.count)
gauger.draw.dendrogram(tree, count=segments.count).savefig(folder / "tree.png")
gauger.draw.merge_jumps(tree, study.advice).savefig(folder / "jumps.png")
gauger.draw.series_panels(segments, relative=True).savefig(folder / "series.png")

# Membership back on the weekly table, ready for whoever plans the programme.
merged = weekly.merge(segments.assignments[["house", "segment"]], on="house")
print(merged.groupby("segment")["admissions"].agg(["count", "mean"]).round(0).to_string())
gauger.write_table(merged, folder / "admissions.csv")
