"""Comparisons, migration and campaigns"""

import tempfile

import numpy as np

import gauger

members = gauger.read_table(gauger.demo_file("members.csv"))
visits = gauger.read_table(gauger.demo_file("visits.csv"))
behaviour = gauger.summarise_events(
    visits, customer="member_id", when="visited_on", amount="ticket_spend", event_key="visit_id", as_of="2025-10-01"
)
later = gauger.summarise_events(
    visits, customer="member_id", when="visited_on", amount="ticket_spend", event_key="visit_id"
)
measures = ["recency_days", "visits", "spend_mean"]
features = gauger.prepare(behaviour, key="member_id", features=measures, cap=(0, 0.99))
segments = gauger.segment_by_kmeans(features, 4)
# %% flow
bands = gauger.segment_by_bands(features, bands={"visits": 2, "recency_days": 2})
gauger.draw.flow(gauger.compare(segments, bands))
# %% side_by_side
bands = gauger.segment_by_bands(features, bands={"visits": 2, "recency_days": 2})
gauger.draw.side_by_side(gauger.compare(segments, bands), x="recency_days", y="visits")
# %% migration_flow
now = gauger.segment_by_kmeans(gauger.prepare_alike(later, features), 4, seeding=segments.centres)
gauger.draw.migration_flow(gauger.migration(segments, now))
# %% campaign_outcome
with tempfile.TemporaryDirectory() as folder:
    gauger.hand_off(segments, members, f"{folder}/spring", campaign="spring", holdout=0.3)
    arms = gauger.read_table(f"{folder}/spring/arms.csv")
    contacted = (arms["arm"] == "contacted").to_numpy()
    came = np.random.default_rng(26).random(len(arms)) < np.where(contacted, 0.16, 0.05)  # made up
    outcome = gauger.measure(f"{folder}/spring", arms[["member_id"]].assign(responded=came.astype(int)))
gauger.draw.campaign_outcome(outcome)
