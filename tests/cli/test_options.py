"""Words typed for options, and what they become."""

from pathlib import Path

import pytest

from gauger.cli.options import Preparation, Reading, by_feature, caps, numbers_among, split_names, typed, weights
from gauger.errors import SettingError


def test_names_pairs_and_numbers_are_split_at_commas() -> None:
    assert split_names("visits, spend_mean,") == ["visits", "spend_mean"]
    assert by_feature("median") == "median"
    assert by_feature("age=median, visits=zero") == {"age": "median", "visits": "zero"}
    assert numbers_among("age=median,visits=3.5") == {"age": "median", "visits": 3.5}
    assert caps("0,0.99") == (0.0, 0.99)
    assert caps("visits=0:0.99,age=0.1:0.9") == {"visits": (0.0, 0.99), "age": (0.1, 0.9)}
    assert weights("visits=2,spend_mean=0.5") == {"visits": 2.0, "spend_mean": 0.5}


@pytest.mark.parametrize("text", ["age=", "=zero", "age=median,zero"])
def test_half_a_pair_is_refused(text: str) -> None:
    with pytest.raises(SettingError, match="one word, or pairs such as age=median"):
        by_feature(text)


@pytest.mark.parametrize("text", ["1", "a,b", "0,0.5,1", "", "visits=0.9"])
def test_quantiles_come_in_twos(text: str) -> None:
    with pytest.raises(SettingError, match="must be two quantiles with a comma"):
        caps(text)


def test_weights_are_numbers() -> None:
    with pytest.raises(SettingError, match="pairs of a feature and a number"):
        weights("visits=twice")


def test_options_can_be_typed_again_without_their_defaults_and_passwords() -> None:
    assert typed("t.csv", Reading(), Preparation("who")) == "t.csv --key who"
    full = Preparation("member id", "a,b", missing="age=median", cap="0,0.99", scale="none")
    assert typed("my t.csv", full) == (
        "'my t.csv' --key 'member id' --features a,b --missing age=median --cap 0,0.99 --scale none"
    )
    reading = Reading(table="t", header=False, skip_bad_lines=Path("bad.csv"))
    assert typed("postgresql://u:secret@h/shop", reading) == (
        "'postgresql://u:***@h/shop' --table t --no-header --skip-bad-lines bad.csv"
    )
