"""A study of the count"""

import gauger

visits = gauger.read_table(gauger.demo_file("visits.csv"))
behaviour = gauger.summarise_events(
    visits, customer="member_id", when="visited_on", amount="ticket_spend", quantity="seats", event_key="visit_id"
)
measures = ["recency_days", "visits", "spend_mean", "seats_mean"]
features = gauger.prepare(behaviour, key="member_id", features=measures, cap=(0, 0.99))
study = gauger.study_counts(features)
# %% count_study
gauger.draw.count_study(study)
# %% silhouette_diagrams
gauger.draw.silhouette_diagrams(study)
# %% segment_splits
gauger.draw.segment_splits(study)
