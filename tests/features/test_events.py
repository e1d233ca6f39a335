"""Events to behaviour: against a hand-worked example, a brute-force reference, and bad input."""

import datetime

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import gauger
from gauger.errors import (
    ColumnValuesError,
    KeyColumnError,
    MissingValuesError,
    SettingError,
    UnknownColumnError,
)

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
    (remark,) = gauger.remarks_of(result)
    assert remark.code == "after-as-of"
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


@settings(max_examples=15)
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


def _with(**columns: object) -> pd.DataFrame:
    return EVENTS.assign(**columns)


@pytest.mark.parametrize(
    ("events", "settings", "error", "message"),
    [
        (EVENTS, {"when": "dya"}, UnknownColumnError, "did you mean 'day'"),
        (EVENTS.iloc[:0], {}, SettingError, "no rows"),
        (_with(who=["b", None, "a", None, "b"]), {}, KeyColumnError, r"missing in 2 rows \(data rows 2 and 4\)"),
        (_with(who=["b", 7, "a", 7, "b"]), {}, KeyColumnError, "'who' mixes kinds of values"),
        (_with(day=[None, *EVENTS["day"][1:]]), {}, MissingValuesError, "'day' is missing in 1 event"),
        (_with(day=["soon", *EVENTS["day"][1:]]), {}, ColumnValuesError, "1 value that is not a date: 'soon'"),
        (_with(day=range(5)), {}, ColumnValuesError, "holds numbers, not dates"),
        (_with(paid=[np.nan, 1, 2, 3, 4]), {}, MissingValuesError, "'paid' is missing in 1 event"),
        (_with(paid=["ten", "1", "2", "3", "4"]), {}, ColumnValuesError, "1 value that is not a number: 'ten'"),
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
