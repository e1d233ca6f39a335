"""Segments"""

import gauger

members = gauger.read_table(gauger.demo_file("members.csv"))
visits = gauger.read_table(gauger.demo_file("visits.csv"))
behaviour = gauger.summarise_events(
    visits, customer="member_id", when="visited_on", amount="ticket_spend", quantity="seats", event_key="visit_id"
)
measures = ["recency_days", "visits", "spend_mean", "seats_mean"]
features = gauger.prepare(behaviour, key="member_id", features=measures, cap=(0, 0.99))
segments = gauger.segment_by_kmeans(features, 6)
segments = segments.rename(gauger.profile(segments).suggested_names)
# %% scatter
gauger.draw.scatter(segments, x="visits", y="spend_mean", outline="ellipse")
# %% component_scatter
gauger.draw.component_scatter(segments)
# %% pair_grid
gauger.draw.pair_grid(segments)
# %% silhouettes_and_scatter
gauger.draw.silhouettes_and_scatter(segments)
# %% segment_boxes
gauger.draw.segment_boxes(segments, kind="violin")
# %% segment_spread
gauger.draw.segment_spread(segments)
# %% segment_map
gauger.draw.segment_map(segments, members)
# %% iteration_history
gauger.draw.iteration_history(segments)
