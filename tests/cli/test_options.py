"""Words typed for options, and what they become."""

import pytest

from gauger.cli.options import Preparation, by_feature, quantiles, split_names
from gauger.errors import SettingError


def test_names_and_pairs_are_split_at_commas() -> None:
    assert split_names("visits, spend_mean,") == ["visits", "spend_mean"]
    assert by_feature("median") == "median"
    assert by_feature("age=median, visits=zero") == {"age": "median", "visits": "zero"}
    assert quantiles("0,0.99") == (0.0, 0.99)


@pytest.mark.parametrize("text", ["age=", "=zero", "age=median,zero"])
def test_half_a_pair_is_refused(text: str) -> None:
    with pytest.raises(SettingError, match="one word, or pairs such as age=median"):
        by_feature(text)


@pytest.mark.parametrize("text", ["1", "a,b", "0,0.5,1", ""])
def test_quantiles_come_in_twos(text: str) -> None:
    with pytest.raises(SettingError, match="must be two quantiles with a comma"):
        quantiles(text)


def test_a_preparation_can_be_typed_again() -> None:
    plain = Preparation("who", None, "refuse", None, "zscore")
    assert plain.typed() == "--key who"
    full = Preparation("member id", "a,b", "age=median", "0,0.99", "none")
    assert full.typed() == "--key 'member id' --features a,b --missing age=median --cap 0,0.99 --scale none"
