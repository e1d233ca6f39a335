"""Line items as tills write them: several lines an order, equal prices inside one, an export that repeats some rows.

Run it from anywhere: `python examples/kiosk_lines.py [FOLDER]`. The event key makes lines into orders, so that no
sale is lost and visits are visits; a suppression list in as many forms as people write is read and accounted for.
"""

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
