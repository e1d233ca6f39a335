"""A plan from a colleague names a database and a query: what is asked before either is used, and what is never run.

Run it from anywhere: `python examples/received_plan.py [FOLDER]`.
"""

import sqlite3
import sys
import tempfile
from pathlib import Path

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="received-plan-"))
folder.mkdir(parents=True, exist_ok=True)
(folder / "ostrel.db").unlink(missing_ok=True)
with sqlite3.connect(folder / "ostrel.db") as shop:
    gauger.read_table(gauger.demo_file("homes.csv")).to_sql("homes", shop, index=False)

plan = folder / "received.toml"
text = f"""
key = "home_id"

[source]
url = "sqlite:///{(folder / "ostrel.db").as_posix()}"
query = "SELECT home_id, east_km, north_km FROM homes WHERE east_km > 0"

[features.east_km]
[features.north_km]

[segments]
count = 3
"""
plan.write_text(text)

# Nobody here has typed this query or approved it: it is shown, and not run. (A second run of this example finds it
# approved, because approvals are remembered.)
try:
    study = gauger.run_plan(plan, folder / "study", replace=True)
except gauger.errors.UnapprovedError as error:
    print(error)
    study = gauger.run_plan(plan, folder / "study", replace=True, trust=True)  # it was read, and is trusted
print(study)

# Editing another part of the plan does not ask again.
plan.write_text(text.replace("count = 3", "count = 4"))
print(gauger.run_plan(plan, folder / "study", replace=True).segmentation.sizes.to_dict())

# A query that is anything but one SELECT is never sent, whoever trusts it.
plan.write_text(text.replace("SELECT home_id, east_km, north_km FROM homes WHERE east_km > 0", "DROP TABLE homes"))
try:
    gauger.run_plan(plan, folder / "study", replace=True, trust=True)
except gauger.errors.SettingError as error:
    print(error)
