"""Who are they? From segments to names and a target audience, checked against a panel's own answers and plain bands.

Run it from anywhere: `python examples/who_are_they.py [FOLDER]`.
"""

import sys
import tempfile
from pathlib import Path

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="who-are-they-"))
folder.mkdir(parents=True, exist_ok=True)
members = gauger.read_table(gauger.demo_file("members.csv"))
visits = gauger.read_table(gauger.demo_file("visits.csv"))
behaviour = gauger.summarise_events(
    visits,
    customer="member_id",
    when="visited_on",
    amount="ticket_spend",
    quantity="seats",
    category="film_kind",
    event_key="visit_id",
    measures=["recency_days", "visits", "spend_total", "spend_mean", "seats_mean", "share_kind"],
)
features = gauger.prepare(
    behaviour, key="member_id", features=["recency_days", "visits", "spend_mean", "seats_mean"], cap=(0.0, 0.99)
)
segments = gauger.segment_by_kmeans(features, 6)

# Everything that is known of the members describes the segments, also what they were not made of.
known = behaviour.merge(members, on="member_id")
profile = gauger.profile(segments, known)
segments = segments.rename(profile.suggested_names)
profile = gauger.profile(segments, known)
for number in profile.numbers:
    print(profile.in_words(number))
for remark in profile.remarks:
    print(f"- {remark}")

# Is it so? A panel of 300 members said themselves what kind of cinema-goer they are.
panel = gauger.read_table(gauger.demo_file("panel.csv")).set_index("member_id")["answer"]
against_panel = gauger.compare(segments, panel)
print(against_panel.headline())
for row in against_panel.matched.itertuples():
    print(f'"{row.name}": {row.share:.0%} of those asked say "{row.other}"')

# Does clustering earn its keep? The usual fifths of recency, frequency and money, added up, in as many segments.
bands = gauger.segment_by_bands(
    features,
    {"recency_days": 5, "visits": 5, "spend_mean": 5},
    combine="score",
    score_bands=6,
    low_is_good=["recency_days"],
)
print(gauger.compare(segments, bands).answer)

# The audience of a family offer: who is in the segment, came lately, and may be written to.
family = next(number for number, name in segments.names.items() if "many seats" in name)
audience = gauger.members(
    segments,
    known,
    segment=family,
    where="recency_days <= 90 and consent_email == 1",
    sort="spend_total",
    descending=True,
    columns=["segment_name", "household", "home_house", "visits", "spend_total"],
)
print(f"{len(audience):,} of {segments.sizes[family]:,} are the audience of a family offer, the first of them:")
print(audience.head(3).to_string(index=False))
gauger.write_table(audience, folder / "family_offer.csv", replace=True)

gauger.draw.profile_heat(profile).savefig(folder / "heat.png")
gauger.draw.profile_lines(profile).savefig(folder / "lines.png")
gauger.draw.profile_bubbles(profile).savefig(folder / "bubbles.png")
gauger.draw.category_shares(profile).savefig(folder / "households.png")
gauger.draw.component_scatter(segments).savefig(folder / "components.png")
gauger.draw.pair_grid(segments).savefig(folder / "pairs.png")
gauger.draw.segment_boxes(segments, kind="violin").savefig(folder / "violins.png")
gauger.draw.segment_map(segments, members).savefig(folder / "map.png")
gauger.draw.silhouettes_and_scatter(segments).savefig(folder / "silhouettes.png")
gauger.draw.flow(against_panel).savefig(folder / "panel.png")
print(f"figures and family_offer.csv are in {folder}")
