"""A profile"""

import gauger

members = gauger.read_table(gauger.demo_file("members.csv"))
visits = gauger.read_table(gauger.demo_file("visits.csv"))
behaviour = gauger.summarise_events(
    visits, customer="member_id", when="visited_on", amount="ticket_spend", quantity="seats", event_key="visit_id"
)
measures = ["recency_days", "visits", "spend_mean", "seats_mean"]
features = gauger.prepare(behaviour, key="member_id", features=measures, cap=(0, 0.99))
segments = gauger.segment_by_kmeans(features, 6)
profile = gauger.profile(segments, members)
# %% profile_bars
gauger.draw.profile_bars(profile)
# %% profile_heat
gauger.draw.profile_heat(profile)
# %% profile_lines
gauger.draw.profile_lines(profile)
# %% profile_bubbles
gauger.draw.profile_bubbles(profile, x="visits", y="spend_mean", size="seats_mean")
# %% category_shares
gauger.draw.category_shares(profile, "household")
