"""Who is one person, whose key comes first, and how settings of a hand-off are refused."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.campaigns.eligible import answers_in, first_of_each
from gauger.campaigns.folders import holds_only_a_hand_off
from gauger.campaigns.hand_off_rules import HandOffRules
from gauger.campaigns.measuring import _reading
from gauger.campaigns.people import People
from gauger.campaigns.suppression import loose_key
from gauger.errors import ColumnValuesError, SettingError

CONTACTS = pd.DataFrame(
    {
        "email": [
            "a@example.org",
            "b@example.org",
            "c@example.org",
            "A@example.org",
            None,
            "d@example.org; b@example.org",
        ],
        "phone": ["+99955500001", None, "+99955500001", None, None, None],
    }
)


def _people(email: str | None = "email", phone: str | None = "phone") -> People:
    return People.of(CONTACTS, email, phone, None, together=True)


def test_contacts_who_share_an_address_are_one_person_also_by_way_of_a_third() -> None:
    person = _people().person
    assert person[0] == person[3] == person[2]  # by e-mail, and by telephone
    assert person[1] == person[5]
    assert len(set(person.tolist())) == 3


@pytest.mark.parametrize(("email", "phone"), [("email", None), (None, "phone"), (None, None), ("mail", "called")])
def test_a_column_that_is_not_named_or_not_there_tells_nobody_apart(email: str | None, phone: str | None) -> None:
    people = _people(email, phone)
    assert (people.emails is None) == (email != "email")
    assert (people.phones is None) == (phone != "phone")
    groups = {"email": 4, "phone": 5}.get(email if email == "email" else phone or "", 6)
    assert len(set(people.person.tolist())) == groups


def test_a_mark_spreads_to_the_whole_person_and_to_nobody_else() -> None:
    who = np.array([False, False, True, False, False, False])
    assert _people().spread(who).tolist() == [True, False, True, True, False, False]
    assert not _people().spread(np.zeros(6, dtype=bool)).any()


@pytest.mark.parametrize(
    ("keys", "first"),
    [
        (["10", "9"], 1),
        (["b", "a"], 1),
        (["a", "10"], 1),
        (["007", "7"], 0),
        ([" 3", "4"], 0),
        (["x2", "x10"], 1),
    ],
)
def test_the_lowest_key_goes_first_numbers_by_size_and_before_text(keys: list[str], first: int) -> None:
    found = first_of_each(np.array([0, 0]), keys, np.array([True, True]))
    assert found.tolist() == [at == first for at in range(2)]


def test_only_those_who_may_be_contacted_are_compared() -> None:
    found = first_of_each(np.array([0, 0, 1]), ["1", "2", "3"], np.array([False, True, True]))
    assert found.tolist() == [False, True, True]


@pytest.mark.parametrize("word", [1, 1.0, "1", " Yes ", "TRUE", "t", "y", True])
def test_what_says_yes(word: object) -> None:
    table = pd.DataFrame({"ok": pd.Series([word, None], dtype=object)})
    yes, no = answers_in(table, "ok")
    assert (yes.tolist(), no.tolist()) == ([True, False], [False, False])


@pytest.mark.parametrize("word", [0, 0.0, "0", "No", "false", "F", "n", False])
def test_what_says_no(word: object) -> None:
    table = pd.DataFrame({"ok": pd.Series([word, None], dtype=object)})
    yes, no = answers_in(table, "ok")
    assert (yes.tolist(), no.tolist()) == ([False, False], [True, False])


def test_other_words_are_counted_and_not_told() -> None:
    with pytest.raises(ColumnValuesError, match=r"'ok' must say yes or no .* has 2 other words\.") as told:
        answers_in(pd.DataFrame({"ok": ["yes", "perhaps", "soon", "soon"]}), "ok")
    assert "perhaps" not in str(told.value)


@pytest.mark.parametrize(
    ("key", "loose"),
    [
        ("007", "7"),
        ("12.0", "12"),
        ("12x.0", "12x.0"),
        ("x12.0", "x12.0"),
        ("12.5", "12.5"),
        ("A-1", "a-1"),
        ("0a0", "a0"),
        ("\uff17", "7"),
        ("STRASSE", "strasse"),
    ],
)
def test_a_key_is_compared_without_case_leading_zeros_and_a_decimal_point_of_nothing(key: str, loose: str) -> None:
    assert loose_key(key) == loose


@pytest.mark.parametrize(
    ("yes", "n", "no_yes", "m", "low", "high", "reading"),
    [
        (5, 10, 0, 10, 0.1, 0.9, "more"),
        (5, 9, 0, 10, 0.1, 0.9, "too small to say"),
        (5, 10, 0, 9, 0.1, 0.9, "too small to say"),
        (3, 10, 2, 10, 0.1, 0.9, "more"),
        (3, 10, 1, 10, 0.1, 0.9, "too small to say"),
        (5, 10, 5, 10, -0.4, 0.4, "cannot say"),
        (5, 10, 5, 10, 0.0, 0.4, "cannot say"),
        (5, 10, 5, 10, -0.4, 0.0, "cannot say"),
        (0, 10, 5, 10, -0.9, -0.1, "less"),
    ],
)
def test_ten_customers_in_each_arm_and_five_responses_are_needed_to_say_anything(
    yes: int, n: int, no_yes: int, m: int, low: float, high: float, reading: str
) -> None:
    assert _reading(yes, n, no_yes, m, low, high) == reading


@pytest.mark.parametrize(
    ("rule", "message"),
    [
        ({"campaign": "  "}, "campaign must be a name"),
        ({"campaign": 7}, "campaign must be a name"),
        ({"holdout": 1.0}, "holdout=1.0 must be a share from 0 to below 1"),
        ({"holdout": -0.01}, "holdout=-0.01 must be"),
        ({"holdout": True}, "holdout=True must be"),
        ({"holdout": "0.1"}, "holdout='0.1' must be"),
        ({"min_size": -1}, "min_size"),
        ({"base_rate": 0.0}, "base_rate=0.0 must be a share between 0 and 1"),
        ({"base_rate": 1.0}, "base_rate=1.0 must be"),
        ({"match_on": "post"}, "match_on"),
        ({"match_on": ["email", "post"]}, "match_on"),
        ({"format": "doc"}, "format"),
        ({"refusal_binds": "all"}, "refusal_binds"),
        ({"sub_addresses": "no"}, "sub_addresses"),
        ({"unreadable": "maybe"}, "unreadable"),
    ],
)
def test_a_rule_out_of_range_is_refused(rule: dict[str, object], message: str) -> None:
    with pytest.raises(SettingError, match=message):
        HandOffRules(**{"campaign": "spring", **rule})  # type: ignore[arg-type]


def test_rules_at_their_bounds_are_taken() -> None:
    rules = HandOffRules(campaign="x", holdout=0, min_size=0, base_rate=0.999, format="postgresql://h/d")
    assert (rules.matches, rules.columns_to_write) == ([], ["email"])
    assert HandOffRules(campaign="x", match_on="phone").matches == ["phone"]
    assert HandOffRules(campaign="x", match_on=("email", "phone")).matches == ["email", "phone"]
    assert HandOffRules(campaign="x", address=None).columns_to_write == []
    assert HandOffRules(campaign="x", columns=["age"]).columns_to_write == ["age"]


def test_a_folder_with_a_link_or_another_file_in_it_is_not_only_a_hand_off(tmp_path: Path) -> None:
    folder = tmp_path / "out"
    who = pd.DataFrame({"who": list("ab"), "segment": [1, 2]})
    people = who[["who"]].assign(email=["a@example.org", "b@example.org"])
    gauger.hand_off(who, people, folder, campaign="x", consent=None, holdout=0.0)
    assert holds_only_a_hand_off(folder)
    audience = folder / "audience.csv"
    content = audience.read_bytes()
    aside = tmp_path / "aside.csv"
    aside.write_bytes(content)
    audience.unlink()
    audience.symlink_to(aside)  # the same bytes, but somebody else's file
    assert not holds_only_a_hand_off(folder)
    audience.unlink()
    audience.write_bytes(content + b"\n")
    assert not holds_only_a_hand_off(folder)
    audience.write_bytes(content)
    assert holds_only_a_hand_off(folder)
    (folder / "letter.txt").write_text("mine")
    assert not holds_only_a_hand_off(folder)
    (folder / "letter.txt").unlink()
    (folder / "more").mkdir()
    assert not holds_only_a_hand_off(folder)
    assert not holds_only_a_hand_off(tmp_path)
