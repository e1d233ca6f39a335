"""Only tables that Gauger made are replaced, and never one that is read, whatever it is called."""

import re
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pandas as pd
import pytest
from own_databases import Shop, planted, segmented
from own_postgres import PASSWORD

import gauger
from gauger.errors import DatabaseError, GaugerError
from gauger.tables import mark_of, new_name, transaction

PLAIN = {"key": "who", "features": ["visits", "spend"]}
BUSINESS = pd.DataFrame({"order_id": [1, 2], "total": [3.0, 4.0]})


def _names(shop: Shop) -> set[str]:
    if shop.url.startswith("sqlite"):
        return {str(row[0]) for row in shop.run("SELECT name FROM sqlite_master")}
    return {str(row[0]) for row in shop.run("SELECT table_name FROM information_schema.tables")}


def _drop(shop: Shop, *names: str) -> None:
    for name in names:
        for kind in ("VIEW", "TABLE"):
            with suppress(Exception):
                shop.run(f"DROP {kind} IF EXISTS {name}")


def test_a_table_that_gauger_did_not_make_is_never_replaced(shop: Shop) -> None:
    shop.write("base", planted(3, 40))
    shop.write("orders", BUSINESS)
    model = segmented(shop.url, table="base", into="made", count=3, replace=True, **PLAIN).model
    tries: list[Callable[[], object]] = [
        lambda: segmented(shop.url, table="base", into="orders", count=3, replace=True, **PLAIN),
        lambda: model.assign(gauger.open_table(shop.url, table="base"), into="orders", replace=True),
    ]
    for work in tries:
        with pytest.raises(DatabaseError, match="table orders was not made by Gauger, so it is not overwritten"):
            work()
    assert sorted(shop.run("SELECT order_id FROM orders")) == [(1,), (2,)]
    shop.write("ends_centres", BUSINESS)
    _drop(shop, "ends")
    with pytest.raises(DatabaseError, match="table ends_centres was not made by Gauger"):
        segmented(shop.url, table="base", into="ends", count=3, replace=True, **PLAIN)
    assert len(shop.run("SELECT order_id FROM ends_centres")) == 2
    _drop(shop, "ends_centres")


def test_a_table_that_gauger_made_is_replaced_when_told_to(shop: Shop) -> None:
    shop.write("base", planted(3, 40))
    _drop(shop, "made", "made_centres")
    model = segmented(shop.url, table="base", into="made", count=3, **PLAIN).model
    with pytest.raises(DatabaseError, match="table made already exists; add --replace to overwrite it"):
        segmented(shop.url, table="base", into="made", count=2, **PLAIN)
    assert segmented(shop.url, table="base", into="made", count=2, replace=True, **PLAIN).sizes.size == 2
    model.assign(gauger.open_table(shop.url, table="base"), into="made", replace=True)
    with transaction(shop.url) as session:
        mark = mark_of(session, new_name("made"))
    assert mark is not None
    assert mark.study == model.identity


def test_a_table_that_somebody_made_later_under_the_same_name_is_theirs(shop: Shop) -> None:
    shop.write("base", planted(3, 40))
    _drop(shop, "made", "made_centres")
    segmented(shop.url, table="base", into="made", count=3, **PLAIN)
    shop.run("DROP TABLE made")
    shop.run("CREATE TABLE made (who VARCHAR(9), segment INTEGER)")
    with pytest.raises(DatabaseError, match="table made was not made by Gauger"):
        segmented(shop.url, table="base", into="made", count=3, replace=True, **PLAIN)
    _drop(shop, "made", "made_centres")


def _spellings(shop: Shop) -> list[str]:
    if shop.url.startswith("sqlite"):
        return ["base", "BASE", "main.base", "Main.Base", '"main"."base"']
    return ["base", "public.base"] if shop.url.startswith("postgres") else ["base", "BASE", "main.base", "MAIN.BASE"]


@pytest.mark.slow
def test_what_is_read_is_never_replaced_under_any_spelling_or_through_views(shop: Shop) -> None:
    """The table that is read is one that Gauger made, so that nothing but its identity saves it."""
    shop.write("events", planted(3, 40))
    _drop(shop, "base_view", "base_view_of_view", "base", "base_centres")
    segmented(shop.url, table="events", into="base", count=3, **PLAIN)
    shop.run("CREATE VIEW base_view AS SELECT who, distance, segment FROM base WHERE distance > 0")
    shop.run(
        "CREATE VIEW base_view_of_view AS SELECT v.who, v.distance, e.visits "
        "FROM base_view AS v JOIN events AS e ON e.who = v.who"
    )
    before = sorted(shop.run("SELECT * FROM base"))
    for read in ("base", "base_view", "base_view_of_view"):
        for into in _spellings(shop):
            with pytest.raises(DatabaseError, match="is read by this command, perhaps through a view"):
                segmented(shop.url, table=read, into=into, key="who", features=["distance"], count=2, replace=True)
    assert sorted(shop.run("SELECT * FROM base")) == before
    _drop(shop, "base_view_of_view", "base_view", "base", "base_centres")  # fmt: skip


