"""One small hand-off on which everybody leaves at a step of their own, worked by hand."""

import hashlib
import json
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import gauger
from gauger.campaigns.arms import detectable_uplift
from gauger.campaigns.hand_off_files import _slug

WHO = pd.DataFrame(
    {
        "who": ["a1", "a2", "a3", "a4", "a5", "b1", "b2", "b3", "b4", "n1", "u1"],
        "segment": [1, 1, 1, 1, 1, 2, 2, 2, 3, 1, 0],
        "segment_name": ["regulars"] * 5 + ["now & then"] * 3 + ["rare", "regulars", "unassigned"],
    }
)
PEOPLE = pd.DataFrame(
    {
        "who": ["a1", "a2", "a3", "a4", "a5", "b1", "b2", "b3", "b4", "u1", "x9"],
        "ok": [1, 1, 0, 1, 1, 1, None, 1, 1, 1, 1],
        "email": [
            *("a1@example.org", "a1@example.org", "a3@example.org", None, "a5@example.org"),
            *(
                "b1@example.org",
                "b2@example.org",
                "b3@example.org",
                "b4@example.org",
                "u1@example.org",
                "x9@example.org",
            ),
        ],
        "town": list("abcdefghijk"),
    }
)
STEPS = {
    "a1": "contacted",
    "a2": "duplicate",  # the same address as a1, and a1 is the lower key
    "a3": "no consent",
    "a4": "no address",
    "a5": "contacted",
    "b1": "suppressed",
    "b2": "no consent",  # a gap is no yes
    "b3": "below minimum",
    "b4": "segment not chosen",
    "n1": "not in contacts",
    "u1": "unassigned",
}


def _made(folder: Path, **changed: Any) -> gauger.HandOff:
    rules = {
        "campaign": "Spring!",
        "consent": "ok",
        "holdout": 0.0,
        "segments": [1, 2],
        "min_size": 2,
        "suppress": ["b1@example.org", "nobody@example.org"],
        "columns": ["email", "town"],
        "match_on": "email",
        **changed,
    }
    return gauger.hand_off(WHO, PEOPLE, folder, **rules)


def test_everybody_leaves_at_their_own_step(tmp_path: Path) -> None:
    made = _made(tmp_path / "out")
    assert dict(zip(made.customers["who"], made.customers["step"], strict=True)) == STEPS
    table = made.waterfall
    assert table.index.tolist() == [1, 2, 3, "unassigned", "all"]
    assert table["everyone"].tolist() == [6, 3, 1, 1, 11]
    assert table["contacted"].tolist() == [2, 0, 0, 0, 2]
    assert table.loc["all", list(dict.fromkeys(STEPS.values()))].to_dict() == {
        **dict.fromkeys(STEPS.values(), 1),
        "contacted": 2,
        "no consent": 2,
    }
    assert table["name"].tolist() == ["regulars", "now & then", "rare", "unassigned", "all"]
    codes = {one.code: str(one) for one in made.remarks}
    assert "1 customer is not in the contacts" in codes["not-in-contacts"]
    assert (
        "2 suppression entries were read: 1 matches somebody of the contacts, 1 matches nobody."
        in (codes["suppression-read"])
    )


def test_without_the_unassigned_there_is_no_row_of_them(tmp_path: Path) -> None:
    made = gauger.hand_off(WHO[:10], PEOPLE, tmp_path / "out", campaign="x", consent=None, holdout=0.0)
    assert made.waterfall.index.tolist() == [1, 2, 3, "all"]
    assert "suppression-read" not in [one.code for one in made.remarks]


def test_each_segment_has_a_file_of_its_own(tmp_path: Path) -> None:
    made = _made(tmp_path / "out", min_size=1)
    names = {path.name for path in made.folder.iterdir()}
    assert names == {
        *("audience.csv", "audience-1-regulars.csv", "audience-2-now-then.csv", "match-email.csv", "arms.csv"),
        *("manifest.json", "manifest.html"),
    }
    own = {name: gauger.read_table(made.folder / name)["who"].tolist() for name in sorted(names) if "audience" in name}
    assert own == {
        "audience.csv": ["a1", "a5", "b3"],
        "audience-1-regulars.csv": ["a1", "a5"],
        "audience-2-now-then.csv": ["b3"],
    }
    audience = gauger.read_table(made.folder / "audience.csv")
    assert audience.columns.tolist() == ["who", "segment", "segment_name", "arm", "email", "town"]
    hashes = gauger.read_table(made.folder / "match-email.csv")["email_sha256"].tolist()
    assert hashes == sorted(hashlib.sha256(f"{one}@example.org".encode()).hexdigest() for one in ("a1", "a5", "b3"))


