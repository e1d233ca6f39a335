"""How many segments: where criteria disagree, what the advice makes of it, and a case of each verdict.

Run it as it stands: python examples/how_many.py [folder]
"""

import sys
from pathlib import Path
from typing import Any

import gauger

folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path("how-many")
folder.mkdir(exist_ok=True)

visits = gauger.read_table(gauger.demo_file("visits.csv"))
behaviour = gauger.summarise_events(
    visits,
    customer="member_id",
    when="visited_on",
    amount="ticket_spend",
    quantity="seats",
    event_key="visit_id",
)
features = gauger.prepare(
    behaviour, key="member_id", features=["recency_days", "visits", "spend_mean", "seats_mean"], cap=(0, 0.99)
)

# Seven criteria for each count, and what each of them alone would take.
study = gauger.study_counts(features)
print(study.table[["wcss", "silhouette", "gap", "stability", "smallest_share"]].round(3).to_string())
for criterion, count in study.advice.picks.items():
    print(f"{criterion:<20} {'says nothing' if count is None else f'says {count}'}")

# They disagree. The advice says what it makes of that.
print(study.advice)

# What would change with another count: the figure shows who goes where.
gauger.draw.count_study(study).savefig(folder / "counts.png")
gauger.draw.silhouette_diagrams(study).savefig(folder / "silhouettes.png")
gauger.draw.segment_splits(study).savefig(folder / "splits.png")

# The same members by other features: each verdict once. What a flag alone tells apart is no group.
members = gauger.read_table(gauger.demo_file("members.csv"))
table = behaviour.merge(members[["member_id", "consent_email"]], on="member_id")
capped: dict[str, Any] = {"cap": (0, 0.99)}
logged: dict[str, Any] = {"transform": "log"}
cases = {
    "clear": (["recency_days", "spend_mean"], capped),
    "unclear": (["visits", "spend_mean"], logged),
    "no structure": (["visits", "active_days"], logged),
    "no structure, but a filter": (["visits", "active_days", "consent_email"], logged),
}
for title, (names, treatment) in cases.items():
    features_of_case = gauger.prepare(table, key="member_id", features=names, **treatment)
    other = gauger.study_counts(features_of_case, counts=range(1, 7), starts=4, references=4, resamples=4)
    print(f"\n{title}: {', '.join(names)}")
    print(other.advice)
    for remark in other.remarks:
        print(f"remark: {remark}")

# Start from last year's idea of the segments, in the units people think in, and see how many iterations it takes.
advised = study.segmentations[study.advice.count]
again = gauger.segment_by_kmeans(features, study.advice.count, seeding=advised.centres.round(0))
print(f"from rounded centres: {again.iterations} iterations, {again.explained:.0%} of the variance explained")
print(again.history)
