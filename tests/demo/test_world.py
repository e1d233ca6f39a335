"""The demo world: the shipped bytes, the planted kinds, and the mess."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.demo.homes import QUARTERS
from gauger.demo.kinds import BLOCK_BOOKER, KINDS
from gauger.demo.region import TOWNS
from gauger.demo.shipped_files import DATA_FOLDER
from gauger.demo.world import World, write_world
from gauger.errors import MissingFileError


def test_the_shipped_files_are_the_generator_s_to_the_byte(world: World, tmp_path: Path) -> None:
    made = {path.relative_to(tmp_path): path.read_bytes() for path in write_world(world, tmp_path)}
    shipped = {path.relative_to(DATA_FOLDER): path.read_bytes() for path in DATA_FOLDER.rglob("*.csv")}
    assert made.keys() == shipped.keys()
    assert [str(name) for name in made if made[name] != shipped[name]] == []
    assert sum(map(len, shipped.values())) < 3_000_000


def test_six_kinds_of_unequal_size_and_a_few_block_bookers(world: World) -> None:
    sizes = world.kinds.value_counts()
    assert len(world.kinds) == 2400
    shares = sizes[[kind.name for kind in KINDS]] / sizes.sum()
    assert len(shares) == 6
    assert shares.min() == pytest.approx(0.04, abs=0.005)
    assert shares.max() == pytest.approx(0.35, abs=0.01)
    assert 8 <= sizes[BLOCK_BOOKER.name] <= 12


def test_the_planted_kind_is_in_no_table_but_the_panel(world: World) -> None:
    words = {kind.name for kind in KINDS} | {kind.statement for kind in KINDS}
    for name, table in world.tables.items():
        text = {str(value) for column in table.select_dtypes(exclude="number") for value in table[column].unique()}
        assert bool(text & words) == (name == "panel.csv")


def test_about_one_in_ten_of_the_panel_is_mistaken(world: World) -> None:
    panel = world.tables["panel.csv"]
    said = {kind.name: kind.statement for kind in KINDS}
    truth = world.kinds.reindex(panel["member_id"]).map(said).to_numpy()
    assert len(panel) == 300
    assert 0.06 <= (panel["answer"].to_numpy() != truth).mean() <= 0.14


def test_the_members_have_the_mess_of_a_real_table(members: pd.DataFrame) -> None:
    assert 100 < members["age"].isna().sum() < 200
    assert members["staff_note"].nunique() == 1
    assert (members["area"].value_counts() == 1).sum() == 1
    addresses = members["email"].dropna()
    assert addresses.str.lower().str.extract(r"@(.*)$")[0].isin(["example.com", "example.org", "example.net"]).all()
    assert addresses.duplicated().any()


def test_the_homes_lie_in_a_town_two_rings_and_a_band_and_on_farms(world: World) -> None:
    homes = world.tables["homes.csv"].set_index("home_id")
    assert world.quarters.value_counts().to_dict() == QUARTERS
    assert homes.index.equals(world.quarters.index)
    for quarter, town in (("ring road", TOWNS[0]), ("lakeside", TOWNS[1])):
        way = np.hypot(*(homes[world.quarters == quarter].to_numpy() - town).T)
        assert way.std() < 0.1 * way.mean()
    assert not {"quarter", *QUARTERS} & set(homes.columns)


def test_the_visits_have_refunds_and_rows_written_twice(visits: pd.DataFrame) -> None:
    assert (visits["ticket_spend"] < 0).sum() >= 140
    assert visits.duplicated().sum() == 60
    assert 30_000 < len(visits) < 45_000
    assert visits["visited_on"].between("2024-01-01", "2025-12-28").all()


def test_weekly_admissions_have_gaps() -> None:
    weeks = gauger.read_table(gauger.demo_file("weekly_admissions.csv"))
    per_house = weeks.groupby("house").size()
    assert len(per_house) == 48
    assert weeks["week"].nunique() == 104
    assert per_house.min() < 100
    assert (per_house < 104).sum() > 20


def test_the_next_quarter_has_new_members_and_follows_on(visits: pd.DataFrame, members: pd.DataFrame) -> None:
    later = gauger.read_table(gauger.demo_file("later/visits.csv"))
    newcomers = gauger.read_table(gauger.demo_file("later/new_members.csv"))
    assert len(newcomers) == 400
    assert not set(newcomers["member_id"]) & set(members["member_id"])
    assert later["visited_on"].min() > visits["visited_on"].max()
    assert later["visit_id"].min() > visits["visit_id"].max()
    assert np.isin(later["member_id"].unique(), newcomers["member_id"]).any()


def test_an_unknown_demo_file_offers_the_nearest() -> None:
    with pytest.raises(MissingFileError, match=r"Did you mean 'members\.csv'"):
        gauger.demo_file("member.csv")