def test_the_table_of_customers_that_behaviour_is_made_for_is_not_replaced(shop: Shop) -> None:
    if shop.url.startswith("sqlite"):
        pytest.skip("behaviour is not made inside SQLite")
    _drop(shop, "visits_here", "customers")
    day = "DATE '2025-03-01'"
    shop.run(f"CREATE TABLE visits_here AS SELECT 'a' AS who, {day} AS day UNION ALL SELECT 'b', {day}")
    gauger.summarise_events(
        gauger.open_table(shop.url, table="visits_here"), into="customers", customer="who", when="day"
    )
    with pytest.raises(DatabaseError, match="table customers is read by this command"):
        gauger.summarise_events(
            gauger.open_table(shop.url, table="visits_here"),
            into="customers",
            customers="customers",
            customer="who",
            when="day",
            replace=True,
        )
    assert len(shop.run("SELECT * FROM customers")) == 2
    _drop(shop, "customers", "visits_here")


def test_partitions_of_what_is_read_are_read_too(postgres: str) -> None:
    shop = Shop(postgres)
    _drop(shop, "parted", "made_part", "made_part_centres", "flat")
    shop.write("flat", planted(3, 40))
    segmented(postgres, table="flat", into="made_part", count=3, **PLAIN)
    shop.run("CREATE TABLE parted (LIKE made_part)", "ALTER TABLE made_part INHERIT parted")
    with pytest.raises(DatabaseError, match="table made_part is read by this command"):
        segmented(postgres, table="parted", into="made_part", key="who", features=["distance"], count=2, replace=True)
    shop.run("DROP TABLE parted CASCADE")


def test_a_registry_that_is_somebody_elses_is_not_written_into(tmp_path: Path) -> None:
    import sqlite3

    with sqlite3.connect(tmp_path / "shop.db") as lite:
        planted(3, 40).to_sql("base", lite, index=False)
        lite.execute("CREATE TABLE gauger_tables (name TEXT, note TEXT)")
    url = f"sqlite:///{tmp_path}/shop.db"
    with pytest.raises(DatabaseError, match="the table gauger_tables is not the one in which Gauger notes"):
        segmented(url, table="base", into="made", count=3, **PLAIN)
    with sqlite3.connect(tmp_path / "shop.db") as lite:
        assert lite.execute("SELECT COUNT(*) FROM sqlite_master WHERE name LIKE 'made%'").fetchone() == (0,)


def test_a_view_that_cannot_be_followed_saves_every_table_that_exists(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    import sqlite3

    import sqlglot

    with sqlite3.connect(tmp_path / "shop.db") as lite:
        planted(3, 40).to_sql("base", lite, index=False)
        lite.execute("CREATE VIEW looking AS SELECT * FROM base")
    url = f"sqlite:///{tmp_path}/shop.db"
    segmented(url, table="looking", into="made", count=3, **PLAIN)

    def failing(*_: object, **__: object) -> object:
        raise sqlglot.errors.ParseError("no")

    monkeypatch.setattr(sqlglot, "parse_one", failing)
    with pytest.raises(DatabaseError, match="which tables the view looking reads is unknown"):
        segmented(url, table="looking", into="made", count=3, replace=True, **PLAIN)
    segmented(url, table="looking", into="another", count=3, **PLAIN)


def test_two_studies_that_share_a_table_are_never_mixed(
    shop: Shop, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("GAUGER_PASSWORD", PASSWORD)
    shop.write("base", planted(3, 40))
    _drop(shop, "shared", "shared_centres")
    for name, count in (("first", 3), ("second", 2)):
        segmented(
            shop.url, table="base", into="shared", count=count, out=tmp_path / name, replace=True, **PLAIN,
        )  # fmt: skip
    before = sorted(shop.run("SELECT * FROM shared"))
    tries: list[Callable[[], object]] = [
        lambda: gauger.name_study(tmp_path / "first", {1: "regulars"}),
        lambda: gauger.open_study(tmp_path / "first").profile,
        lambda: gauger.open_study(tmp_path / "first").assignments,
    ]
    for work in tries:
        with pytest.raises(DatabaseError, match=r"table shared belongs to another study .*2 segments of") as told:
            work()
        assert not re.search(r"Traceback|None", str(told.value))
    assert sorted(shop.run("SELECT * FROM shared")) == before
    assert gauger.open_study(tmp_path / "first").model.segment_names[1] == "segment 1"
    named = gauger.name_study(tmp_path / "second", {1: "regulars"})
    assert named.names[1] == "regulars"
    assert ("regulars",) in shop.run("SELECT DISTINCT segment_name FROM shared")
    gauger.name_study(tmp_path / "second", {2: "others"})  # the mark has stayed the study's
    _drop(shop, "shared", "shared_centres")
    with pytest.raises(GaugerError, match="table shared is not there any more"):
        gauger.name_study(tmp_path / "second", {1: "again"})
