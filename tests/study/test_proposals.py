"""Proposals for the columns of a table: what stands for none, long tails, twins and customers far outside."""

from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.study.proposals import Proposal, _taken_in, first_proposal, settled

N = 200
RNG = np.random.default_rng(3)
EVEN = {name: RNG.permutation(N) / 2.0 + 10.0 for name in ("visits", "spend", "calls")}
"""Measures without tails that have nothing to do with each other."""


def _settled(**columns: Any) -> Proposal:
    table = pd.DataFrame({"who": [f"c{at}" for at in range(N)], **columns})
    found, _ = first_proposal(gauger.look(table, "who"), "who")
    return settled(table, "who", found, of_events=False)[0]


@pytest.mark.parametrize(
    ("values", "stands"),
    [
        ([*range(N - 5), *[-999] * 5], "-999"),
        ([*range(N - 5), *[-1] * 5], "-1"),
        ([*np.arange(N - 5) % 90, *[999] * 5], "999"),
    ],
)
def test_the_extreme_value_that_stands_for_none_is_a_gap(values: list[float], stands: str) -> None:
    table = pd.DataFrame({"who": [f"c{at}" for at in range(N)], "score": np.array(values, dtype=float) + 0.0})
    _, as_missing = first_proposal(gauger.look(table, "who"), "who")
    assert as_missing == {"score": stands}


def test_a_feature_with_a_tail_gets_the_curve_for_its_signs() -> None:
    tail = np.exp(RNG.normal(0.0, 1.5, N))
    found = _settled(**EVEN, paid=tail.round(4), balance=(tail[::-1] - 0.2).round(4))
    assert (found.features["paid"].transform, found.features["balance"].transform) == ("log", "signed_log")
    assert "a long tail (skew" in found.reasons["paid"]["transform"]
    assert {name: found.features[name].transform for name in EVEN} == dict.fromkeys(EVEN)


def test_a_tail_that_the_curve_leaves_is_capped_and_what_is_left_even_then_is_no_feature() -> None:
    few = np.zeros(N)
    few[:12] = 10.0 ** np.arange(3, 15)
    found = _settled(**EVEN, paid=few)
    assert "paid" not in found.features
    assert "a tail that neither transform nor cap pulls in: most have about 0" in found.left_out["paid"]


def test_of_features_that_say_the_same_the_first_stays() -> None:
    found = _settled(**EVEN, cents=EVEN["spend"] * 100.0, owed=-EVEN["calls"])
    assert list(found.features) == list(EVEN)
    assert found.left_out["cents"].startswith("it says the same as spend (r = 1.00)")
    assert found.left_out["owed"].startswith("it says the same as calls (r = -1.00)")


def test_the_sum_of_others_is_left_out() -> None:
    found = _settled(**EVEN, total=EVEN["visits"] + EVEN["spend"] + EVEN["calls"])
    assert list(found.features) == list(EVEN)
    assert "the sum of visits, spend and calls" in found.left_out["total"]


def _with_extremes(**far: float) -> tuple[pd.DataFrame, gauger.FeatureSet, Proposal]:
    """Measures of which the first customer has some so many standard deviations out, and a remark that says so."""
    own = {name: values - values.mean() for name, values in EVEN.items()}
    for name, distance in far.items():
        rest = own[name][1:]
        own[name] = np.concatenate([[0.0], (rest - rest.mean()) / rest.std()])
        n, far_out = len(own[name]), distance
        own[name][0] = far_out / np.sqrt(1.0 - (far_out**2 + 1.0) / n)
    table = pd.DataFrame({"who": [f"c{at}" for at in range(N)], **own})
    features = gauger.prepare(table, key="who", scale="zscore")
    remark = gauger.Remark("extreme-customers", "some lie far outside")
    only = replace(features, remarks=(remark,))
    found, _ = first_proposal(gauger.look(table, "who"), "who")
    return table, only, found


@pytest.mark.parametrize(
    ("far", "capped"),
    [
        ({"visits": 7.0}, ["visits"]),
        ({"visits": 7.0, "calls": 6.5}, ["visits", "calls"]),
        ({"visits": 7.0, "calls": 5.0}, ["visits"]),
        ({"visits": 5.0, "calls": 4.0}, ["visits"]),  # none is six out: the farthest
    ],
)
def test_what_sets_customers_six_deviations_out_is_capped_or_else_the_farthest(
    far: dict[str, float], capped: list[str]
) -> None:
    table, features, found = _with_extremes(**far)
    better = _taken_in(table, found, features)
    assert better is not None
    assert [name for name in EVEN if better.features[name].cap] == [name for name in EVEN if name in capped]
    assert better.features[capped[0]].cap == [0.0, 0.99]
    assert f"a few lie {far[capped[0]]:.0f}" in better.reasons[capped[0]]["cap"]


def test_where_everything_is_capped_nothing_more_is_proposed() -> None:
    table, features, found = _with_extremes(visits=7.0)
    for name in EVEN:
        found = found.having(name, "cap", [0.0, 0.99], "")
    assert _taken_in(table, found, features) is None


@pytest.mark.parametrize(("missing", "feature"), [(100, True), (101, False)])
def test_a_column_that_more_than_half_lack_is_no_feature(missing: int, feature: bool) -> None:
    gappy = EVEN["spend"] ** 1.5 % 7.0
    gappy[RNG.permutation(N)[:missing]] = np.nan
    found = _settled(**EVEN, age=gappy)
    assert ("age" in found.features) == feature
    if feature:
        assert found.features["age"].missing == "median"
        assert "100 customers lack it (50%)" in found.reasons["age"]["missing"]
    else:
        assert found.left_out["age"] == "missing for 50% of the customers"
