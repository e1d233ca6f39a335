"""Looking at a table: roles, figures and remarks."""

import datetime

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.columns.roles import guess_role
from gauger.errors import UnknownColumnError

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


ROWS = 200


def _look(**columns: object) -> dict[str, gauger.Remark]:
    table = pd.DataFrame({"who": [f"c{row}" for row in range(ROWS)], **columns})
    return {remark.code: remark for remark in gauger.look(table, key="who", today=datetime.date(2025, 6, 1)).remarks}


@pytest.mark.parametrize(
    ("code", "column", "words"),
    [
        ("near-constant", [0] * 195 + [1] * 5, "x (97.5% are 0)"),
        ("sentinel", [999] * 3 + [row % 70 + 18 for row in range(ROWS - 3)], "x (999)"),
        ("sentinel", pd.to_datetime(["1900-01-01"] * 3 + ["2025-01-07"] * (ROWS - 3)), "x (1900-01-01)"),
        ("heavy-tail", [float(row % 9) for row in range(ROWS - 1)] + [900.0], "transform='log' (--transform log)"),
        (
            "future-dates",
            pd.to_datetime(["2025-01-07", "2025-06-02"] * (ROWS // 2)),
            "x (100) holds dates after 2025-06-01",
        ),
        ("nearly-numbers", [f"{row}.5" for row in range(ROWS - 4)] + ["-", "n.a.", "-", "-"], "--as-missing 'x=-'"),
        ("nearly-numbers", [f"1.{row:03d},50" for row in range(ROWS)], "written like '9.999,99'. Read the table with"),
        (
            "dates-as-text",
            [f"{row % 28 + 1:02d}/03/2025" for row in range(ROWS)],
            "dates='%d/%m/%Y' (--dates %d/%m/%Y)",
        ),
        ("single-levels", ["north"] * (ROWS - 1) + ["nroth"], "x (1): typos"),
    ],
)
def test_each_oddity_is_remarked(code: str, column: object, words: str) -> None:
    remark = _look(x=column)[code]
    assert remark.features == ("x",)
    assert words in remark.text


def test_codes_are_not_taken_for_spoilt_numbers() -> None:
    assert "nearly-numbers" not in _look(postcode=[f"{row:05d}" for row in range(ROWS)], word=["a1", "7"] * (ROWS // 2))


def test_columns_that_are_missing_together_are_grouped() -> None:
    gone = np.arange(ROWS) < 20
    column = np.where(gone, np.nan, np.arange(ROWS) * 1.5)
    remarks = _look(east=column, north=column + 1, age=np.where(gone[::-1], np.nan, 3.5 + np.arange(ROWS)))
    assert remarks["missing"].features == ("east", "north", "age")
    assert remarks["missing-together"].features == ("east", "north")
    assert "(20)" in remarks["missing-together"].text


def test_repeated_rows_are_counted() -> None:
    table = pd.DataFrame({"who": [1, 2, 2, 3], "spend": [1.5, 2.5, 2.5, 3.5]})
    (remark, _) = gauger.look(table, key="who").remarks
    assert remark.code == "repeated-rows"
    assert remark.text.startswith("1 row is an exact repeat")


def test_every_role_says_what_it_rests_on(members: pd.DataFrame) -> None:
    because = gauger.look(members, key="member_id").columns["because"]
    assert because["member_id"] == "named as the key"
    assert because["age_band"] == "5 steps from 1 to 5"
    assert because["household"] == "text with 4 values"
    assert because["staff_note"] == "always none"


@pytest.mark.parametrize("odd", [np.inf, -np.inf, 1.7e308])
def test_a_column_with_endless_values_has_no_skew_and_no_warning(odd: float) -> None:
    seen = gauger.look(pd.DataFrame({"who": range(5), "spend": [1.5, 2.0, -1.7e308, odd, 9.0]}), key="who")
    assert np.isnan(seen.columns.loc["spend", "skew"])


@pytest.mark.slow
def test_an_identifier_of_digits_is_no_measure_and_amounts_are() -> None:
    rng = np.random.default_rng(1)
    cards = rng.choice(np.arange(10_000_000, 99_999_999), 300, replace=False)
    table = pd.DataFrame(
        {"card": cards, "sales": cards, "weight_g": rng.integers(50, 999_999, 300), "round": cards // 10 * 10}
    )
    roles = gauger.look(table).columns["role"]
    assert roles["card"] == "key"
    assert roles[["sales", "weight_g", "round"]].tolist() == ["measure"] * 3


@pytest.mark.parametrize("top", ["5+", "5 or more", ">4"])
def test_a_top_level_among_numbers_is_to_keep(top: str) -> None:
    levels = ["1", "2", "3", "4", top]
    seen = gauger.look(pd.DataFrame({"who": range(50), "people": levels * 10}), key="who")
    told = {remark.code: remark.text for remark in seen.remarks}
    assert "nearly-numbers" not in told
    assert f"a top level, {top!r}" in told["top-level"]
    odd = gauger.look(pd.DataFrame({"who": range(50), "people": ["1", "2", "3", "9", "5+"] * 10}), key="who")
    assert "top-level" not in {remark.code for remark in odd.remarks}
