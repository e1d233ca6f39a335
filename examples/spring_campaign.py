"""A spring campaign: audiences with consent, suppression and a holdout; when it is over, what it did and where.

Run it from anywhere: `python examples/spring_campaign.py [FOLDER]`.
"""

import sys
import tempfile
from pathlib import Path

import numpy as np
import pandas as pd

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="spring-campaign-"))
folder.mkdir(parents=True, exist_ok=True)
members = gauger.read_table(gauger.demo_file("members.csv"))
behaviour = gauger.summarise_events(
    gauger.read_table(gauger.demo_file("visits.csv")),
    customer="member_id",
    when="visited_on",
    amount="ticket_spend",
    quantity="seats",
    event_key="visit_id",
)
features = gauger.prepare(
    behaviour, key="member_id", features=["recency_days", "visits", "spend_mean", "seats_mean"], cap=(0.0, 0.99)
)
segments = gauger.segment_by_kmeans(features, 6)
segments = segments.rename(gauger.profile(segments).suggested_names)
family = next(number for number, name in segments.names.items() if "many seats" in name)

# Hand off: who may be contacted, once each, with 30 % of each segment held out to measure by.
made = gauger.hand_off(
    segments,
    members,
    folder / "hand-off",
    campaign="spring 2026",
    holdout=0.3,
    suppress=gauger.read_table(gauger.demo_file("suppression.csv")),
    columns=["email", "home_house"],
    match_on="email",
    min_size=50,
    base_rate=0.05,
    model=gauger.build_model(segments),
    replace=True,
)
print(made.headline())
print(made.waterfall.drop(columns="name").T.to_string())
print(made.holdouts.round(3).to_string())
for remark in made.remarks:
    print(f"- {remark}")

# The campaign runs. Its outcomes are simulated: 5 % would have come anyway, and of the families contacted 25 % come.
arms = gauger.read_table(folder / "hand-off" / "arms.csv")
moved = (arms["segment"] == family) & (arms["arm"] == "contacted")
came = np.random.default_rng(26).random(len(arms)) < np.where(moved, 0.25, 0.05)
outcomes = pd.DataFrame({"member_id": arms["member_id"], "came": came.astype(int), "spent": came * 24.0})

# What did it do? More response among families, and nothing that could be told elsewhere.
outcome = gauger.measure(folder / "hand-off", outcomes, responded="came", value="spent")
print(outcome.headline())
print(outcome.table[["name", "response", "holdout_response", "uplift", "low", "high", "reading"]].round(3).to_string())
for remark in outcome.remarks:
    print(f"- {remark}")
found = outcome.table["reading"].drop("all")
assert found[found == "more"].index.tolist() == [family]
gauger.draw.campaign_outcome(outcome).savefig(folder / "outcome.png")
print(f"hand-off/ and outcome.png are in {folder}")
