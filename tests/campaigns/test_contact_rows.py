"""Customers with several rows in the contacts: copies are dropped, and one row or every one speaks for them."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.campaigns.contact_rows import newest_column, rows_that_speak
from gauger.errors import KeyColumnError, SettingError, UnknownColumnError

WHO = pd.DataFrame({"who": list("abc"), "segment": 1})
CONTACTS = pd.DataFrame(
    {
        "who": ["a", "a", "a", "b", "b", "c"],
        "email": [f"{name}@example.org" for name in ("a1", "a2", "a3", "b", "b", "c")],
        "consent_email": [1, 1, 1, 1, 1, 1],
        "changed": pd.to_datetime(["2025-01-01", "2025-03-01", None, "2025-01-01", "2025-01-01", "2025-01-01"]),
    }
)


def _handed(tmp_path: Path, contacts: pd.DataFrame = CONTACTS, **settings: object) -> gauger.HandOff:
    return gauger.hand_off(WHO, contacts, tmp_path / "spring", campaign="spring", holdout=0.0, **settings)


def _emails(made: gauger.HandOff) -> list[str]:
    return gauger.read_table(made.folder / "audience.csv")["email"].str.removesuffix("@example.org").tolist()


def test_exact_copies_are_dropped_with_a_count(tmp_path: Path) -> None:
    made = _handed(tmp_path, CONTACTS.iloc[[0, 0, 0, 3, 4, 5]])
    assert _emails(made) == ["a1", "b", "c"]
    (said,) = (one.text for one in made.remarks if one.code == "contact-copies")
    assert said == "3 exact copies of a row of the contacts were dropped."
    assert "several-contacts" not in {one.code for one in made.remarks}


def test_different_rows_are_refused_with_the_column_and_the_ways_on(tmp_path: Path) -> None:
    with pytest.raises(KeyColumnError) as told:
        _handed(tmp_path)
    assert "in the contacts 1 customer by 'who' has several different rows (data rows 2 and 3" in str(told.value)
    assert "--contact" in str(told.value)
    assert "event" not in str(told.value)
    assert not (tmp_path / "spring").exists()


@pytest.mark.parametrize(
    ("contact", "taken"), [("first", "a1"), ("last", "a3"), ("newest changed", "a2"), (" newest  changed ", "a2")]
)
def test_one_row_speaks_for_a_customer(contact: str, taken: str, tmp_path: Path) -> None:
    made = _handed(tmp_path, contact=contact)
    assert _emails(made) == [taken, "b", "c"]
    assert made.waterfall.loc["all", "contacted"] == 3
    assert any(one.code == "several-contacts" for one in made.remarks)


def test_every_row_of_a_household_is_contacted_each_person_once(tmp_path: Path) -> None:
    shared = pd.concat([CONTACTS, CONTACTS.iloc[[5]].assign(who="b", changed=None)])
    made = _handed(tmp_path, shared, contact="every")
    assert _emails(made) == ["a1", "a2", "a3", "b", "c"]
    assert made.waterfall.loc["all", "contacted"] == 3
    assert gauger.read_table(made.folder / "arms.csv")["who"].tolist() == ["a", "b", "c"]


@pytest.mark.parametrize("contact", ["first", "last", "newest changed"])
def test_a_refusal_or_a_suppression_in_any_row_stops_the_customer(contact: str, tmp_path: Path) -> None:
    refused = CONTACTS.assign(consent_email=[1, 0, 1, 1, 1, 1])
    assert _emails(_handed(tmp_path, refused, contact=contact)) == ["b", "c"]
    by_customer = _handed(tmp_path / "2", refused, contact=contact, refusal_binds="customer")
    assert _emails(by_customer) == ["b", "c"]
    listed = pd.DataFrame({"email": ["a2@example.org"]})
    stopped = _handed(tmp_path / "3", contact=contact, suppress=listed)
    assert stopped.waterfall.loc["all", "suppressed"] == 1
    assert _emails(stopped) == ["b", "c"]


def test_in_a_household_a_refusal_stops_that_row_and_another_speaks(tmp_path: Path) -> None:
    mixed = CONTACTS.assign(consent_email=[0, 1, 1, 0, 0, 1])
    made = _handed(tmp_path, mixed, contact="every", suppress=pd.DataFrame({"email": ["a3@example.org"]}))
    assert _emails(made) == ["a2", "c"]
    assert made.waterfall.loc["all", ["no consent", "contacted"]].tolist() == [1, 2]


@pytest.mark.parametrize("contact", ["oldest", "newest", "first changed", "", 3])
def test_another_word_is_refused(contact: object) -> None:
    with pytest.raises(SettingError, match="newest COLUMN"):
        newest_column(contact)  # type: ignore[arg-type]


def test_the_newest_needs_a_column_of_dates_or_numbers(tmp_path: Path) -> None:
    with pytest.raises(UnknownColumnError, match="changde"):
        _handed(tmp_path, contact="newest changde")
    with pytest.raises(SettingError, match="'email' holds no dates or numbers"):
        _handed(tmp_path, contact="newest email")


def test_of_rows_of_one_age_the_first_speaks_and_those_without_one_come_last() -> None:
    table = pd.DataFrame({"age": [np.nan, 3.0, 5.0, 5.0, np.nan]}, index=list("aaaab"))
    everyone = np.ones(5, dtype=bool)
    assert rows_that_speak(table, "newest age", everyone).tolist() == [2, 4]
    assert rows_that_speak(table, "every", np.array([False, False, False, True, False])).tolist() == [3, 4]
