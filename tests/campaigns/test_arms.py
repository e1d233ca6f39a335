"""Arms of a campaign: how many are held out of each segment, and what a holdout can show."""

import hashlib
import math
import pathlib
from statistics import NormalDist

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.campaigns.arms import arms, detectable_uplift


@pytest.mark.parametrize(("segments", "base"), [(1, 0.05), (4, 0.05), (12, 0.3), (1, 0.0)])
def test_the_detectable_uplift_solves_the_equation_of_its_power(segments: int, base: float) -> None:
    """Fleiss, Levin & Paik (2003): the uplift is as long as both normal deviates, each with its own error."""
    contacted, held = 4_000, 1_000
    uplift = detectable_uplift(contacted, held, base, segments)
    line, reach = NormalDist().inv_cdf(1.0 - 0.05 / segments / 2.0), NormalDist().inv_cdf(0.8)
    treated = base + uplift
    pooled = (contacted * treated + held * base) / (contacted + held)
    same = math.sqrt(pooled * (1.0 - pooled) * (1.0 / contacted + 1.0 / held))
    apart = math.sqrt(treated * (1.0 - treated) / contacted + base * (1.0 - base) / held)
    assert uplift == pytest.approx(line * same + reach * apart, rel=1e-9)


def test_more_segments_and_fewer_customers_can_show_less() -> None:
    assert detectable_uplift(4_000, 1_000, 0.05, 2) > detectable_uplift(4_000, 1_000, 0.05)
    assert detectable_uplift(400, 1_000, 0.05) > detectable_uplift(4_000, 1_000, 0.05)
    assert detectable_uplift(4_000, 100, 0.05) > detectable_uplift(4_000, 1_000, 0.05)


@pytest.mark.parametrize(("contacted", "held"), [(0, 10), (10, 0), (1, 1), (2, 1)])
def test_where_nothing_below_certainty_would_do_there_is_no_uplift(contacted: int, held: int) -> None:
    assert math.isnan(detectable_uplift(contacted, held, 0.05))


@pytest.mark.parametrize(
    ("sizes", "share", "held"),
    [
        ([10, 10], 0.25, [3, 2]),  # 2.5 each, five in all: the first of equals takes the odd one
        ([30, 10], 0.25, [8, 2]),  # 7.5 and 2.5: the larger one
        ([10, 30], 0.25, [2, 8]),
        ([7, 7, 7], 0.1, [1, 1, 0]),  # 0.7 each, 2.1 in all
        ([4, 13], 0.1, [1, 1]),  # 0.4 and 1.3, 1.7 in all: 0.4 is the larger remainder
        ([10, 20], 0.3, [3, 6]),
        ([5, 5], 0.0, [0, 0]),
        ([5, 5], 1.0, [5, 5]),
    ],
)
def test_the_share_of_everyone_is_exact_and_goes_by_the_largest_remainder(
    sizes: list[int], share: float, held: list[int]
) -> None:
    numbers = np.repeat(np.arange(1, len(sizes) + 1), sizes)
    found = arms(pd.Index([f"c{at}" for at in range(len(numbers))]), numbers, share, "spring", 0)
    assert [int((found[numbers == one] == "holdout").sum()) for one in range(1, len(sizes) + 1)] == held


def _handed(sizes: dict[int, int], folder: object, **settings: object) -> gauger.HandOff:
    numbers = np.repeat(list(sizes), list(sizes.values()))
    who = pd.DataFrame({"who": [f"c{at}" for at in range(len(numbers))], "segment": numbers})
    people = who[["who"]].assign(email=[f"{key}@example.org" for key in who["who"]])
    return gauger.hand_off(who, people, folder, campaign="spring", consent=None, **settings)  # type: ignore[arg-type]


def _weak(made: gauger.HandOff) -> list[tuple[int, ...]]:
    return [one.segments for one in made.remarks if one.code == "holdout-too-small"]


@pytest.mark.slow
def test_a_holdout_that_can_show_nothing_is_remarked_like_one_that_shows_too_little(tmp_path: object) -> None:
    """Of segment 1 nothing below certainty could be found (no number), of 2 only much; 3 is large enough."""
    made = _handed({1: 6, 2: 300, 3: 20_000}, f"{tmp_path}/out", holdout=0.2)
    assert _weak(made) == [(1, 2)]
    (said,) = [str(one) for one in made.remarks if one.code == "holdout-too-small"]
    assert "segment 1 (none)" in said
    assert f"segment 2 ({100 * detectable_uplift(240, 60, 0.02, 3):.1f} points)" in said


def test_where_nobody_is_held_out_nothing_is_said_of_the_holdout(tmp_path: object) -> None:
    assert _weak(_handed({1: 6, 2: 300}, f"{tmp_path}/out", holdout=0.0)) == []


def test_who_is_held_out_follows_from_campaign_seed_and_key_alone() -> None:
    """Nobody's arm may change with a version of the library: those with the lowest keyed hashes are held out."""
    keys = [f"c{at}" for at in range(40)]
    secret = hashlib.blake2b(b"3\nspring", digest_size=32).digest()
    marks = {key: hashlib.blake2b(key.encode(), key=secret, digest_size=16).hexdigest() for key in keys}
    found = arms(pd.Index(keys), np.ones(40, dtype=np.int64), 0.25, "spring", 3)
    held = {key for key, arm in zip(keys, found, strict=True) if arm == "holdout"}
    assert held == set(sorted(keys, key=lambda key: marks[key])[:10])


def test_the_files_of_a_hand_off_have_these_columns_in_the_order_of_segments_and_keys(tmp_path: object) -> None:
    made = _handed({2: 4, 1: 4}, f"{tmp_path}/out", holdout=0.5)
    told = gauger.read_table(made.folder / "arms.csv")
    assert told.columns.tolist() == ["who", "segment", "segment_name", "arm"]
    assert told["segment"].tolist() == [1] * 4 + [2] * 4
    assert told["who"].tolist() == ["c4", "c5", "c6", "c7", "c0", "c1", "c2", "c3"]
    audience = gauger.read_table(made.folder / "audience.csv")
    assert audience.columns.tolist() == ["who", "segment", "segment_name", "arm", "email"]
    assert audience["who"].tolist() == told["who"][told["arm"] == "contacted"].tolist()


def test_the_manifest_says_which_segments_were_chosen(tmp_path: object) -> None:
    every = _handed({1: 4, 2: 4}, f"{tmp_path}/every").manifest
    some = _handed({1: 4, 2: 4}, f"{tmp_path}/some", segments=[2]).manifest
    assert (every["settings"]["segments"], some["settings"]["segments"]) == ("all", [2])
    text = (pathlib.Path(f"{tmp_path}/some") / "manifest.json").read_text()
    assert text.startswith('{\n "')
    assert text.endswith("}\n")
