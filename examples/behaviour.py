"""From a table of visits to features that deserve to be clustered, with what Gauger says on the way.

Run it from anywhere: `python examples/behaviour.py [FOLDER]`. The same from a database is one word different:
`gauger.read_table("postgresql+psycopg://analyst@localhost/shop", table="visits")`.
"""

import sys
import tempfile
from pathlib import Path

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="behaviour-"))
folder.mkdir(parents=True, exist_ok=True)
members = gauger.read_table(gauger.demo_file("members.csv"))
visits = gauger.read_table(gauger.demo_file("visits.csv"))

# One row a member: recency, frequency, money, regularity, and what was chosen. The event key counts repeats once, and
# `customers` lets the members who never came in.
behaviour = gauger.summarise_events(
    visits,
    customer="member_id",
    when="visited_on",
    amount="ticket_spend",
    quantity="seats",
    category="film_kind",
    event_key="visit_id",
    measures=["recency_days", "visits", "active_days", "gap_days_mean", "spend_total", "spend_mean", "share_kind"],
    customers=members,
)
print(f"{len(behaviour):,} members, as of {behaviour.attrs['as_of']}")
for remark in gauger.remarks_of(behaviour):
    print(f"- {remark}")

# A first try, to hear what is wrong with it.
careless = gauger.prepare(behaviour, key="member_id", missing={"gap_days_mean": "zero"})
for remark in careless.remarks:
    print(f"- {remark}")

# What the remarks asked for: no measure twice, a meaning for the gap of those who came once, tails pulled in.
features = gauger.prepare(
    behaviour,
    key="member_id",
    features=["recency_days", "visits", "gap_days_mean", "spend_mean", "share_kind_family", "share_kind_arthouse"],
    missing={"gap_days_mean": "median"},
    flag_missing=["gap_days_mean"],
    cap={"gap_days_mean": (0.0, 0.99), "spend_mean": (0.0, 0.99)},
    transform={"visits": "log", "gap_days_mean": "log", "spend_mean": "log", "share_kind_arthouse": "sqrt"},
    scale={"recency_days": "rank"},
    weight={"recency_days": 3.0},
)
print(features)

gauger.draw.distributions(behaviour, "member_id").savefig(folder / "distributions.png")
gauger.draw.correlations(behaviour, "member_id").savefig(folder / "correlations.png")
gauger.draw.treatments(features).savefig(folder / "treatments.png")

# The statement that gives the same behaviour where the visits live.
statement = gauger.events_sql(
    visits, dialect="postgres", table="visits", customer="member_id", when="visited_on", amount="ticket_spend"
)
(folder / "behaviour.sql").write_text(statement)

# Long series to one row a house, the weeks a house was closed filled by the line between their neighbours.
weekly = gauger.read_table(gauger.demo_file("weekly_admissions.csv"))
houses = gauger.pivot_series(weekly, entity="house", period="week", value="admissions", missing="interpolate")
print(f"{len(houses)} houses x {houses.shape[1] - 1} weeks")
print(f"see {folder}")
