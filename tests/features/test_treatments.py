"""Each treatment against its definition, and undone."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

import gauger
from gauger.errors import SettingError
from gauger.features.transforms import Power, learn_transform

VISITS = np.array([0.0, 1.0, 1.0, 4.0, 9.0, 100.0])


def _prepared(values: np.ndarray, **settings: object) -> gauger.FeatureSet:
    return gauger.prepare(pd.DataFrame({"who": range(len(values)), "x": values}), key="who", **settings)


@pytest.mark.parametrize(
    ("transform", "expected"),
    [
        ("log", np.log(VISITS + 1)),
        ("sqrt", np.sqrt(VISITS)),
        ("signed_log", np.log(VISITS + 1)),
        ("none", VISITS),
    ],
)
def test_transforms_follow_their_definitions(transform: str, expected: np.ndarray) -> None:
    np.testing.assert_allclose(_prepared(VISITS, transform=transform, scale="none").values[:, 0], expected)


def test_the_signed_log_mirrors_refunds() -> None:
    treated = _prepared(np.array([-9.0, 0.0, 9.0]), transform="signed_log", scale="none").values[:, 0]
    np.testing.assert_allclose(treated, [-np.log(10), 0.0, np.log(10)])


def test_the_power_follows_the_formula_of_its_paper() -> None:
    # Yeo & Johnson (2000), equation 2.1, worked by hand at four exponents.
    values = np.array([-2.0, 3.0])
    for exponent, expected in {
        0.0: [-((3.0**2 - 1) / 2), np.log(4)],
        0.5: [-((3.0**1.5 - 1) / 1.5), (4.0**0.5 - 1) / 0.5],
        1.0: [-2.0, 3.0],
        2.0: [-np.log(3), (4.0**2 - 1) / 2],
    }.items():
        np.testing.assert_allclose(Power(exponent).apply(values), expected)


def test_the_exponent_is_the_likeliest_of_all() -> None:
    values = np.random.default_rng(1).lognormal(1.0, 0.8, 400)

    def log_likelihood(exponent: float) -> float:
        treated = Power(exponent).apply(values)
        return -len(values) / 2 * np.log(treated.var()) + (exponent - 1) * np.log1p(values).sum()

    learned = learn_transform("x", np.sort(values), "power")
    best = max(np.arange(-1, 3, 0.01), key=log_likelihood)
    assert learned.exponent == pytest.approx(best, abs=0.01)


@given(
    arrays(np.float64, st.integers(3, 30), elements=st.floats(0, 1e4)),
    st.sampled_from(["none", "log", "signed_log", "sqrt", "power"]),
    st.sampled_from(["none", "zscore", "minmax", "robust", "rank"]),
    st.floats(0.1, 10.0),
)
def test_every_chain_of_treatments_comes_back(values: np.ndarray, transform: str, scale: str, weight: float) -> None:
    features = _prepared(values, transform=transform, scale=scale, weight=weight)
    assert np.isfinite(features.values).all()
    width = max(1.0, float(np.abs(values).max()))
    np.testing.assert_allclose(features.restore(features.values)["x"], values, atol=1e-6 * width)


def test_robust_is_moved_by_quartiles_only() -> None:
    values = np.arange(101.0)
    features = _prepared(values, scale="robust")
    # For normal values the quartiles lie 1.349 standard deviations apart.
    np.testing.assert_allclose(features.values[:, 0], (values - 50.0) / (50.0 / 1.3489795003921634))
    shifted = _prepared(np.where(values == 100.0, 1e6, values), scale="robust")
    np.testing.assert_allclose(features.values[:-1], shifted.values[:-1])


def test_ranks_are_the_share_below_with_ties_halfway() -> None:
    ranks = _prepared(VISITS, scale="rank").values[:, 0]
    np.testing.assert_allclose(ranks, [0.5 / 6, 2 / 6, 2 / 6, 3.5 / 6, 4.5 / 6, 5.5 / 6])


def test_ranks_of_many_values_are_learned_by_interpolation() -> None:
    values = np.random.default_rng(0).lognormal(size=20_000)
    ranks = _prepared(values, scale="rank").values[:, 0]
    exact = (np.argsort(np.argsort(values)) + 0.5) / len(values)
    assert np.abs(ranks - exact).max() < 1e-3


@given(st.floats(0.01, 100.0))
def test_a_weight_multiplies_the_working_scale(weight: float) -> None:
    plain, weighted = _prepared(VISITS), _prepared(VISITS, weight={"x": weight})
    np.testing.assert_allclose(weighted.values, plain.values * weight)


@pytest.mark.parametrize(("rule", "filled"), [("mean", 23.0), ("median", 4.0), ("zero", 0.0), (7.5, 7.5), (-1, -1.0)])
def test_gaps_become_what_they_are_said_to_mean(rule: object, filled: float) -> None:
    values = np.array([1.0, 1.0, np.nan, 4.0, 9.0, 100.0])
    assert _prepared(values, missing=rule, scale="none").values[2, 0] == filled


def test_the_order_of_steps_is_fill_cap_shape_scale_weight() -> None:
    values = np.array([np.nan, 0.0, 3.0, 8.0, 1000.0])
    features = _prepared(values, missing=8.0, cap=(0.0, 0.75), transform="log", scale="minmax", weight=2.0)
    np.testing.assert_allclose(features.values[:, 0], 2 * np.log([9, 1, 4, 9, 9]) / np.log(9))
    steps = [type(step).__name__ for step in features.treatments["x"]]
    assert steps == ["Fill", "Cap", "Transform", "Scale", "Weight"]


@pytest.mark.parametrize(
    ("settings", "message"),
    [
        ({"transform": "log"}, "goes down to -5. Use 'signed_log'"),
        ({"transform": "sqrt"}, "needs values of 0 or more"),
        ({"transform": "logg"}, "Did you mean 'log'"),
        ({"scale": "ranks"}, "Did you mean 'rank'"),
        ({"weight": 0}, "weight=0 must be a number above 0"),
        ({"weight": {"x": "2"}}, "weight='2' must be a number above 0"),
        ({"weight": {"y": 2}}, "weight speaks of 'y'"),
        ({"missing": float("nan")}, "missing=nan must be a number"),
        ({"missing": True}, "missing=True must be a number"),
        ({"flag_missing": ["y"]}, "flag_missing speaks of 'y'"),
    ],
)
def test_settings_that_do_not_fit_are_refused(settings: dict[str, object], message: str) -> None:
    with pytest.raises(SettingError, match=message):
        _prepared(np.array([-5.0, 1.0, 2.0]), **settings)
