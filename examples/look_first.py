"""What Gauger says of a raw table before anything is clustered, and of features that were chosen carelessly.

Run it from anywhere: `python examples/look_first.py`.
"""

import gauger

members = gauger.read_table(gauger.demo_file("members.csv"))

seen = gauger.look(members, key="member_id")
print(seen.columns[["role", "type", "missing", "distinct"]])
for remark in seen.remarks:
    print(f"- {remark}")

# Missing ages must be given a meaning; saying nothing is an error that names the choices.
try:
    gauger.prepare(members, key="member_id", features=["age", "east_km"])
except gauger.GaugerError as error:
    print(f"refused: {error}")

# Careless on purpose: raw scales, a constant, a code in steps.
careless = members[["member_id", "east_km", "age_band"]].assign(club_year=2025, spend_cents=members.index * 250)
for remark in gauger.prepare(careless, key="member_id", scale="none").remarks:
    print(f"- {remark}")