def test_the_manifest_accounts_for_all_of_it(tmp_path: Path) -> None:
    told = _made(tmp_path / "out", address=None, min_size=1).manifest
    assert told["without_usable_address"] == {"email": 1}  # a4 is contacted some other way
    assert "match" in told["rules"]
    assert told["settings"]["suppression"] == {
        "read": 2, "matched": 1, "nobody": 1, "unreadable": 0, "by_sub_address": 0,
    }  # fmt: skip
    every = _made(tmp_path / "every", min_size=1).manifest
    assert every["without_usable_address"] == {"email": 0}
    plain = _made(tmp_path / "plain", match_on=None).manifest
    assert plain["without_usable_address"] == {}
    assert "match" not in plain["rules"]
    assert [one["smallest_uplift"] for one in every["holdouts"]] == [None, None]
    rows = {one["name"]: one["rows"] for one in every["files"]}
    assert (rows["audience.csv"], rows["arms.csv"], rows["match-email.csv"]) == (3, 3, 3)
    assert json.loads((tmp_path / "every" / "manifest.json").read_text()) == every


def test_a_database_file_has_a_table_for_each_audience(tmp_path: Path) -> None:
    made = _made(tmp_path / "out", format="sqlite", min_size=1)
    with closing(sqlite3.connect(made.folder / "audience.sqlite")) as lite:
        tables = [name for (name,) in lite.execute("SELECT name FROM sqlite_master ORDER BY name")]
        columns = [row[1] for row in lite.execute("PRAGMA table_info(audience)")]
    assert tables == ["audience", "audience_1_regulars", "audience_2_now_then", "match_email"]
    assert columns == ["who", "segment", "segment_name", "arm", "email", "town"]


def test_a_refusal_may_bind_the_customer_alone(tmp_path: Path) -> None:
    shared = PEOPLE.assign(email=PEOPLE["email"].where(PEOPLE["who"] != "a5", "a3@example.org"))
    steps = {}
    for binds in ("person", "customer"):
        made = gauger.hand_off(
            WHO, shared, tmp_path / binds, campaign="x", consent="ok", holdout=0.0, refusal_binds=binds
        )
        steps[binds] = made.customers.set_index("who").loc["a5", "step"]
    assert steps == {"person": "no consent", "customer": "contacted"}


@pytest.mark.parametrize(("size", "step"), [(2, "contacted"), (3, "below minimum"), (0, "contacted")])
def test_a_segment_of_the_least_size_goes_in(size: int, step: str, tmp_path: Path) -> None:
    made = _made(tmp_path / "out", min_size=size, segments=[1])
    assert made.customers.set_index("who").loc["a5", "step"] == step


@pytest.mark.parametrize(
    ("name", "slug"),
    [
        ("Now & then", "now-then"),
        ("über Élan", "uber-elan"),
        ("!!", "segment"),
        ("-x-", "x"),
        ("a" * 50, "a" * 40),
        ("\u65e5\u672c", "segment"),
    ],
)
def test_a_name_becomes_part_of_a_files_name(name: str, slug: str) -> None:
    assert _slug(name) == slug


def test_some_segments_with_a_holdout_are_enough_to_measure_by(tmp_path: Path) -> None:
    who = pd.DataFrame({"who": [f"c{at:02}" for at in range(21)], "segment": [1] * 20 + [2]})
    people = who[["who"]].assign(email=[f"{key}@example.org" for key in who["who"]])
    made = gauger.hand_off(who, people, tmp_path / "out", campaign="x", consent=None, holdout=0.3)
    assert [one["holdout"] for one in made.manifest["holdouts"]] == [6, 0]
    found = gauger.measure(made.folder, pd.DataFrame({"who": ["c01", "c02"], "responded": [1, 1]}))
    assert found.table["holdout"].tolist() == [6, 0, 6]
    assert found.table.loc[2, ["holdout_response", "uplift", "low", "high"]].isna().all()


@pytest.mark.slow
@pytest.mark.parametrize(("held", "weak"), [(1_500, True), (1_600, False)])
def test_a_smallest_uplift_above_five_points_is_remarked(held: int, weak: bool, tmp_path: Path) -> None:
    """Half of one segment is held out: from a response of 50 % it shows more, or less, than five points."""
    base = 0.5
    assert (detectable_uplift(held, held, base) > 0.05) is weak
    who = pd.DataFrame({"who": range(2 * held), "segment": 1})
    people = who[["who"]].assign(email=[f"c{key}@example.org" for key in who["who"]])
    made = gauger.hand_off(
        who, people, tmp_path / "out", campaign="x", consent=None, holdout=0.5, base_rate=base, phone=None
    )
    assert ("holdout-too-small" in [one.code for one in made.remarks]) is weak
