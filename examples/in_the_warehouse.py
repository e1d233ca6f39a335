"""Members who stay in their database: behaviour, count, segments, profile and drift, all worked out inside it.

Run it from anywhere: `python examples/in_the_warehouse.py [FOLDER]`. It makes a DuckDB of Ostrel Picture Houses there;
with a URL such as postgresql://user@host/shop the same lines work in PostgreSQL.
"""

import sys
import tempfile
from pathlib import Path

import duckdb

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="in-the-warehouse-"))
folder.mkdir(parents=True, exist_ok=True)
with duckdb.connect(str(folder / "ostrel.duckdb")) as shop:
    for name in ("members", "visits"):
        shop.register("given", gauger.read_table(gauger.demo_file(f"{name}.csv")))
        shop.execute(f"CREATE OR REPLACE TABLE {name} AS SELECT * FROM given")
url = f"duckdb:///{folder / 'ostrel.duckdb'}"

# From visits to behaviour, one row per member, in a table of the database.
behaviour = gauger.summarise_events(
    gauger.open_table(url, table="visits"),
    into="behaviour",
    customer="member_id",
    when="visited_on",
    amount="ticket_spend",
    event_key="visit_id",
    customers="members",
    replace=True,
)
print(behaviour.headline())
base = gauger.open_table(url, table="behaviour", execution=gauger.Execution(sample=1_000))
print(gauger.look(base, key="member_id").columns[["role", "median", "skew"]])

# How many segments: the one step that members leave the database for, and only as many as are asked for.
features = gauger.prepare(base, key="member_id", features=["recency_days", "visits", "spend_mean"], cap=(0, 0.99))
advice = gauger.study_counts(features, counts=range(1, 7)).advice
print(f"Advice: {advice.count} segments ({advice.verdict}), from {features.noun.counted(len(features.keys))}.")

# Learned, assigned and written inside the database: the tables segments and segments_centres.
seg = gauger.segment_by_kmeans(features, max(advice.count, 2))
print(seg)
print(seg.history)
gauger.save_study(seg, folder / "study", into="segments", replace=True)

# What they are like, by sums and quantiles, and the model for those who come.
study = gauger.open_study(folder / "study")
for number in study.profile.numbers:
    print(study.profile.in_words(number))
done = study.model.assign(base, into="placed", gate="learned", replace=True)
print(done)
print(gauger.drift(study.model, base).advice)
print(gauger.write_report(study, folder / "report.html", replace=True))
