"""Which events count: from when, whose, in whose days, and what a lookup adds; in memory, files and databases alike."""

from pathlib import Path

import duckdb
import pandas as pd
import pytest

import gauger
from gauger.errors import KeyColumnError, SettingError, UnknownColumnError

LINES = pd.DataFrame(
    {
        "card": ["a", "a", None, "b", "b", "c", None],
        "day": ["2025-01-10", "2025-06-01", "2025-06-02", "2025-06-03", "2025-07-01", "2025-07-30", "2025-07-31"],
        "paid": [10.0, 5.0, 30.0, 20.0, 5.0, 10.0, 20.0],
        "product": ["p1", "p2", "p1", "p1", "p9", "p2", "p1"],
    }
)
PRODUCTS = pd.DataFrame({"product": ["p1", "p2"], "aisle": ["bread", "milk"]})
SAID = {"customer": "card", "when": "day", "amount": "paid"}


def _places(tmp_path: Path) -> dict[str, object]:
    """The same lines in memory, in a csv file, in Parquet and in a database."""
    LINES.to_csv(tmp_path / "lines.csv", index=False)
    LINES.to_parquet(tmp_path / "lines.parquet")
    with duckdb.connect(str(tmp_path / "shop.duckdb")) as shop:
        shop.register("given", LINES.assign(day=pd.to_datetime(LINES["day"])))
        shop.register("products_given", PRODUCTS)
        shop.register("members_given", pd.DataFrame({"card": ["a", "z"]}))
        shop.execute("CREATE TABLE lines AS SELECT * FROM given")
        shop.execute("CREATE TABLE products AS SELECT * FROM products_given")
        shop.execute("CREATE TABLE members AS SELECT * FROM members_given")
    url = f"duckdb:///{tmp_path}/shop.duckdb"
    return {
        "memory": LINES,
        "csv": str(tmp_path / "lines.csv"),
        "parquet": str(tmp_path / "lines.parquet"),
        "database": gauger.open_table(url, table="lines"),
    }


def _made(place: str, given: object, tmp_path: Path, **settings: object) -> tuple[pd.DataFrame, list[gauger.Remark]]:
    if place != "database":
        found = gauger.summarise_events(given, **SAID, **settings)
        return found, list(gauger.remarks_of(found))
    names = {"lookup": "products", "customers": "members"}
    own = {name: names.get(name, value) for name, value in settings.items()}
    made = gauger.summarise_events(given, **SAID, **own, into="behaviour", replace=True)
    url = f"duckdb:///{tmp_path}/shop.duckdb"
    return gauger.read_table(url, table="behaviour").sort_values("card", ignore_index=True), list(made.remarks)


@pytest.mark.parametrize("place", ["memory", "csv", "parquet", "database"])
def test_every_place_leaves_out_the_same_events_and_says_so(place: str, tmp_path: Path) -> None:
    given = _places(tmp_path)[place]
    with pytest.raises(KeyColumnError, match=r"'card' is missing in 2 events.*--without-customer drop"):
        _made(place, given, tmp_path)
    found, remarks = _made(place, given, tmp_path, without_customer="drop", since="2025-06-01")
    assert found[["card", "visits", "spend_total"]].to_numpy().tolist() == [
        ["a", 1, 5.0],
        ["b", 2, 25.0],
        ["c", 1, 10.0],
    ]
    assert found["recency_days"].tolist() == [60, 30, 1]
    said = {one.code: one.text for one in remarks}
    assert said["events-without-customer"].startswith("2 of 7 rows have no customer, with 50% of paid, and were left")
    assert said["before-since"] == "1 row before 2025-06-01 was left out."


