"""Tables and features"""

import gauger

members = gauger.read_table(gauger.demo_file("members.csv"))
visits = gauger.read_table(gauger.demo_file("visits.csv"))
behaviour = gauger.summarise_events(
    visits, customer="member_id", when="visited_on", amount="ticket_spend", quantity="seats", event_key="visit_id"
)
# %% distributions
gauger.draw.distributions(behaviour, "member_id")
# %% correlations
gauger.draw.correlations(behaviour, "member_id")
# %% treatments
measures = ["recency_days", "visits", "spend_mean", "seats_mean"]
features = gauger.prepare(behaviour, key="member_id", features=measures, cap=(0, 0.99), transform={"visits": "log"})
gauger.draw.treatments(features)
