"""No message repeats what a cell says of a person: here every key is an e-mail address."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.profiling import segmentation_from_assignments

PEOPLE = pd.DataFrame({"email": [f"person{at}@example.org" for at in range(60)], "visits": np.arange(60.0)})
OTHERS = PEOPLE.assign(email=PEOPLE["email"].str.replace("person", "other"))


def _segments(table: pd.DataFrame = PEOPLE) -> gauger.Segmentation:
    return gauger.segment_by_kmeans(gauger.prepare(table, key="email", features=["visits"]), 2)


def _file(folder: Path) -> Path:
    path = folder / "t.csv"
    path.write_text("email,visits\nperson0@example.org,1\nperson1@example.org\n")
    return path


WRONG: dict[str, Callable[[Path], object]] = {
    "a key that repeats": lambda _: gauger.prepare(pd.concat([PEOPLE, PEOPLE]), key="email"),
    "addresses for numbers": lambda _: gauger.prepare(PEOPLE.assign(who=range(60)), key="who", features=["email"]),
    "addresses for dates": lambda _: gauger.summarise_events(PEOPLE, customer="visits", when="email"),
    "a table of others": lambda _: gauger.profile(_segments(), OTHERS),
    "migration of others": lambda _: gauger.migration(_segments(), _segments(OTHERS)),
    "assignments of others": lambda _: segmentation_from_assignments(
        _segments().features, _segments(OTHERS).assignments, method="file"
    ),
    "addresses for consent": lambda folder: gauger.hand_off(
        _segments(), PEOPLE, folder / "out", campaign="x", consent="email"
    ),
    "unreadable entries": lambda folder: gauger.hand_off(
        _segments(), PEOPLE.assign(yes=1), folder / "out", campaign="x", consent="yes", suppress=["person@example@org"]
    ),
    "a condition on addresses": lambda _: gauger.members(_segments(), PEOPLE, where="email > 3"),
    "a line cut short": lambda folder: gauger.read_table(_file(folder)),
}


@pytest.mark.parametrize("what", WRONG)
def test_an_error_says_where_and_not_who(what: str, tmp_path: Path) -> None:
    with pytest.raises(gauger.GaugerError) as told:
        WRONG[what](tmp_path)
    assert "example" not in str(told.value)
    assert "person" not in str(told.value)


def _remarked(features: gauger.FeatureSet) -> list[gauger.Remark]:
    """The remarks of every method on some features."""
    made: list[gauger.Segmentation] = [
        gauger.segment_by_kmeans(features, 4, starts=2),
        gauger.segment_by_kmeans(features, 3, starts=1, max_iterations=1),
        gauger.build_tree(features, linkage="single").cut(count=5),
        gauger.segment_by_density(features, 0.3),
        gauger.segment_by_density_levels(features),
        gauger.segment_by_bands(features, {"visits": 2, "spend": 3}),
    ]
    studies = [gauger.study_counts(features, counts=range(1, 5)), gauger.study_radius(features)]
    profiles = [gauger.profile(one) for one in made]
    results = (features, *made, *studies, *profiles)
    return [remark for result in results for remark in result.remarks]


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(3))
def test_no_method_remarks_on_anybody_by_key(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rows = 240
    table = pd.DataFrame({"who": [f"Q{at:03d}Z" for at in range(rows)], "visits": rng.gamma(2.0, 5.0, rows)})
    table["spend"] = table["visits"] * rng.uniform(1.0, 3.0, rows)
    table.loc[rng.integers(0, rows, 4), ["visits", "spend"]] *= 60.0
    remarks = _remarked(gauger.prepare(table, key="who"))
    assert {"far-customers", "tiny-segment"} & {one.code for one in remarks}
    assert not [one for one in remarks if "Z" in one.text.replace("Z-score", "")]


def test_a_remark_says_how_many_and_not_who() -> None:
    part = pd.concat([PEOPLE.iloc[:50], OTHERS.iloc[:10]])
    moved = gauger.migration(_segments(), _segments(part))
    other = gauger.compare(_segments(), _segments(part))
    odd = PEOPLE.assign(visits=PEOPLE["visits"].where(PEOPLE.index > 0, 1e6))
    looked = gauger.look(PEOPLE.assign(area=["north"] * 58 + ["person@example.org", "south@example.org"]))
    results = (moved, other, gauger.profile(_segments(), part), gauger.prepare(odd, key="email"), looked)
    texts = [remark.text for result in results for remark in result.remarks]
    assert len(texts) > 4
    assert not any("@" in text for text in texts)
