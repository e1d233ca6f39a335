"""Line items as tills write them: several lines an order, equal prices inside one, an export that repeats some rows.

Run it from anywhere: `python examples/kiosk_lines.py [FOLDER]`. The event key makes lines into orders, so that no
sale is lost and visits are visits; a suppression list in as many forms as people write is read and accounted for.

Then the whole way as commands, from the till's export to the second half of the year: lines without a card, moments
with a time zone, products in a second table, contacts that were copied, and redemptions one row each.
"""

import shlex
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import pandas as pd

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="kiosk-"))
folder.mkdir(parents=True, exist_ok=True)
rng = np.random.default_rng(7)
members = gauger.read_table(gauger.demo_file("members.csv")).head(600)

# The kiosk's till: one to four lines an order, most things for 2.50.
orders = pd.DataFrame({"member_id": rng.choice(members["member_id"], 9_000)})
orders["at"] = pd.Timestamp("2025-01-01 14:00") + pd.to_timedelta(rng.integers(0, 360 * 24, 9_000), "h")
orders["order_no"] = np.arange(1, 9_001)
lines = orders.loc[orders.index.repeat(rng.integers(1, 5, 9_000))].reset_index(drop=True)
lines["item"] = rng.choice(["tea", "crisps", "nuts", "cone"], len(lines))
lines["price"] = np.where(lines["item"] == "cone", 4.0, 2.5)
lines["line_no"] = lines.groupby("order_no").cumcount() + 1
lines = pd.concat([lines, lines.iloc[rng.choice(len(lines), 50, replace=False)]])
source = gauger.write_table(lines, folder / "lines.csv", replace=True)

bought = gauger.summarise_events(
    source, customer="member_id", when="at", amount="price", category="item", event_key="order_no"
)
print(f"{bought.attrs['rows']:,} rows are {bought.attrs['lines']:,} lines of {bought.attrs['events']:,} orders")
for remark in gauger.remarks_of(bought):
    print("-", remark)

features = gauger.prepare(bought, key="member_id", features=["recency_days", "visits", "spend_mean"], transform="log")
segments = gauger.segment_by_kmeans(features, 3)
by_key, by_email, by_phone = (str(members[column][row]) for row, column in enumerate(["member_id", "email", "phone"]))
handed = gauger.hand_off(
    segments,
    members,
    folder / "kiosk",
    campaign="kiosk",
    suppress=[by_key.lower(), f"Somebody <{by_email.upper()}>", by_phone.replace("+", "00")],
    replace=True,
)
print(handed.headline())
print("-", handed.remarks[0])
print(f"audience files are in {folder}")

# The till's own export: moments in UTC, a product number, and no card in one line of eight.
till = lines.drop(columns=["item"]).assign(
    at=lines["at"].dt.strftime("%Y-%m-%dT%H:%M:%SZ"),
    product_id=lines["item"].map({"tea": 11, "crisps": 21, "nuts": 22, "cone": 31}),
    member_id=lines["member_id"].mask(rng.random(len(lines)) < 0.125),
)
gauger.write_table(till[till["at"] < "2025-07"], folder / "first-half.csv", replace=True)
gauger.write_table(till[till["at"] >= "2025-07"], folder / "second-half.csv", replace=True)
products = pd.DataFrame({"product_id": [11, 21, 22], "shelf": ["drinks", "salty", "salty"]})  # the cone is missing
gauger.write_table(products, folder / "products.csv", replace=True)
gauger.write_table(members[["member_id"]].head(550), folder / "cards.csv", replace=True)

# Contacts: some rows were exported twice, and some members have an older address as well.
older = members.head(40).assign(email=[f"old{row}@example.com" for row in range(40)], updated="2023-01-01")
contacts = pd.concat([members.assign(updated="2025-06-01"), members.iloc[:25].assign(updated="2025-06-01"), older])
gauger.write_table(contacts, folder / "contacts.csv", replace=True)

# Redemptions: one row each, some before the campaign, some by nobody who can be recognised.
redeemed = pd.DataFrame({"member_id": rng.choice(members["member_id"], 400), "amount": rng.choice([2.5, 4.0], 400)})
redeemed["on"] = (pd.Timestamp("2025-06-25") + pd.to_timedelta(rng.integers(0, 30, 400), "D")).strftime("%Y-%m-%d")
redeemed.loc[:9, "member_id"] = None
gauger.write_table(redeemed, folder / "redemptions.csv", replace=True)

plan = """
key = "member_id"

[source]
file = "cards.csv"

[events]
file = "first-half.csv"
when = "at"
amount = "price"
category = "shelf"
event_key = "order_no"
zone = "Europe/London"
without_customer = "drop"
only_customers = true
on = "product_id"

[events.lookup]
file = "products.csv"

[features.recency_days]
transform = "log"

[features.visits]
transform = "log"

[features.spend_mean]

[segments]
count = 3
"""
(folder / "plan.toml").write_text(plan, encoding="utf-8")
commands = [
    "gauger features first-half.csv --customer member_id --when at --amount price --event-key order_no "
    "--category shelf --lookup products.csv --on product_id --without-customer drop --customers cards.csv "
    "--only-customers --zone Europe/London --out behaviour.csv --replace",
    "gauger run plan.toml --out first --replace",
    "gauger handoff first contacts.csv --campaign salty --holdout 0.3 --contact 'newest updated' --out salty --replace",
    "gauger measure salty redemptions.csv --when on --from 2025-07-01 --to 2025-07-14 --value amount",
    "gauger run plan.toml --events second-half.csv --out second --replace",
    "gauger drift first second",
    "gauger migrate first second",
]
for command in commands:
    print(f"\n$ {command}", flush=True)
    subprocess.run([sys.executable, "-m", *shlex.split(command)], cwd=folder, check=True)
