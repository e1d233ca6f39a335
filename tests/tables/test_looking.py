"""Looking at a table: roles, figures and remarks."""

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import UnknownColumnError
from gauger.tables.roles import guess_role

N = 40


@pytest.mark.parametrize(
    ("name", "values", "role"),
    [
        ("member_id", [f"M{row:03d}" for row in range(N)], "key"),
        ("customer", range(1000, 1000 + N), "key"),
        ("order_no", [row * 7 for row in range(N)], "key"),
        ("spend", [row * 1.37 for row in range(N)], "measure"),
        ("age", [20 + row % 33 for row in range(N)], "measure"),
        ("visits", [row % 13 for row in range(N)], "count"),
        ("consent", [row % 2 for row in range(N)], "flag"),
        ("answer", ["yes", "no"] * (N // 2), "flag"),
        ("area", ["north", "south", "west", "east"] * (N // 4), "category"),
        ("age_band", [row % 5 + 1 for row in range(N)], "ordinal code"),
        ("satisfaction", [row % 4 + 1 for row in range(N)], "ordinal code"),
        ("joined", pd.date_range("2025-01-01", periods=N), "date"),
        ("note", [f"came by at {row}, left later" for row in range(N)], "text"),
        ("staff_note", ["none"] * N, "constant"),
        ("gap", [np.nan] * N, "empty"),
    ],
)
def test_each_role_is_recognised(name: str, values: object, role: str) -> None:
    assert guess_role(pd.Series(values), name).name == role


def test_keys_of_other_things_are_keys_too(visits: pd.DataFrame) -> None:
    roles = gauger.look(visits, key="member_id").columns["role"]
    assert roles[["visit_id", "member_id", "seats"]].tolist() == ["key", "key", "count"]
    assert guess_role(visits["member_id"], "member_id").because == "named like a key, though it repeats"


def test_the_figures_are_those_of_the_column() -> None:
    table = pd.DataFrame({"who": range(5), "spend": [1.0, 2.0, np.nan, 4.0, 9.0]})
    row = gauger.look(table, key="who").columns.loc["spend"]
    assert (row["missing"], row["distinct"], row["min"], row["median"], row["max"]) == (1, 4, 1.0, 3.0, 9.0)
    deviations = np.array([1, 2, 4, 9]) - 4.0
    m2, m3 = (deviations**2).mean(), (deviations**3).mean()
    assert row["skew"] == pytest.approx(m3 / m2**1.5 * np.sqrt(4 * 3) / 2)


def test_the_demo_members_are_seen_as_they_are(members: pd.DataFrame) -> None:
    roles = gauger.look(members, key="member_id").columns["role"]
    assert roles["member_id"] == "key"
    assert roles["age_band"] == "ordinal code"
    assert roles["staff_note"] == "constant"
    assert roles[["consent_email", "consent_post"]].tolist() == ["flag", "flag"]
    assert roles[["household", "home_house", "area"]].tolist() == ["category"] * 3


def test_remarks_name_constants_codes_gaps_and_a_repeating_key(members: pd.DataFrame, visits: pd.DataFrame) -> None:
    remarks = {remark.code: remark for remark in gauger.look(members, key="member_id").remarks}
    assert set(remarks) == {"constant", "code-as-measure", "missing", "single-levels"}
    assert remarks["constant"].features == ("staff_note",)
    assert remarks["missing"].features == ("age", "email")
    repeats = {remark.code: remark.text for remark in gauger.look(visits, key="member_id").remarks}
    assert "34,500 of 36,855 rows" in repeats["key-repeats"]
    assert repeats["repeated-rows"].startswith("60 rows are exact repeats")


def test_a_clean_table_has_no_remarks() -> None:
    assert gauger.look(pd.DataFrame({"who": list("abc"), "spend": [1.5, 2.5, 9.0]}), key="who").remarks == ()


def test_an_unknown_key_is_refused() -> None:
    with pytest.raises(UnknownColumnError, match="did you mean 'who'"):
        gauger.look(pd.DataFrame({"who": [1]}), key="whoo")
