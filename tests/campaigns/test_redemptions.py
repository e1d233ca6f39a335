"""Measuring from a table of redemptions: one row each, within the campaign's dates."""

import datetime
from pathlib import Path

import pandas as pd
import pytest

import gauger
from gauger.errors import ColumnValuesError, MissingValuesError, SettingError, UnknownColumnError


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    who = pd.DataFrame({"who": [f"m{one}" for one in range(400)], "segment": 1})
    contacts = who.assign(email=[f"{one}@example.org" for one in who["who"]])
    place = tmp_path_factory.mktemp("campaign") / "spring"
    gauger.hand_off(who, contacts, place, campaign="spring", consent=None, holdout=0.5)
    return place


def _rows(folder: Path) -> pd.DataFrame:
    """40 of the contacted come twice within the dates, 4 of those held out on the last evening, and others outside."""
    arms = gauger.read_table(folder / "arms.csv")
    contacted = arms.loc[arms["arm"] == "contacted", "who"]
    held = arms.loc[arms["arm"] != "contacted", "who"]
    parts = [
        pd.DataFrame({"who": contacted[:40], "on": "2026-04-01", "paid": 10.0}),
        pd.DataFrame({"who": contacted[:40], "on": "2026-04-08 19:00", "paid": 5.0}),
        pd.DataFrame({"who": held[:4], "on": "2026-04-14T23:30:00", "paid": 8.0}),
        pd.DataFrame({"who": held[:90], "on": "2026-03-31T23:59:59", "paid": 99.0}),
        pd.DataFrame({"who": held[:50], "on": "2026-04-15", "paid": 99.0}),
        pd.DataFrame({"who": [None, "nobody"], "on": "2026-04-02", "paid": 1.0}),
    ]
    return pd.concat(parts, ignore_index=True)


def test_at_least_one_row_is_a_response_and_values_are_added_up(folder: Path) -> None:
    found = gauger.measure(folder, _rows(folder), value="paid", when="on", since="2026-04-01", until="2026-04-14")
    row = found.table.loc["all"]
    assert row["response"] == pytest.approx(40 / 200)
    assert row["holdout_response"] == pytest.approx(4 / 200)
    assert row["value"] == pytest.approx(40 * 15.0 / 200)
    assert row["holdout_value"] == pytest.approx(4 * 8.0 / 200)
    said = {one.code: one.text for one in found.remarks}
    assert said["redemptions-outside-dates"].startswith("140 of 226 rows are not within the campaign's dates")
    assert "(from 2026-04-01 to 2026-04-14)" in said["redemptions-outside-dates"]
    assert said["redemptions-without-customer"].startswith("1 of 226 rows has no customer and counts for nobody")
    assert said["outcomes-of-others"].startswith("1 customer of the outcomes took no part")


def test_the_same_as_from_a_column_made_by_hand(folder: Path) -> None:
    rows = _rows(folder)
    inside = rows[(rows["on"] >= "2026-04-01") & (rows["on"] < "2026-04-15") & rows["who"].notna()]
    by_hand = inside.groupby("who", as_index=False)["paid"].sum().assign(responded=1)
    one = gauger.measure(folder, rows, value="paid", when="on", since="2026-04-01", until=datetime.date(2026, 4, 14))
    pd.testing.assert_frame_equal(one.table, gauger.measure(folder, by_hand, value="paid").table)


def test_without_dates_every_row_counts(folder: Path) -> None:
    found = gauger.measure(folder, _rows(folder), when="on")
    assert found.table.loc["all", "holdout_response"] == pytest.approx(90 / 200)
    assert "redemptions-outside-dates" not in {one.code for one in found.remarks}


@pytest.mark.parametrize(
    ("change", "settings", "error", "said"),
    [
        ({}, {"since": "2026-04-01"}, SettingError, "need the column of the rows' dates"),
        ({}, {"when": "on", "since": "soon"}, SettingError, "since='soon' is not a date"),
        ({}, {"when": "on", "until": "4 May"}, SettingError, "until='4 May' is not a date"),
        (
            {},
            {"when": "on", "since": "2026-05-01", "until": "2026-04-01"},
            SettingError,
            "before they begin on 2026-05",
        ),
        ({}, {"when": "day"}, UnknownColumnError, "day"),
        ({"on": "later"}, {"when": "on"}, ColumnValuesError, "226 values that are not dates"),
        ({"on": 20260401}, {"when": "on"}, ColumnValuesError, "holds numbers, not dates"),
        ({"on": None}, {"when": "on"}, MissingValuesError, "'on' is missing in 226 rows"),
        ({"paid": "much"}, {"when": "on", "value": "paid"}, ColumnValuesError, "'paid' must hold numbers"),
    ],
)
def test_what_cannot_be_counted_is_refused(
    change: dict[str, object], settings: dict[str, str], error: type[Exception], said: str, folder: Path
) -> None:
    with pytest.raises(error, match=said):
        gauger.measure(folder, _rows(folder).assign(**change), **settings)


def test_moments_with_a_zone_are_counted_in_utc(folder: Path) -> None:
    rows = _rows(folder)[:1].assign(on="2026-04-15T01:00:00+02:00")
    found = gauger.measure(folder, rows, when="on", since="2026-04-14", until="2026-04-14")
    assert found.table.loc["all", "response"] > 0.0
