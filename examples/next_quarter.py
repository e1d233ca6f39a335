"""Next quarter: this quarter's study, everyone assigned again by its model, what has drifted, and who has moved.

Run it from anywhere: `python examples/next_quarter.py [FOLDER]`.
"""

import sys
import tempfile
from pathlib import Path

import pandas as pd

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="next-quarter-"))
folder.mkdir(parents=True, exist_ok=True)


def behaviour_of(visits: pd.DataFrame) -> pd.DataFrame:
    """One row of behaviour a member."""
    return gauger.summarise_events(
        visits,
        customer="member_id",
        when="visited_on",
        amount="ticket_spend",
        quantity="seats",
        event_key="visit_id",
    )


# This quarter: segments, kept as a study and named.
visits = gauger.read_table(gauger.demo_file("visits.csv"))
features = gauger.prepare(
    behaviour_of(visits),
    key="member_id",
    features=["recency_days", "visits", "spend_mean", "seats_mean"],
    cap=(0.0, 0.99),
)
found = gauger.segment_by_kmeans(features, 6)
gauger.save_study(found, folder / "spring", replace=True)
study = gauger.name_study(folder / "spring", suggested=True)
segments = study.segmentation

# Next quarter there are new visits, by members that the study has never seen too.
model = gauger.open_study(folder / "spring").model
later = behaviour_of(pd.concat([visits, gauger.read_table(gauger.demo_file("later/visits.csv"))]))
now = model.assign(later, gate="learned")
print(f"{model.headline()}, applied to {len(now):,} members, {int((now['segment'] == 0).sum())} of them in no segment")
for remark in gauger.remarks_of(now):
    print(f"- {remark}")

# Does the model still fit?
drift = gauger.drift(model, later)
print(drift.headline())
print(drift.features.round(3).to_string())
print(drift.segments[["name", "share_then", "share_now", "centre_shift"]].round(3).to_string())

# Who has moved, and what are they worth?
worth = later.set_index("member_id")["spend_total"]
moves = gauger.migration(segments, now, key="member_id", value=worth)
print(moves.headline())
for way in moves.flows.head(3).itertuples():
    one, other = moves.names[way.before], moves.names[way.after]
    more = "more than by chance" if way.exceeds else "no more than by chance"
    print(f"{way.customers} went from {one} to {other}: {way.ratio:.1f} times what chance would send, {more}")
gauger.draw.migration_flow(moves).savefig(folder / "moves.png")

# Learning again? Then the new segments take the numbers and names of the old ones that they match.
again = gauger.segment_by_kmeans(gauger.prepare(later, key="member_id", features=features.names, cap=(0.0, 0.99)), 6)
print(gauger.compare(again.aligned_to(segments), segments, resamples=0).headline())

# The same in the database, where the whole customer base lives.
(folder / "assign.sql").write_text(model.sql("behaviour", dialect="postgres", gate="learned"))
gauger.write_table(now, folder / "assignments.csv", replace=True)
print(f"spring/, assignments.csv, assign.sql and moves.png are in {folder}")
