"""From a table of visits to segments, a profile and files: the whole job in Python.

Run it from anywhere: `python examples/first_segments.py [FOLDER]`.
"""

import sys
import tempfile
from pathlib import Path

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="first-segments-"))
folder.mkdir(parents=True, exist_ok=True)

members = gauger.read_table(gauger.demo_file("members.csv"))
visits = gauger.read_table(gauger.demo_file("visits.csv"))

# Behaviour: one row a member. Refunds are counted apart, and `as_of` says what "recent" is measured from.
behaviour = gauger.summarise_events(
    visits,
    customer="member_id",
    when="visited_on",
    amount="ticket_spend",
    quantity="seats",
    event_key="visit_id",
)
print(f"{len(behaviour):,} members, recency as of {behaviour.attrs['as_of']}")

# One scale. The cap keeps a handful of block-bookers from stretching every axis.
features = gauger.prepare(
    behaviour,
    key="member_id",
    features=["recency_days", "visits", "spend_mean", "seats_mean"],
    cap=(0.0, 0.99),
)

# How many segments: the advice gives its reasons.
study = gauger.study_counts(features)
print(study.advice)

# Segments, read against what else is known of the members, and then named by the analyst.
segments = gauger.segment_by_kmeans(features, study.advice.count)
print(gauger.profile(segments, members).medians.round(1).T)
longest_away = int(segments.centres["recency_days"].argmax()) + 1  # segments are numbered from 1
segments = segments.rename({longest_away: "not seen for long"})

gauger.write_table(segments.assignments, folder / "assignments.csv", replace=True)
gauger.draw.scatter(segments, x="visits", y="spend_mean").savefig(folder / "segments.png")
print(f"see {folder}")
