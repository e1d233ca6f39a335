"""Events to behaviour: against a hand-worked example, plain loops, files, and bad input."""

import datetime
from itertools import pairwise
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import (
    ColumnValuesError,
    KeyColumnError,
    MissingValuesError,
    SettingError,
    UnknownColumnError,
)
from tests.examples import examples

EVENTS = pd.DataFrame(
    {
        "who": ["b", "a", "a", "a", "b"],
        "day": ["2025-03-01", "2025-03-04", "2025-03-04", "2025-03-09", "2025-03-10"],
        "paid": [10.0, 20.0, 5.5, -20.0, 30.0],
        "seats": [1, 2, 1, 0, 3],
    }
)


def _summary(**settings: object) -> pd.DataFrame:
    return gauger.summarise_events(EVENTS, customer="who", when="day", amount="paid", quantity="seats", **settings)


def test_a_small_table_gives_the_figures_worked_by_hand() -> None:
    result = _summary()
    assert result.attrs["as_of"] == "2025-03-11"
    expected = pd.DataFrame(
        {
            "who": ["a", "b"],
            "recency_days": [7, 1],
            "visits": [2, 2],
            "active_days": [1, 2],
            "first_seen": pd.to_datetime(["2025-03-04", "2025-03-01"]),
            "spend_total": [5.5, 40.0],
            "spend_mean": [2.75, 20.0],
            "refunds": [1, 0],
            "seats_total": [3.0, 4.0],
            "seats_mean": [1.5, 2.0],
        }
    )
    pd.testing.assert_frame_equal(result.astype({"who": object}), expected.astype({"who": object}), check_dtype=False)


def test_nothing_after_as_of_leaks_in_and_it_is_remarked() -> None:
    result = _summary(as_of="2025-03-09")
    assert result[["who", "recency_days", "visits", "refunds"]].to_numpy().tolist() == [["a", 5, 2, 0], ["b", 8, 1, 0]]
    remark = next(one for one in gauger.remarks_of(result) if one.code == "after-as-of")
    assert remark.text.startswith("2 events at or after 2025-03-09")
    pd.testing.assert_frame_equal(result, _summary(as_of=datetime.date(2025, 3, 9)))


def test_nouns_name_the_columns() -> None:
    result = _summary(event_noun="bookings", amount_noun="revenue", quantity_noun="tickets")
    assert {"bookings", "revenue_total", "revenue_mean", "tickets_total"} <= set(result.columns)


def test_a_noun_with_a_quote_is_only_a_name() -> None:
    assert 'vis"its' in _summary(event_noun='vis"its').columns


def test_a_customer_with_refunds_only_is_kept_with_defined_dates() -> None:
    events = pd.DataFrame({"who": ["a", "b"], "day": ["2025-01-01", "2025-01-03"], "paid": [-5.0, 5.0]})
    result = gauger.summarise_events(events, customer="who", when="day", amount="paid").set_index("who")
    assert result.loc["a", ["recency_days", "visits", "spend_total", "refunds"]].tolist() == [3, 0, -5.0, 1]
    assert result.loc["a", "spend_mean"] == 0.0


def test_times_of_day_count_by_their_day() -> None:
    events = pd.DataFrame({"who": [1, 1], "at": pd.to_datetime(["2025-01-01 23:59", "2025-01-02 00:01"])})
    result = gauger.summarise_events(events, customer="who", when="at")
    assert result[["recency_days", "active_days"]].to_numpy().tolist() == [[1, 2]]


def test_keys_keep_their_type_and_spelling() -> None:
    events = pd.DataFrame({"who": ["00417", "4E5"], "day": ["2025-01-01"] * 2})
    assert gauger.summarise_events(events, customer="who", when="day")["who"].tolist() == ["00417", "4E5"]
    large = pd.DataFrame({"who": [2**62 + 1], "day": ["2025-01-01"]})
    assert gauger.summarise_events(large, customer="who", when="day")["who"].tolist() == [2**62 + 1]


