"""The members of the demo world: who they are, where they live, and what their records lack."""

import datetime

import numpy as np
import pandas as pd

from gauger.demo.kinds import BLOCK_BOOKER, HOUSEHOLDS, KINDS, Kind
from gauger.demo.region import ISLAND, LONELY_AREA, Region, area_of, scatter_homes

_NAMES = (
    "tamsel orrin velka dunmar ishbel corvan merrit halse junip wendel brannock sorrel keth lunet padrow quillan "
    "eskel farrow gennet hobrin ilsabet jorun kestra lammas minnow norrik olwen perrin rosk severin tansy ulric"
).split()
_SURNAMES = "ashlock brindle copsey dray elver fennick garlow hask inglet jessop kell lorne marlish nidd oxley".split()
_DOMAINS = ("example.com", "example.org", "example.net")
AGE_BAND_EDGES = (25, 35, 50, 65)
"""Where age bands begin, as a club's form has them."""


def build_members(
    rng: np.random.Generator, region: Region, sizes: dict[Kind, int], first_id: int, joined: tuple[str, str]
) -> tuple[pd.DataFrame, pd.Series]:
    """A members table and, beside it, each member's planted kind (indexed by member_id)."""
    rows = pd.concat([_records_of(rng, kind, size) for kind, size in sizes.items()], ignore_index=True)
    n = len(rows)
    rows = rows.iloc[rng.permutation(n)].reset_index(drop=True)
    ids = [f"M{number:04d}" for number in range(first_id, first_id + n)]
    first, last = (datetime.date.fromisoformat(day) for day in joined)
    days = rng.integers(0, (last - first).days + 1, n)
    table = pd.DataFrame(
        {
            "member_id": ids,
            "joined_on": [(first + datetime.timedelta(days=int(day))).isoformat() for day in days],
            "age": rows["age"].astype("Int64"),
            "age_band": np.digitize(rows["age"], AGE_BAND_EDGES) + 1,
            "household": rows["household"],
            "home_house": region.nearest_house(rows["east"].to_numpy(), rows["north"].to_numpy()),
            "area": area_of(rows["east"].to_numpy(), rows["north"].to_numpy()),
            "east_km": rows["east"].round(1),
            "north_km": rows["north"].round(1),
            "email": [f"{_NAMES[a]}.{_SURNAMES[b]}{i[1:]}@{_DOMAINS[c]}" for i, a, b, c in _addresses(rng, ids)],
            "phone": [f"+99955{number:06d}" for number in rng.permutation(900_000)[:n] + 100_000],
            "consent_email": (rng.random(n) < 0.72).astype(int),
            "consent_post": (rng.random(n) < 0.55).astype(int),
            "staff_note": "none",
        }
    )
    return table, pd.Series(rows["kind"].to_numpy(), index=pd.Index(ids, name="member_id"), name="kind")


def add_member_mess(rng: np.random.Generator, members: pd.DataFrame) -> pd.DataFrame:
    """The faults of a real table: missing ages and addresses, untidy and shared addresses, an area with one member."""
    table = members.copy()
    n = len(table)
    table.loc[rng.random(n) < 0.06, "age"] = pd.NA
    table.loc[rng.random(n) < 0.03, "email"] = None
    untidy = table.index[(rng.random(n) < 0.02) & table["email"].notna()]
    table.loc[untidy, "email"] = table.loc[untidy, "email"].str.upper()
    shared = rng.choice(np.flatnonzero(table["email"].notna()), size=40, replace=False)
    table.loc[shared[:20], "email"] = table.loc[shared[20:], "email"].to_numpy()
    islander = int(rng.integers(n))
    table.loc[islander, "area"] = LONELY_AREA
    table.loc[islander, "east_km"], table.loc[islander, "north_km"] = ISLAND
    return table


def planted_sizes(total: int | None = None) -> dict[Kind, int]:
    """How many members of each kind: the full club, or a smaller number in the same proportions."""
    full = {kind: kind.members for kind in (*KINDS, BLOCK_BOOKER)}
    if total is None:
        return full
    everyone = sum(kind.members for kind in KINDS)
    sizes = {kind: round(total * kind.members / everyone) for kind in KINDS}
    sizes[KINDS[0]] += total - sum(sizes.values())
    return sizes


def _records_of(rng: np.random.Generator, kind: Kind, n: int) -> pd.DataFrame:
    east, north = scatter_homes(rng, n, kind.town)
    mean, spread = kind.age
    return pd.DataFrame(
        {
            "kind": kind.name,
            "east": east,
            "north": north,
            "age": np.clip(np.rint(rng.normal(mean, spread, n)), 16, 88).astype(int),
            "household": rng.choice(HOUSEHOLDS, size=n, p=kind.households),
        }
    )


def _addresses(rng: np.random.Generator, ids: list[str]) -> list[tuple[str, int, int, int]]:
    picks = [rng.integers(0, size, len(ids)) for size in (len(_NAMES), len(_SURNAMES), len(_DOMAINS))]
    return [(i, int(a), int(b), int(c)) for i, a, b, c in zip(ids, *picks, strict=True)]
