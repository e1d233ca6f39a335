"""Tables of polars and DuckDB go in as they are, and results go back the same way.

Run it as it stands, with polars installed: python examples/tables_from_anywhere.py [folder]
"""

import sys
import tempfile
from pathlib import Path

import duckdb
import polars

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="tables-from-anywhere-"))
folder.mkdir(parents=True, exist_ok=True)

# Visits filtered by polars: what is left is summarised as it stands.
visits = polars.read_csv(gauger.demo_file("visits.csv"), try_parse_dates=True)
evenings = visits.filter(polars.col("slot") != "matinee")
behaviour = gauger.summarise_events(
    evenings, customer="member_id", when="visited_on", amount="ticket_spend", event_key="visit_id"
)
features = gauger.prepare(behaviour, key="member_id", features=["recency_days", "visits", "spend_mean"], cap=(0, 0.99))
segments = gauger.segment_by_kmeans(features, 5)

# Members from DuckDB, with bands of age in an order that their names do not tell: it is kept.
shop = duckdb.connect()
shop.execute("CREATE TYPE stage AS ENUM ('student', 'starting out', 'settled', 'free again')")
members = shop.sql(
    f"""
    SELECT member_id, household,
        CASE WHEN age < 25 THEN 'student' WHEN age < 35 THEN 'starting out'
             WHEN age < 55 THEN 'settled' ELSE 'free again' END::stage AS stage
    FROM read_csv('{gauger.demo_file("members.csv")}') WHERE age IS NOT NULL
    """
)
profile = gauger.profile(segments, members)
print(profile.categories.loc["stage"].round(2).to_string())

# Back to polars: a segmentation is a table of customers, and so are comparisons, migrations and hand-offs.
assigned = polars.DataFrame(segments)
kiosk = visits.join(assigned, on="member_id").group_by("segment").agg(polars.col("kiosk_spend").mean().round(2))
print(kiosk.sort("segment"))
gauger.write_table(kiosk, folder / "kiosk.parquet", replace=True)

# Every remark says what to do.
for remark in (*segments.remarks, *profile.remarks):
    print(f"- {remark.code}: {remark.to_do}")