@examples(15)
@given(
    st.lists(st.tuples(st.sampled_from("abc"), st.integers(0, 40), st.integers(-500, 5000)), min_size=1, max_size=40),
    st.randoms(use_true_random=False),
)
def test_any_events_agree_with_a_plain_loop_in_any_order(rows: list[tuple[str, int, int]], random) -> None:
    start = datetime.date(2025, 1, 1)
    events = pd.DataFrame(
        [(who, start + datetime.timedelta(days=day), cents / 100) for who, day, cents in rows],
        columns=["who", "day", "paid"],
    ).astype({"day": str})
    result = gauger.summarise_events(events, customer="who", when="day", amount="paid")
    as_of = max(day for _, day, _ in rows) + 1
    for record in result.itertuples():
        own = [(day, cents) for who, day, cents in rows if who == record.who]
        real = [(day, cents) for day, cents in own if cents >= 0]
        assert record.visits == len(real)
        assert record.refunds == len(own) - len(real)
        assert record.recency_days == as_of - max(day for day, _ in real or own)
        assert record.active_days == len({day for day, _ in real})
        assert record.spend_total == pytest.approx(sum(cents for _, cents in own) / 100, abs=1e-9)
    order = list(range(len(events)))
    random.shuffle(order)
    shuffled = gauger.summarise_events(events.iloc[order], customer="who", when="day", amount="paid")
    pd.testing.assert_frame_equal(result, shuffled, check_exact=True)


DAY = datetime.date(2025, 1, 1)
START, DAYS = datetime.datetime(2025, 1, 1), 41


@examples(25)
@given(
    st.lists(
        st.tuples(
            st.sampled_from("abc"), st.integers(0, 24 * 40), st.integers(-50, 500), st.sampled_from(["it's", "B b"])
        ),
        min_size=1,
        max_size=30,
    )
)
def test_every_measure_agrees_with_a_plain_loop(rows: list[tuple[str, int, int, str]]) -> None:
    rows = [("a", 0, 100, "it's"), *rows, ("b", 24 * 40 + 12, 100, "B b")]
    events = pd.DataFrame(
        [(who, START + datetime.timedelta(hours=hour), paid / 2, kind) for who, hour, paid, kind in rows],
        columns=["who", "at", "paid", "film_kind"],
    )
    result = gauger.summarise_events(
        events, customer="who", when="at", amount="paid", category="film_kind", measures="all"
    ).set_index("who")
    for who in sorted({row[0] for row in rows}):
        expected = _by_loop([row for row in rows if row[0] == who])
        for name, value in expected.items():
            found = result.loc[who, name]
            assert (np.isnan(found) and value is None) or found == pytest.approx(value, abs=1e-9), name


