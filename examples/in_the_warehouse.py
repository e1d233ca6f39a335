"""Members who stay in their database: behaviour, count, segments, profile and drift, all worked out inside it.

Run it from anywhere: `python examples/in_the_warehouse.py [FOLDER]`. It makes a DuckDB of Ostrel Picture Houses there;
with a URL such as postgresql://user@host/shop the same lines work in PostgreSQL.
"""

import sys
import tempfile
from pathlib import Path
from typing import Any

import duckdb

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="in-the-warehouse-"))
folder.mkdir(parents=True, exist_ok=True)
with duckdb.connect(str(folder / "ostrel.duckdb")) as shop:
    for name in ("members", "visits"):
        shop.register("given", gauger.read_table(gauger.demo_file(f"{name}.csv")))
        shop.execute(f"CREATE OR REPLACE TABLE {name} AS SELECT * FROM given")
url = f"duckdb:///{folder / 'ostrel.duckdb'}"

# From visits to behaviour, a row a member, in a table of the database.
behaviour = gauger.summarise_in_database(
    url,
    table="visits",
    into="behaviour",
    customer="member_id",
    when="visited_on",
    amount="ticket_spend",
    event_key="visit_id",
    customers="members",
    replace=True,
)
print(behaviour.headline())
print(gauger.look_in_database(url, table="behaviour", key="member_id").columns[["role", "median", "skew"]])

# How many segments: the one step that members leave the database for, and only as many as are asked for.
preparation: dict[str, Any] = {
    "table": "behaviour",
    "key": "member_id",
    "features": ["recency_days", "visits", "spend_mean"],
    "cap": (0, 0.99),
}
sample = gauger.prepare_in_database(url, sample=1_000, **preparation)
advice = gauger.study_counts(sample, counts=range(1, 7)).advice
print(f"Advice: {advice.count} segments ({advice.verdict}), from {sample.noun.counted(len(sample.keys))}.")

# Learned, assigned and written inside the database: the tables segments and segments_centres.
found = gauger.segment_in_database(
    url, into="segments", count=max(advice.count, 2), out=folder / "study", replace=True, **preparation
)
print(found)
print(found.history)

# What they are like, by sums and quantiles, and the model for those who come.
study = gauger.open_study(folder / "study")
for number in study.profile.numbers:
    print(study.profile.in_words(number))
done = gauger.assign_in_database(study.model, url, table="behaviour", into="placed", gate="learned", replace=True)
print(done)
print(gauger.drift_in_database(study.model, url, table="behaviour").advice)
print(gauger.write_report(study, folder / "report.html", replace=True))
