"""Every remark on chosen features: when it comes, what it names, what it tells to do, and when it stays away."""

import numpy as np
import pandas as pd
import pytest

import gauger

N = 400
RNG = np.random.default_rng(7)
WELL = pd.DataFrame(
    {"who": [f"c{row}" for row in range(N)], "visits": RNG.normal(10, 2, N), "spend": RNG.normal(50, 9, N)}
)


def _remarks(table: pd.DataFrame, **settings: object) -> dict[str, gauger.Remark]:
    return {remark.code: remark for remark in gauger.prepare(table, key="who", **settings).remarks}


def test_well_behaved_features_have_no_remark() -> None:
    assert _remarks(WELL) == {}


LOGNORMAL = RNG.lognormal(0, 1.2, N)
CASES = {
    "near-constant": ({"x": np.where(np.arange(N) < 10, 1.0, 0.0)}, {}, ("x",), "97.5% have 0"),
    "code-as-measure": ({"age_band": np.arange(N) % 5}, {}, ("age_band",), "--categories age_band"),
    "correlated": ({"x": WELL["visits"] * -2 + 1}, {}, ("visits", "x"), "visits and x (r = -1.00)"),
    "composite": ({"x": WELL["visits"] + WELL["spend"]}, {}, ("x", "visits", "spend"), "the sum of visits and spend"),
    "heavy-tail": ({"x": LOGNORMAL}, {}, ("x",), "transform='log' (--transform log)"),
    "sentinel": ({"x": np.where(np.arange(N) < 5, 999, RNG.integers(0, 80, N))}, {}, ("x",), "x (999) holds a value"),
    "zero-for-missing": (
        {"x": np.where(np.arange(N) < 5, np.nan, RNG.normal(40, 5, N))},
        {"missing": "zero"},
        ("x",),
        "--missing x=median",
    ),
    "identifier": ({"x": np.arange(N)}, {}, ("x",), "different for every customer"),
    "raw-scales": ({"x": WELL["visits"] * 1e4}, {"scale": "none"}, ("x",), "--scale zscore"),
}


@pytest.mark.parametrize("code", CASES)
def test_each_mistake_is_caught_in_words(code: str) -> None:
    columns, settings, features, words = CASES[code]
    remark = _remarks(WELL.assign(**columns), **settings)[code]
    assert remark.features == features
    assert words in remark.text


def test_negative_sentinels_are_seen_and_ordinary_extremes_are_not() -> None:
    values = RNG.integers(0, 80, N)
    assert "sentinel" in _remarks(WELL.assign(x=np.where(np.arange(N) < 3, -1, values)))
    assert "sentinel" not in _remarks(WELL.assign(x=values))
    assert "sentinel" not in _remarks(WELL.assign(x=RNG.integers(-3, 80, N)))
    assert "sentinel" not in _remarks(WELL.assign(x=RNG.integers(0, 1000, N)))


def test_a_tail_that_was_treated_is_no_longer_remarked() -> None:
    table = WELL.assign(x=LOGNORMAL)
    assert "heavy-tail" not in _remarks(table, transform={"x": "log"})
    assert "heavy-tail" not in _remarks(table, cap=(0.0, 0.9))
    refunds = WELL.assign(x=np.where(np.arange(N) < 3, -1.0, LOGNORMAL))
    assert "--transform signed_log" in _remarks(refunds)["heavy-tail"].text


def test_zero_for_missing_is_fine_where_zero_is_an_amount() -> None:
    gaps = np.where(np.arange(N) < 5, np.nan, RNG.poisson(1.0, N))
    assert "zero-for-missing" not in _remarks(WELL.assign(orders=gaps), missing="zero")
    assert "zero-for-missing" in _remarks(WELL.assign(recency_days=gaps), missing="zero")


def test_extreme_customers_are_named_by_their_feature_and_gone_once_capped() -> None:
    table = WELL.copy()
    table.loc[[3, 77], "spend"] = [900.0, 2000.0]
    remark = _remarks(table)["extreme-customers"]
    assert "2 customers lie far outside" in remark.text
    assert "by spend above all" in remark.text
    assert remark.features == ("spend",)
    assert "extreme-customers" not in _remarks(table, cap=(0.0, 0.99))


def test_too_few_customers_for_the_features_are_remarked() -> None:
    assert "19 customers for 2 features" in _remarks(WELL.iloc[:19])["few-customers"].text
    assert "few-customers" not in _remarks(WELL.iloc[:20])


def test_dates_after_the_behaviour_ends_are_a_leak() -> None:
    events = pd.DataFrame({"who": list("aab"), "day": ["2025-01-01", "2025-01-05", "2025-01-09"]})
    behaviour = gauger.summarise_events(events, customer="who", when="day", as_of="2025-01-06")
    joined = behaviour.assign(left_on=pd.to_datetime(["2025-02-01"]))
    joined.attrs = behaviour.attrs
    remark = _remarks(joined)["leak"]
    assert remark.features == ("left_on",)
    assert "at or after 2025-01-06" in remark.text
    assert "leak" not in _remarks(behaviour)


def test_customers_that_are_left_out_are_out_of_every_remark() -> None:
    table = WELL.assign(x=WELL["visits"] + WELL["spend"])
    table.loc[[3, 50], "x"] = np.nan
    assert _remarks(table, missing="drop")["composite"].features == ("x", "visits", "spend")
