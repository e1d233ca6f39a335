"""A manifest that was altered: what is out of range is refused, what a later version adds is let in."""

import json
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import gauger
from gauger.errors import ModelFileError

Told = dict[str, Any]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    who = pd.DataFrame({"who": [f"c{at}" for at in range(40)], "segment": [1, 2] * 20})
    people = who[["who"]].assign(email=[f"{key}@example.org" for key in who["who"]])
    return gauger.hand_off(who, people, tmp_path / "out", campaign="x", consent=None, holdout=0.5).folder


def _altered(folder: Path, change: Callable[[Told], object]) -> gauger.Outcome:
    file = folder / "manifest.json"
    told = json.loads(file.read_text())
    change(told)
    file.write_text(json.dumps(told))
    return gauger.measure(folder, pd.DataFrame({"who": ["c1"], "responded": [1]}))


@pytest.mark.slow
@pytest.mark.parametrize(
    ("change", "where"),
    [
        (lambda told: told["files"][0].update(rows=-1), "files.0.rows"),
        (lambda told: told["files"][0].update(rows=1.5), "files.0.rows"),
        (lambda told: told["holdouts"][0].update(contacted=-1), "holdouts.0.contacted"),
        (lambda told: told["holdouts"][0].update(segment="1"), "holdouts.0.segment"),
        (lambda told: told["power"].update(power=1.01), "power.power"),
        (lambda told: told["power"].update(level=-0.01), "power.level"),
        (lambda told: told["waterfall"]["customers"]["1"].update(contacted=-3), "waterfall.customers.1.contacted"),
        (lambda told: told.pop("holdouts"), "holdouts"),
        (lambda told: told.update(files="none"), "files"),
        (lambda told: told.update(version=2), "version"),
    ],
)
def test_what_is_out_of_range_or_gone_is_no_manifest(
    change: Callable[[Told], object], where: str, folder: Path
) -> None:
    with pytest.raises(ModelFileError, match=re.escape(f"that this Gauger can read ({where})")):
        _altered(folder, change)


@pytest.mark.slow
@pytest.mark.parametrize(
    "change",
    [
        lambda told: told["power"].update(power=1.0, level=0.0),
        lambda told: told["files"][0].update(rows=0),
        lambda told: told["holdouts"][0].update(contacted=0, smallest_uplift=None),
        lambda told: told.update(later="more"),
        lambda told: told["files"][0].update(later=[1]),
    ],
)
def test_bounds_and_what_a_later_version_adds_are_let_in(change: Callable[[Told], object], folder: Path) -> None:
    assert _altered(folder, change).campaign == "x"
