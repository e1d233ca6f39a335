"""The whole made-up world of Ostrel Picture Houses, from one seed, and the files that are shipped of it."""

import datetime
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pandas as pd

from gauger.demo.admissions import build_admissions
from gauger.demo.homes import build_homes
from gauger.demo.kinds import BLOCK_BOOKER, KINDS
from gauger.demo.members import add_member_mess, build_members, planted_sizes
from gauger.demo.region import build_region
from gauger.demo.shipped_files import DATA_FOLDER
from gauger.demo.visits import add_visit_mess, build_visits

SEED = 48
"""The seed of the world: one for each house."""

FIRST_DAY = datetime.date(2024, 1, 1)
"""The first day of the two years that visits are made for."""

WEEKS = 104
"""Weeks of visits."""

LATER_FIRST_DAY = FIRST_DAY + datetime.timedelta(weeks=WEEKS)
LATER_WEEKS = 13
"""Weeks of the later table."""


@dataclass(frozen=True)
class World:
    """Every shipped table by its file name, and what no study may see: members' planted kinds, homes' quarters."""

    tables: Mapping[str, pd.DataFrame]
    kinds: pd.Series
    quarters: pd.Series


def build_world() -> World:
    """Build the demo world: the same bytes in every file each time."""
    rng_places, rng_members, rng_visits, rng_weeks, rng_panel, rng_later, rng_homes = (
        np.random.default_rng(stream) for stream in np.random.SeedSequence(SEED).spawn(7)
    )
    region = build_region(rng_places)
    houses = region.houses["house"].tolist()
    by_name = {kind.name: kind for kind in (*KINDS, BLOCK_BOOKER)}

    members, kinds = build_members(rng_members, region, planted_sizes(), 1, ("2019-03-01", "2025-06-30"))
    visits = build_visits(rng_visits, members, [by_name[k] for k in kinds], houses, FIRST_DAY, WEEKS)

    newcomers, new_kinds = build_members(
        rng_later, region, planted_sizes(400), len(members) + 1, ("2025-10-01", "2026-01-31")
    )
    everyone = pd.concat([members, newcomers], ignore_index=True)
    still_coming = [by_name[k] for k in pd.concat([kinds, new_kinds])]
    later = build_visits(rng_later, everyone, still_coming, houses, LATER_FIRST_DAY, LATER_WEEKS, prices=1.04)

    homes, quarters = build_homes(rng_homes)
    recorded = add_visit_mess(rng_visits, visits, refunds=140, repeats=60)
    next_id = int(recorded["visit_id"].max()) + 1
    tables = {
        "members.csv": add_member_mess(rng_members, members),
        "visits.csv": recorded,
        "houses.csv": region.houses,
        "homes.csv": homes,
        "weekly_admissions.csv": build_admissions(rng_weeks, houses, FIRST_DAY, WEEKS),
        "panel.csv": _build_panel(rng_panel, kinds),
        "suppression.csv": _build_suppression(rng_panel, members),
        "later/new_members.csv": add_member_mess(rng_later, newcomers),
        "later/visits.csv": add_visit_mess(rng_later, later, refunds=20, repeats=8, first_id=next_id),
    }
    return World(tables, kinds, quarters)


def write_world(world: World, folder: Path) -> list[Path]:
    """Write every table of the demo world as csv below `folder` and return the paths."""
    written = []
    for name, table in world.tables.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        table.to_csv(path, index=False, lineterminator="\n", float_format="%g")
        written.append(path)
    return written


def _build_panel(rng: np.random.Generator, kinds: pd.Series) -> pd.DataFrame:
    """300 members say which kind of cinema-goer they are; about one in ten picks a wrong answer."""
    private = kinds[kinds != BLOCK_BOOKER.name]
    asked = private.iloc[np.sort(rng.choice(len(private), size=300, replace=False))]
    statements = [kind.statement for kind in KINDS]
    answers = []
    for name in asked:
        true = next(kind.statement for kind in KINDS if kind.name == name)
        wrong = [statement for statement in statements if statement != true]
        answers.append(wrong[int(rng.integers(len(wrong)))] if rng.random() < 0.1 else true)
    return pd.DataFrame({"member_id": asked.index, "answer": answers})


def _build_suppression(rng: np.random.Generator, members: pd.DataFrame) -> pd.DataFrame:
    """Members and addresses that must not be contacted: some known by key, some by e-mail only."""
    chosen = members.iloc[np.sort(rng.choice(len(members), size=60, replace=False))]
    table = chosen[["member_id", "email"]].reset_index(drop=True)
    by_email = rng.random(len(table)) < 0.4
    table.loc[by_email, "member_id"] = None
    table.loc[~by_email, "email"] = None
    return table


if __name__ == "__main__":
    for written in write_world(build_world(), DATA_FOLDER):
        print(written)