@pytest.mark.parametrize("place", ["memory", "csv", "parquet", "database"])
def test_a_lookup_joins_many_to_one_and_counts_what_was_not_found(place: str, tmp_path: Path) -> None:
    given = _places(tmp_path)[place]
    found, remarks = _made(
        place, given, tmp_path, without_customer="drop", lookup=PRODUCTS, on="product", category="aisle"
    )
    assert found["share_aisle_bread"].tolist() == [0.5, 0.5, 0.0]
    assert found["share_aisle_milk"].tolist() == [0.5, 0.0, 1.0]
    (said,) = (one.text for one in remarks if one.code == "lookup-not-found")
    assert said.startswith("1 of 7 rows (14%) are not in the lookup by product")


@pytest.mark.parametrize("place", ["memory", "csv", "parquet", "database"])
def test_customers_of_the_table_only(place: str, tmp_path: Path) -> None:
    given = _places(tmp_path)[place]
    customers = pd.DataFrame({"card": ["a", "z"]})
    found, remarks = _made(place, given, tmp_path, without_customer="drop", customers=customers, only_customers=True)
    assert found["card"].tolist() == ["a", "z"]
    assert found["visits"].tolist() == [2, 0]
    (said,) = (one.text for one in remarks if one.code == "other-customers-left-out")
    assert said == "2 customers of the events are not in the customers' table: 3 rows, with 35% of paid, were left out."
    assert "customers-unknown" not in {one.code for one in remarks}


@pytest.mark.parametrize(
    ("window", "begin"),
    [
        ("1 day", "2025-07-30"),
        ("3 weeks", "2025-07-10"),
        ("2 months", "2025-05-31"),
        ("1 year", "2024-07-31"),
        ("12 Months", "2024-07-31"),
    ],
)
def test_a_window_ends_at_the_moment_up_to_which_events_count(window: str, begin: str) -> None:
    given = gauger.summarise_events(LINES, **SAID, window=window, as_of="2025-07-31", without_customer="drop")
    counted = LINES[LINES["card"].notna() & (LINES["day"] >= begin) & (LINES["day"] < "2025-07-31")]
    assert given["visits"].sum() == len(counted)
    assert given.attrs["first"] == begin


def test_trends_and_the_recency_of_nobody_are_of_the_window_not_of_the_first_event() -> None:
    given = gauger.summarise_events(
        LINES,
        **SAID,
        since="2025-05-01",
        as_of="2025-08-01",
        without_customer="drop",
        customers=pd.DataFrame({"card": ["a", "b", "c", "z"]}),
        measures=["recency_days", "visits_trend"],
    )
    assert given.set_index("card")["recency_days"].to_dict() == {"a": 61, "b": 31, "c": 2, "z": 92}
    assert given.set_index("card").loc["b", "visits_trend"] == 0.0  # one before 16 June, one after


@pytest.mark.parametrize(
    ("settings", "said"),
    [
        ({"since": "soon"}, "since='soon' is not a date"),
        ({"since": "2025-01-01", "window": "1 year"}, "give one of them"),
        ({"window": "a while"}, "must be a length of time such as '12 months'"),
        ({"window": "0 months"}, "must be a length of time"),
        ({"window": 12}, "must be a length of time"),
        ({"window": "9000 years"}, "begins before there are dates"),
        ({"zone": "Middle/Earth"}, "is not a time zone"),
        ({"zone": "../etc/passwd"}, "is not a time zone"),
        ({"without_customer": "keep"}, "without_customer"),
        ({"lookup": PRODUCTS}, "lookup= and on="),
        ({"on": "product"}, "lookup= and on="),
        ({"only_customers": True}, "only_customers= needs the table of customers"),
        ({"since": "2030-01-01"}, "no event counts: all have no customer or happened before 2030-01-01"),
        ({"lookup": PRODUCTS.assign(paid=1), "on": "product"}, "both have a column 'paid'"),
    ],
)
def test_settings_that_make_no_sense_are_refused(settings: dict[str, object], said: str) -> None:
    with pytest.raises(SettingError, match=said):
        gauger.summarise_events(LINES, **SAID, **{"without_customer": "drop", **settings})