def _by_loop(rows: list[tuple[str, int, int, str]]) -> dict[str, float | None]:
    """Every measure of one customer's events, each worked out on its own; None for what is not defined."""
    middle = 24 * DAYS / 2
    real = [row for row in rows if row[2] >= 0]
    paid = sorted(row[2] / 2 for row in real)
    days = sorted({row[1] // 24 for row in real})
    gaps = [late - early for early, late in pairwise(days)]
    seen = [row[1] // 24 for row in real or rows]

    def share(part: list[tuple[str, int, int, str]], of: list[tuple[str, int, int, str]]) -> float:
        return len(part) / len(of) if of else 0.0

    def spend(part: list[tuple[str, int, int, str]]) -> float:
        return sum(row[2] for row in part) / 2

    late = [row for row in real if row[1] >= middle]
    early = [row for row in real if row[1] < middle]
    evening = [row for row in real if row[1] % 24 >= 18]
    sunday = [row for row in real if (DAY + datetime.timedelta(days=row[1] // 24)).isoweekday() == 7]
    own = [row for row in real if row[3] == "it's"]
    mean_gap = sum(gaps) / len(gaps) if gaps else None
    return {
        "recency_days": DAYS - max(seen),
        "tenure_days": DAYS - min(seen),
        "visits": len(real),
        "active_days": len(days),
        "visits_trend": (len(late) - len(early)) / len(real) if real else 0.0,
        "gap_days_mean": mean_gap,
        "gap_days_spread": np.sqrt(sum((gap - mean_gap) ** 2 for gap in gaps) / len(gaps)) if gaps else None,
        "spend_total": spend(rows),
        "spend_median": float(np.median(paid)) if paid else 0.0,
        "spend_largest": max(paid, default=0.0),
        "spend_trend": (spend(late) - spend(early)) / spend(real) if spend(real) else 0.0,
        "refunds": len(rows) - len(real),
        "spend_refunded": spend(real) - spend(rows),
        "share_evening": share(evening, real),
        "spend_share_evening": spend(evening) / spend(real) if spend(real) else 0.0,
        "share_sunday": share(sunday, real),
        "share_kind_it_s": share(own, real),
        "spend_share_kind_it_s": spend(own) / spend(real) if spend(real) else 0.0,
        "distinct_kind": len({row[3] for row in real}),
    }


@pytest.mark.slow
def test_measures_are_chosen_by_name_and_by_family(visits: pd.DataFrame) -> None:
    columns = {"customer": "member_id", "when": "visited_on", "category": "film_kind"}
    chosen = gauger.summarise_events(visits, **columns, measures=["share_kind", "visits"])
    kinds = sorted(visits["film_kind"].unique())
    assert chosen.columns.tolist() == ["member_id", *(f"share_kind_{kind}" for kind in kinds), "visits"]
    assert chosen.filter(like="share_kind").sum(axis=1).between(1 - 1e-9, 1 + 1e-9).all()
    own = gauger.summarise_events(visits, **columns, category_noun="film", measures=["share_film_family"])
    assert own["share_film_family"].tolist() == chosen["share_kind_family"].tolist()
    only = gauger.summarise_events(visits, **columns, measures=["gap_days_mean"])
    assert only.columns.tolist() == ["member_id", "gap_days_mean"]


@pytest.mark.parametrize(
    ("measures", "message"),
    [
        (["visit"], r"there is no measure 'visit'\. Did you mean 'visits'"),
        (["share_kind"], "More come with amount=, quantity= and category="),
        (["share_part_of_day"], "needs events with a time of day"),
        (["visits", "visits"], "two columns would be called 'visits'. Ask for each once"),
    ],
)
def test_measures_that_cannot_be_had_are_refused(measures: list[str], message: str) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.summarise_events(EVENTS, customer="who", when="day", measures=measures)


def test_customers_without_events_come_out_with_defined_values() -> None:
    customers = pd.DataFrame({"who": ["z", "a"]})
    result = _summary(customers=customers, measures="all").set_index("who")
    assert result.index.tolist() == ["a", "b", "z"]
    idle = result.loc["z"]
    assert idle["recency_days"] == 10
    undefined = ["first_seen", "gap_days_mean", "gap_days_spread"]
    assert idle[undefined].isna().all()
    assert (idle.drop(["recency_days", *undefined]) == 0).all()
    pd.testing.assert_frame_equal(
        result.loc[["a", "b"]].astype(object),
        _summary(measures="all").set_index("who").astype(object),
        check_names=False,
    )
    codes = [remark.code for remark in gauger.remarks_of(_summary(customers=customers))]
    assert codes == ["no-events", "customers-unknown", "shared-moments"]
    with pytest.raises(KeyColumnError, match="is numbers in the customers' table but text in the events"):
        _summary(customers=pd.DataFrame({"who": [1]}))


def test_exact_repeats_count_once_with_an_event_key_and_are_remarked_without() -> None:
    twice = pd.concat([EVENTS, EVENTS.iloc[:2]]).assign(visit_id=[1, 2, 3, 4, 5, 1, 2])
    asked = {"customer": "who", "when": "day", "amount": "paid", "quantity": "seats"}
    remark, shared = gauger.remarks_of(gauger.summarise_events(twice, **asked))
    assert remark.text.startswith("2 rows are alike an earlier one in every column")
    assert (shared.code, shared.text[:10]) == ("shared-moments", "1 row shar")
    assert "--event-key visit_id" in remark.text
    once = gauger.summarise_events(twice, **asked, event_key="visit_id")
    pd.testing.assert_frame_equal(once, _summary())
    assert [remark.code for remark in gauger.remarks_of(once)] == ["repeats-dropped"]
    clash = twice.assign(visit_id=[1, 2, 3, 4, 5, 1, 3])
    codes = [remark.code for remark in gauger.remarks_of(gauger.summarise_events(clash, **asked, event_key="visit_id"))]
    assert codes == ["repeats-dropped", "lines-added-up"]


def _line_items() -> pd.DataFrame:
    """Two baskets of one customer, and one of another: lines of one price, a repeat of the export, a line returned."""
    return pd.DataFrame(
        {
            "who": ["a", "a", "a", "a", "a", "a", "b"],
            "at": pd.to_datetime(["2025-03-01 10:00"] * 4 + ["2025-03-05 18:00"] * 2 + ["2025-03-03 09:00"]),
            "product": ["tea", "jam", "tea", "cup", "tea", "cup", "jam"],
            "price": [2.0, 2.0, 2.0, 7.0, 2.0, -7.0, 2.0],
            "pieces": [1, 1, 1, 1, 1, -1, 3],
            "order": [1, 1, 1, 1, 2, 2, 3],
        }
    )


def test_lines_of_one_event_are_added_up_and_only_rows_alike_in_every_column_are_dropped() -> None:
    asked = {"customer": "who", "when": "at", "event_key": "order", "as_of": "2025-03-11"}
    spent = gauger.summarise_events(_line_items(), **asked, amount="price").set_index("who")
    # Customer a: order 1 is tea, jam and cup for 11 (its second tea is a repeat of the export); order 2 is a return.
    assert spent.loc["a", ["visits", "spend_total", "spend_mean", "refunds"]].tolist() == [1, 6.0, 6.0, 1]
    full = gauger.summarise_events(_line_items(), **asked, amount="price", quantity="pieces", category="product")
    assert full["spend_total"].tolist() == spent["spend_total"].tolist()  # whatever else is asked for
    assert full["share_product_tea"].tolist() == [0.5, 0.0]  # of the lines that were sold: tea, jam, cup, tea
    assert full["pieces_total"].tolist() == [3.0, 3.0]
    assert {name: full.attrs[name] for name in ("rows", "lines", "events")} == {"rows": 7, "lines": 6, "events": 3}
    told = {remark.code: remark.text for remark in gauger.remarks_of(full)}
    assert told["lines-added-up"].startswith("6 lines made 3 events by order")


def test_a_key_that_starts_again_and_rows_without_one_are_events_of_their_own() -> None:
    table = _line_items().assign(order=[1, 1, 1, None, None, 2, 1])
    found = gauger.summarise_events(table, customer="who", when="at", event_key="order", as_of="2025-03-11")
    assert found.set_index("who")["visits"].to_dict() == {"a": 4, "b": 1}
    codes = {remark.code for remark in gauger.remarks_of(found)}
    assert {"event-key-shared", "event-key-missing"} <= codes


@pytest.mark.slow
@given(
    st.lists(
        st.tuples(st.sampled_from("ab"), st.integers(0, 3), st.integers(-5, 9), st.sampled_from("xyz")), min_size=1
    ),
    st.sampled_from([{}, {"category": "product"}, {"quantity": "price"}]),
)
def test_no_line_is_lost_whatever_else_is_asked_for(
    rows: list[tuple[str, int, int, str]], more: dict[str, str]
) -> None:
    table = pd.DataFrame(rows, columns=["who", "order", "price", "product"]).assign(
        at="2025-03-01", line=range(len(rows))
    )
    found = gauger.summarise_events(
        table, customer="who", when="at", event_key="order", amount="price", measures=["spend_total"], **more
    )
    expected = table.groupby("who")["price"].sum().astype(float)
    assert found.set_index("who")["spend_total"].to_dict() == expected.to_dict()


def test_a_last_day_cut_short_is_remarked() -> None:
    days = pd.date_range("2025-03-01", periods=20, freq="D")
    rows = [(f"c{at % 7}", day + pd.Timedelta(hours=9 + at)) for day in days for at in range(10)]
    rows += [("c1", pd.Timestamp("2025-03-21 00:20")), ("c2", pd.Timestamp("2025-03-21 01:10"))]
    table = pd.DataFrame(rows, columns=["who", "at"])
    (remark,) = [
        one
        for one in gauger.remarks_of(gauger.summarise_events(table, customer="who", when="at"))
        if one.code == "last-day-short"
    ]
    assert "only 2 events, none after 01:10; usual days have 10" in remark.text
    whole = gauger.summarise_events(table, customer="who", when="at", as_of="2025-03-21")
    assert "last-day-short" not in {one.code for one in gauger.remarks_of(whole)}


@pytest.mark.slow
@pytest.mark.parametrize("name", ["t.csv", "t.tsv", "t.parquet", "t.jsonl", "t.xlsx", "t.csv.gz"])
def test_events_in_a_file_give_the_behaviour_of_their_table(tmp_path: Path, name: str) -> None:
    table = EVENTS.assign(who=["00417", "4E5", "4E5", "4E5", "00417"], day=pd.to_datetime(EVENTS["day"]))
    asked = {"customer": "who", "when": "day", "amount": "paid", "quantity": "seats", "measures": "all"}
    path = gauger.write_table(table, tmp_path / name)
    pd.testing.assert_frame_equal(
        gauger.summarise_events(path, **asked), gauger.summarise_events(table, **asked), check_exact=True
    )


def test_keys_of_a_csv_are_what_reading_it_makes_them(tmp_path: Path) -> None:
    for keys in (["417", "-3"], ["00417", "3"], ["'+44", "=x"], ["9" * 20, "1"]):
        path = tmp_path / "t.csv"
        path.write_text("who,day\n" + "".join(f"{key},2025-01-0{index}\n" for index, key in enumerate(keys, 1)))
        found = gauger.summarise_events(path, customer="who", when="day")["who"]
        assert set(found) == set(gauger.read_table(path)["who"])


def test_what_was_guessed_in_reading_a_file_is_remarked(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_bytes("who,day\ncafé,2025-01-01\n".encode("cp1252"))
    result = gauger.summarise_events(tmp_path / "t.csv", customer="who", when="day")
    assert result["who"].tolist() == ["café"]
    assert [remark.code for remark in gauger.remarks_of(result)] == ["encoding-guessed"]


def test_moments_with_a_time_zone_count_as_the_clock_showed_them(tmp_path: Path) -> None:
    late = pd.DataFrame({"who": [1, 1], "at": pd.to_datetime(["2025-01-01 23:30", "2025-01-02 00:30"])})
    zoned = late.assign(at=late["at"].dt.tz_localize("Pacific/Auckland"))
    zoned.to_parquet(tmp_path / "t.parquet")
    for source in (late, zoned, tmp_path / "t.parquet"):
        assert gauger.summarise_events(source, customer="who", when="at")["active_days"].tolist() == [2]


@pytest.mark.parametrize(
    ("content", "message"),
    [
        ("who,day\na,2025-01-01\nb\n", r"1 line does not hold 2 values: line 3 \(1\)"),
        ("who,day\na,soon\n", "1 value that is not a date, written like 'aaaa'"),
        ("who,dya\na,2025-01-01\n", "did you mean 'dya'"),
        ("", "is empty"),
    ],
)
def test_a_bad_file_of_events_is_refused_like_a_bad_table(tmp_path: Path, content: str, message: str) -> None:
    (tmp_path / "t.csv").write_text(content)
    with pytest.raises(gauger.GaugerError, match=message):
        gauger.summarise_events(tmp_path / "t.csv", customer="who", when="day")


def test_events_in_a_database_are_told_how_to_come_in() -> None:
    with pytest.raises(SettingError, match="events in a database are summarised there"):
        gauger.summarise_events("sqlite:///shop.db", customer="who", when="day")


def test_a_category_of_too_many_levels_is_refused() -> None:
    events = pd.DataFrame({"who": range(80), "day": "2025-01-01", "item": [f"i{row}" for row in range(80)]})
    with pytest.raises(SettingError, match="'item' has 80 levels"):
        gauger.summarise_events(events, customer="who", when="day", category="item")


def test_a_level_seen_only_after_as_of_leaves_no_column() -> None:
    events = EVENTS.assign(kind=["x", "x", "x", "x", "later"])
    result = gauger.summarise_events(events, customer="who", when="day", category="kind", as_of="2025-03-10")
    assert [name for name in result if name.startswith("share_")] == ["share_kind_x"]


def test_an_unknown_dialect_is_refused() -> None:
    with pytest.raises(SettingError, match="Did you mean 'postgres'"):
        gauger.events_sql(EVENTS, dialect="postgress", table="t", customer="who", when="day")


def _with(**columns: object) -> pd.DataFrame:
    return EVENTS.assign(**columns)


@pytest.mark.parametrize(
    ("events", "settings", "error", "message"),
    [
        (EVENTS, {"when": "dya"}, UnknownColumnError, "did you mean 'day'"),
        (EVENTS.iloc[:0], {}, SettingError, "no rows"),
        ([1, 2], {}, SettingError, "events must be a table or the path of a file, not list"),
        (EVENTS, {"when": 3}, SettingError, "when=3 must be the name of a column"),
        (_with(who=["b", None, "a", None, "b"]), {}, KeyColumnError, r"missing in 2 events \(data rows 2 and 4\)"),
        (_with(who=["b", 7, "a", 7, "b"]), {}, KeyColumnError, "'who' mixes kinds of values"),
        (_with(day=[None, *EVENTS["day"][1:]]), {}, MissingValuesError, "'day' is missing in 1 event"),
        (
            _with(day=["soon", *EVENTS["day"][1:]]),
            {},
            ColumnValuesError,
            "1 value that is not a date, written like 'aaaa'",
        ),
        (_with(day=range(5)), {}, ColumnValuesError, "holds numbers, not dates"),
        (_with(day=[True] * 5), {}, ColumnValuesError, r"holds no dates \(boolean\)"),
        (_with(paid=pd.Timestamp("2025-01-01")), {}, ColumnValuesError, r"'paid' holds no numbers \(timestamp"),
        (_with(paid=[np.nan, 1, 2, 3, 4]), {}, MissingValuesError, "'paid' is missing in 1 event"),
        (
            _with(paid=["ten", "1", "2", "3", "4"]),
            {},
            ColumnValuesError,
            "1 value that is not a number, written like 'aaa'",
        ),
        (_with(paid=[np.inf, 1, 2, 3, 4]), {}, ColumnValuesError, "'paid' is infinite or beyond measure in 1 row"),
        (EVENTS, {"event_noun": "who"}, SettingError, "two columns would be called 'who'"),
        (EVENTS, {"event_noun": "spend_total"}, SettingError, "two columns would be called 'spend_total'"),
        (EVENTS, {"as_of": "2024-01-01"}, SettingError, "no event happened before"),
        (EVENTS, {"as_of": "last week"}, SettingError, "is not a date"),
    ],
)
def test_bad_events_are_refused_with_the_place(
    events: pd.DataFrame, settings: dict[str, str], error: type[Exception], message: str
) -> None:
    chosen = {"customer": "who", "when": "day", "amount": "paid", **settings}
    with pytest.raises(error, match=message):
        gauger.summarise_events(events, **chosen)