def test_a_lookup_with_repeats_or_without_the_column_is_refused() -> None:
    twice = pd.concat([PRODUCTS, PRODUCTS])
    with pytest.raises(KeyColumnError, match="several rows for 2 values of 'product'"):
        gauger.summarise_events(LINES, **SAID, without_customer="drop", lookup=twice, on="product")
    with pytest.raises(UnknownColumnError, match="product"):
        gauger.summarise_events(LINES, **SAID, lookup=PRODUCTS.rename(columns={"product": "item"}), on="product")
    with pytest.raises(UnknownColumnError, match="aisle"):
        gauger.summarise_events(LINES, **SAID, lookup=PRODUCTS, on="aisle")
    numbers = PRODUCTS.assign(product=[1, 2])
    with pytest.raises(KeyColumnError, match="numbers in the lookup but text in the events"):
        gauger.summarise_events(LINES, **SAID, lookup=numbers, on="product")


@pytest.mark.parametrize("kind", ["csv", "memory", "jsonl"])
@pytest.mark.parametrize(("zone", "recency"), [(None, [1, 2]), ("Europe/Vienna", [1, 1]), ("America/New_York", [2, 2])])
def test_moments_with_an_offset_are_counted_by_the_days_of_a_zone(
    kind: str, zone: str | None, recency: list[int], tmp_path: Path
) -> None:
    """a: 00:30 UTC on 2 June, 1 June in New York; b: 22:30 UTC on 1 June, 2 June in Vienna."""
    lines = pd.DataFrame({"who": ["a", "b"], "at": ["2025-06-02T00:30:00Z", "2025-06-02T00:30:00+02:00"]})
    given: object = lines
    if kind != "memory":
        given = str(tmp_path / f"lines.{kind}")
        lines.to_csv(given, index=False) if kind == "csv" else lines.to_json(given, orient="records", lines=True)
        given = given if kind == "csv" else gauger.read_table(given)
    found = gauger.summarise_events(given, customer="who", when="at", zone=zone, as_of="2025-06-03")
    assert found["recency_days"].tolist() == recency
    codes = {one.code for one in gauger.remarks_of(found)}
    assert ("days-of-utc" in codes) == (zone is None)


def test_moments_of_a_column_with_a_zone_keep_it_unless_another_is_named() -> None:
    moments = pd.to_datetime(["2025-06-01T22:30:00Z"]).tz_convert("Europe/Vienna")
    lines = pd.DataFrame({"who": ["a"], "at": moments})
    said = {"customer": "who", "when": "at", "as_of": "2025-06-03"}
    assert gauger.summarise_events(lines, **said)["recency_days"].tolist() == [1]
    assert gauger.summarise_events(lines, **said, zone="UTC")["recency_days"].tolist() == [2]


def test_a_moment_that_is_none_is_still_named_where_others_have_a_zone() -> None:
    lines = pd.DataFrame({"who": ["a", "b"], "at": ["2025-06-02T00:30:00Z", "tomorrow"]})
    with pytest.raises(gauger.errors.ColumnValuesError, match="1 value that is not a date"):
        gauger.summarise_events(lines, customer="who", when="at")


def test_the_statement_for_another_database_leaves_out_the_same() -> None:
    given = LINES.assign(day=pd.to_datetime(LINES["day"]))
    settings = {**SAID, "without_customer": "drop", "window": "2 months"}
    text = gauger.events_sql(given, dialect="duckdb", table="lines", **settings)
    with duckdb.connect() as shop:
        shop.register("lines", given)
        theirs = shop.sql(text).df()
    ours = gauger.summarise_events(given, **settings)
    assert theirs["visits"].tolist() == ours["visits"].tolist() == [1, 2, 1]
    with pytest.raises(SettingError, match="make a view there"):
        gauger.events_sql(given, dialect="postgres", table="lines", **settings, lookup=PRODUCTS, on="product")
