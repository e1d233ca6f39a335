"""Hand-offs: who goes in and who does not, the holdout, the files, and what happens when writing fails."""

import hashlib
import json
import signal
import sqlite3
import subprocess
import sys
import time
from collections import Counter
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.campaigns.addresses import emails_in, first_of, phones_in
from gauger.campaigns.arms import arms, detectable_uplift
from gauger.campaigns.eligible import STEPS
from gauger.errors import ColumnValuesError, KeyColumnError, OutputError, SettingError, UnknownColumnError

WHEN = datetime(2026, 4, 1, tzinfo=UTC)


def _assigned(codes: dict[str, int]) -> pd.DataFrame:
    return pd.DataFrame({"who": list(codes), "segment": list(codes.values())})


def _people(keys: str | list[str], **columns: object) -> pd.DataFrame:
    table = pd.DataFrame({"who": list(keys), "consent_email": 1, "email": [f"{key}@example.org" for key in keys]})
    return table.assign(**columns)


def _names(folder: Path) -> set[str]:
    return {path.name for path in folder.iterdir()}


def _steps(made: gauger.HandOff) -> dict[str, str]:
    return dict(zip(made.customers.iloc[:, 0], made.customers["step"], strict=True))


def test_everyone_leaves_at_the_first_step_that_applies(tmp_path: Path) -> None:
    codes = dict(zip("abcdefghijk", [1, 1, 1, 1, 1, 1, 1, 0, 2, 3, 3], strict=True))
    people = _people(
        "abcdefghij",
        consent_email=["yes", 0, 1, "True", 1, 1, None, 1, 1, 1],
        email=[
            *("a@example.org", "b@example.org", "c@example.org", "no address", " A@Example.org ", "f@example.org"),
            *("g@example.org", "h@example.org", "i@example.org", "j@example.org"),
        ],
    )
    made = gauger.hand_off(
        _assigned(codes),
        people,
        tmp_path / "out",
        campaign="x",
        holdout=0.0,
        segments=[1, 3],
        suppress=["c"],
        min_size=2,
    )
    assert _steps(made) == {
        "a": "contacted",
        "b": "no consent",
        "c": "suppressed",
        "d": "no address",
        "e": "duplicate",
        "f": "contacted",
        "g": "no consent",
        "h": "unassigned",
        "i": "segment not chosen",
        "j": "below minimum",
        "k": "not in contacts",
    }
    table = made.waterfall.drop(columns="name")
    np.testing.assert_array_equal(table["everyone"], table[list(STEPS)].sum(axis=1))
    np.testing.assert_array_equal(table.loc["all"], table.drop(index="all").sum())
    assert [remark.code for remark in made.remarks] == ["suppression-read", "not-in-contacts"]
    audience = gauger.read_table(tmp_path / "out" / "audience.csv")
    assert audience.columns.tolist() == ["who", "segment", "segment_name", "arm", "email"]
    assert audience["who"].tolist() == ["a", "f"]


def test_consent_is_required_not_assumed(tmp_path: Path) -> None:
    bare = _people("ab").drop(columns="consent_email")
    codes = _assigned({"a": 1, "b": 1})
    with pytest.raises(UnknownColumnError, match=r"consent is required, not assumed.*or say consent=None"):
        gauger.hand_off(codes, bare, tmp_path / "out", campaign="x")
    with pytest.raises(ColumnValuesError, match=r"must say yes or no .* and has 1 other word\."):
        gauger.hand_off(codes, _people("ab", consent_email=["perhaps", 1]), tmp_path / "out", campaign="x")
    made = gauger.hand_off(codes, bare, tmp_path / "out", campaign="x", consent=None, holdout=0.0)
    assert made.waterfall.loc["all", "contacted"] == 2
    assert made.manifest["settings"]["consent"] == "not needed, as the caller said"


@pytest.mark.parametrize(
    "suppress",
    [
        ["a"],
        pd.Series([" A@EXAMPLE.org"]),
        pd.DataFrame({"who": ["a", None], "email": [None, "zz@example.org"]}),
        pd.DataFrame({"email": ["a@example.org "]}),
    ],
)
def test_suppression_is_by_key_or_address_and_holds_for_who_shares_it(tmp_path: Path, suppress: object) -> None:
    people = _people("abc", phone=["+99 555-1", "+9955512345", "00 9955512345"])
    people.loc[1, "email"] = "a@example.org"  # b shares a's address, c shares b's telephone
    made = gauger.hand_off(
        _assigned({"a": 1, "b": 1, "c": 1}), people, tmp_path / "out", campaign="x", suppress=suppress, holdout=0.0
    )
    assert set(_steps(made).values()) == {"suppressed"}


def test_keys_of_numbers_are_suppressed_whatever_their_kind(tmp_path: Path) -> None:
    codes = pd.DataFrame({"who": [7, 8, 9], "segment": 1})
    people = _people("abc", who=[7, 8, 9])
    lists = pd.DataFrame({"who": [7.0, np.nan], "email": [None, "b@example.org"]})
    made = gauger.hand_off(codes, people, tmp_path / "out", campaign="x", suppress=lists, holdout=0.0)
    assert _steps(made) == {7: "suppressed", 8: "suppressed", 9: "contacted"}
    with pytest.raises(SettingError, match="written the same way, and of one kind"):
        gauger.hand_off(codes, people.astype({"who": "str"}), tmp_path / "other", campaign="x")


def test_who_is_suppressed_and_in_no_segment_still_keeps_others_with_the_address_out(tmp_path: Path) -> None:
    people = _people("abc", phone=["+9955511111", "+9955522222", "+9955522222"])
    people.loc[2, "email"] = "a@example.org"  # c is in no segment, and shares a's address and b's telephone
    made = gauger.hand_off(
        _assigned({"a": 1, "b": 1}), people, tmp_path / "out", campaign="x", suppress=["c"], holdout=0.0
    )
    assert set(_steps(made).values()) == {"suppressed"}


def test_no_address_is_told_by_an_error(tmp_path: Path) -> None:
    with pytest.raises(ColumnValuesError) as told:
        gauger.hand_off(_assigned({"a": 1}), _people("a"), tmp_path / "out", campaign="x", consent="email")
    assert "@" not in str(told.value)


@pytest.mark.parametrize(
    ("written", "found"),
    [
        (" Ada@Example.ORG ", ("ada@example.org",)),
        ("mailto:ada@example.org?subject=hello", ("ada@example.org",)),
        ("Ada Kell <ada@example.org>", ("ada@example.org",)),
        ("ada@example.org.", ("ada@example.org",)),
        ("ada@example.org, ben@example.net; c@example.com", ("ada@example.org", "ben@example.net", "c@example.com")),
        ("ada\u200b@example.org", ("ada@example.org",)),
        ("ａｄａ@example.org", ("ada@example.org",)),
        ("ada@bücher.example", ("ada@xn--bcher-kva.example",)),
        ("ada@XN--BCHER-KVA.example", ("ada@xn--bcher-kva.example",)),
        ("no", ()),
        ("a@b", ()),
        (None, ()),
        (7, ()),
    ],
)
def test_an_email_address_has_one_form(written: object, found: tuple[str, ...]) -> None:
    assert emails_in(pd.Series([written], dtype=object)).tolist() == [found]


@pytest.mark.parametrize(
    ("written", "region", "found"),
    [
        ("+99 (955) 12-34.56", None, ("+99955123456",)),
        ("0099 955123456", None, ("+99955123456",)),
        ("tel:+44-20-7946-0018", None, ("+442079460018",)),
        ("+44 (0)20 7946 0018", None, ("+442079460018",)),
        ("020 7946 0018", "GB", ("+442079460018",)),
        ("0044 20 7946 0018; 020 7946 0019", "GB", ("+442079460018", "+442079460019")),
        (2079460018.0, "GB", ("+442079460018",)),
        ("０２０ 7946 0018", "GB", ("+442079460018",)),
        ("020 7946 0018", None, ()),
        ("+12", None, ()),
        (None, None, ()),
    ],
)
def test_a_telephone_number_has_one_form(written: object, region: str | None, found: tuple[str, ...]) -> None:
    assert phones_in(pd.Series([written], dtype=object), region).tolist() == [found]


def test_a_region_that_there_is_not_is_refused(tmp_path: Path) -> None:
    people = _people("a", phone="+99955123456")
    with pytest.raises(SettingError, match="region='Ostrel' is no country"):
        gauger.hand_off(_assigned({"a": 1}), people, tmp_path / "out", campaign="x", region="Ostrel")


@pytest.mark.slow
@pytest.mark.parametrize(
    "suppress",
    [
        ["+44 20 7946 0018"],
        ["020 7946 0018"],
        pd.DataFrame({"phone": ["(020) 79460018"]}),
        ["A1"],
        ["００a1"],
        pd.DataFrame({"who": ["a1.0", "0A1 "]}).iloc[1:],
        ["Ada <ADA@example.org.>"],
    ],
)
def test_what_must_not_be_contacted_is_found_however_it_is_written(tmp_path: Path, suppress: object) -> None:
    people = pd.DataFrame({"who": ["a1", "b2"], "consent_email": 1, "phone": ["0044 20 7946 0018", "+442079460019"]})
    people["email"] = ["ada@example.org", "ben@example.org"]
    codes = _assigned({"a1": 1, "b2": 1})
    made = gauger.hand_off(codes, people, tmp_path / "out", campaign="x", suppress=suppress, region="GB", holdout=0.0)
    assert _steps(made) == {"a1": "suppressed", "b2": "contacted"}
    assert made.manifest["settings"]["suppression"] == {
        "read": 1,
        "matched": 1,
        "nobody": 0,
        "unreadable": 0,
        "by_sub_address": 0,
    }


def test_a_key_that_is_somebodys_exactly_names_nobody_else(tmp_path: Path) -> None:
    people = _people(["7", "007", "x"])
    codes = _assigned({"7": 1, "007": 1, "x": 1})
    exact = gauger.hand_off(codes, people, tmp_path / "one", campaign="x", suppress=["7"], holdout=0.0)
    assert _steps(exact) == {"7": "suppressed", "007": "contacted", "x": "contacted"}
    loose = gauger.hand_off(codes, people, tmp_path / "two", campaign="x", suppress=["07"], holdout=0.0)
    assert _steps(loose) == {"7": "suppressed", "007": "suppressed", "x": "contacted"}


def test_every_entry_is_accounted_for_and_what_cannot_be_read_stops_the_hand_off(tmp_path: Path) -> None:
    lists = pd.DataFrame({"who": ["a", "zz", None, None], "email": [None, None, "b@example.org", "not an address"]})
    asked = {"campaign": "x", "suppress": lists, "holdout": 0.0}
    codes, people = _assigned({"a": 1, "b": 1, "c": 1}), _people("abc")
    with pytest.raises(
        ColumnValuesError, match=r"1 suppression entry cannot be read \(data row 4 of the list\)"
    ) as told:
        gauger.hand_off(codes, people, tmp_path / "out", **asked)
    assert "not an address" not in str(told.value)
    assert not (tmp_path / "out").exists()
    made = gauger.hand_off(codes, people, tmp_path / "out", **asked, unreadable="skip")
    assert made.manifest["settings"]["suppression"] == {
        "read": 4,
        "matched": 2,
        "nobody": 1,
        "unreadable": 1,
        "by_sub_address": 0,
    }
    (remark,) = [one for one in made.remarks if one.code == "suppression-read"]
    assert (
        "4 suppression entries were read: 2 match somebody of the contacts, 1 matches nobody, 1 could not"
        in remark.text
    )
    nobody = gauger.hand_off(codes, people, tmp_path / "none", campaign="x", suppress=["zz"], holdout=0.0)
    assert "Is it the list of these customers" in nobody.remarks[0].text


def test_a_refusal_binds_who_shares_the_address_unless_the_caller_says_otherwise(tmp_path: Path) -> None:
    people = _people("abcd", consent_email=[1, 0, 1, None])
    people["email"] = ["a@example.org", "A@example.org", "c@example.org", "c@example.org"]
    codes = _assigned({"a": 1, "c": 1})  # b, who refused, is in no segment; d, who said nothing, refused nothing
    careful = gauger.hand_off(codes, people, tmp_path / "one", campaign="x", holdout=0.0)
    assert _steps(careful) == {"a": "no consent", "c": "contacted"}
    own = gauger.hand_off(codes, people, tmp_path / "two", campaign="x", holdout=0.0, refusal_binds="customer")
    assert _steps(own) == {"a": "contacted", "c": "contacted"}
    with pytest.raises(SettingError, match="refusal_binds='all' is not known"):
        gauger.hand_off(codes, people, tmp_path / "no", campaign="x", refusal_binds="all")


def test_the_lowest_key_is_that_of_numbers(tmp_path: Path) -> None:
    people = _people(["10", "9", "100"], email="one@example.org")
    made = gauger.hand_off(_assigned({"10": 1, "9": 1, "100": 1}), people, tmp_path / "out", campaign="x", holdout=0.0)
    assert _steps(made) == {"10": "duplicate", "9": "contacted", "100": "duplicate"}


@given(st.lists(st.integers(0, 60), min_size=1, max_size=6), st.floats(0.0, 0.6), st.integers(0, 99))
def test_the_holdout_is_exact_and_by_largest_remainder(sizes: list[int], share: float, seed: int) -> None:
    segments = np.repeat(np.arange(1, len(sizes) + 1), sizes)
    keys = pd.Index([f"c{at}" for at in range(len(segments))])
    found = arms(keys, segments, share, "spring", seed)
    held = Counter(segments[found == "holdout"].tolist())
    assert sum(held.values()) == int(np.floor(len(keys) * share + 0.5))
    for number, size in enumerate(sizes, 1):
        assert abs(held[number] - size * share) < 1.0 + 1e-9


def test_an_arm_depends_on_campaign_and_key_alone() -> None:
    keys = pd.Index([f"c{at}" for at in range(1_000)])
    segments = np.repeat([1, 2], 500)
    found = dict(zip(keys, arms(keys, segments, 0.2, "spring", 0), strict=True))
    order = np.random.default_rng(0).permutation(1_000)
    shuffled = dict(zip(keys[order], arms(keys[order], segments[order], 0.2, "spring", 0), strict=True))
    assert shuffled == found
    alone = dict(zip(keys[:500], arms(keys[:500], segments[:500], 0.2, "spring", 0), strict=True))
    assert alone == {key: found[key] for key in keys[:500]}  # others' segments change nothing
    fewer = dict(zip(keys[1:500], arms(keys[1:500], segments[1:500], 0.2, "spring", 0), strict=True))
    assert sum(fewer[key] != found[key] for key in fewer) <= 1  # and one customer less moves the line by one at most
    again = arms(keys, segments, 0.2, "summer", 0)
    both = sum(1 for key, arm in zip(keys, again, strict=True) if arm == found[key] == "holdout")
    assert 15 <= both <= 65  # another campaign draws afresh: 40 by chance
    assert not (arms(keys, segments, 0.2, "spring", 1) == arms(keys, segments, 0.2, "spring", 0)).all()


def test_the_detectable_uplift_is_found_in_eight_of_ten_simulated_campaigns() -> None:
    uplift = detectable_uplift(4_000, 1_000, 0.05)
    rng = np.random.default_rng(3)
    yes, base = rng.binomial(4_000, 0.05 + uplift, 20_000) / 4_000, rng.binomial(1_000, 0.05, 20_000) / 1_000
    middle = (4 * yes + base) / 5
    found = np.abs(yes - base) > 1.959964 * np.sqrt(middle * (1 - middle) * (1 / 4_000 + 1 / 1_000))
    assert found.mean() == pytest.approx(0.8, abs=0.015)
    assert np.isnan(detectable_uplift(10, 0, 0.05))


@pytest.mark.slow
def test_the_manifest_tells_every_file_and_no_customer(
    demo_segments: gauger.Segmentation, members: pd.DataFrame, tmp_path: Path
) -> None:
    suppressed = gauger.read_table(gauger.demo_file("suppression.csv"))
    model = gauger.build_model(demo_segments)
    out = tmp_path / "out"
    made = gauger.hand_off(
        demo_segments,
        members,
        out,
        campaign="<b>spring</b>",
        suppress=suppressed,
        match_on=["email", "phone"],
        model=model,
    )
    told = json.loads((out / "manifest.json").read_text())
    assert told == made.manifest
    assert told["model"] == model.fingerprint
    assert {one["name"] for one in told["files"]} | {"manifest.json", "manifest.html"} == _names(out)
    for one in told["files"]:
        content = (out / one["name"]).read_bytes()
        assert hashlib.sha256(content).hexdigest() == one["sha256"]
        assert len(gauger.read_table(out / one["name"])) == one["rows"]
    page = (out / "manifest.html").read_text()
    assert "&lt;b&gt;spring&lt;/b&gt;" in page
    assert "<b>" not in page
    for text in (page, json.dumps(told), repr(made), made._repr_html_(), " ".join(map(str, made.remarks))):
        assert "@example" not in text
        assert "M0004" not in text
    assert all((out / name).stat().st_mode & 0o777 == 0o600 for name in _names(out))
    audience = gauger.read_table(out / "audience.csv")
    parts = [gauger.read_table(path) for path in sorted(out.glob("audience-*.csv"))]
    pd.testing.assert_frame_equal(pd.concat(parts, ignore_index=True), audience)
    hashes = gauger.read_table(out / "match-email.csv")
    wanted = {hashlib.sha256(one.strip().lower().encode()).hexdigest() for one in audience["email"]}
    assert set(hashes["email_sha256"]) == wanted
    assert hashes.columns.tolist() == ["email_sha256"]
    everyone = gauger.read_table(out / "arms.csv")
    assert not set(everyone.loc[everyone["arm"] == "holdout", "member_id"]) & set(audience["member_id"])
    refused = members.set_index("member_id").loc[audience["member_id"]]
    assert (refused["consent_email"] == 1).all()
    assert not set(audience["email"].str.lower()) & set(suppressed["email"].dropna().str.lower())


@pytest.mark.slow
def test_the_same_call_gives_the_same_bytes(
    demo_segments: gauger.Segmentation, members: pd.DataFrame, tmp_path: Path
) -> None:
    for name, rows in (("one", 1), ("two", -1)):
        gauger.hand_off(
            demo_segments.assignments[::rows],
            members[::rows],
            tmp_path / name,
            campaign="spring",
            made_at=WHEN,
            match_on="email",
        )
    names = _names(tmp_path / "one")
    assert names == _names(tmp_path / "two")
    assert all((tmp_path / "one" / name).read_bytes() == (tmp_path / "two" / name).read_bytes() for name in names)


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["csv", "jsonl", "parquet", "xlsx", "sqlite"])
def test_every_format_holds_the_same_and_no_formula(tmp_path: Path, kind: str) -> None:
    people = _people("ab", city=["=HYPERLINK(1)", "@x"])
    made = gauger.hand_off(
        _assigned({"a": 1, "b": 1}),
        people,
        tmp_path / "out",
        campaign="x",
        holdout=0.0,
        columns=["city"],
        format=kind,
    )
    if kind == "sqlite":
        with sqlite3.connect(tmp_path / "out" / "audience.sqlite") as lite:
            assert lite.execute("SELECT who, city FROM audience").fetchall() == [("a", "=HYPERLINK(1)"), ("b", "@x")]
        return
    found = gauger.read_table(tmp_path / "out" / f"audience.{kind}")
    assert found["city"].tolist() == ["=HYPERLINK(1)", "@x"]
    assert "email" not in found.columns
    if kind == "csv":
        assert "'=HYPERLINK(1)" in (tmp_path / "out" / "audience.csv").read_text()
    if kind == "xlsx":
        import openpyxl

        sheet = openpyxl.load_workbook(tmp_path / "out" / "audience.xlsx").active
        assert [cell.data_type for cell in sheet["E"]] == ["s", "s", "s"]
    assert made.paths[0].name == f"audience.{kind}"


def test_an_audience_goes_into_postgres_whole_or_not_at_all(tmp_path: Path, postgres: str) -> None:
    sqlalchemy = pytest.importorskip("sqlalchemy")
    codes, people = _assigned({"a": 1, "b": 2}), _people("ab")
    asked: dict[str, Any] = {"campaign": "Spring 26", "holdout": 0.0, "format": postgres}
    gauger.hand_off(codes, people, tmp_path / "one", **asked)
    engine = sqlalchemy.create_engine(postgres)
    try:
        found = pd.read_sql("SELECT * FROM spring_26_audience ORDER BY who", engine)
        assert found["email"].tolist() == ["a@example.org", "b@example.org"]
        with pytest.raises(OutputError, match=r"has a table spring_26_audience already. Nothing was written"):
            gauger.hand_off(codes, people, tmp_path / "two", **asked)
        (tmp_path / "full").mkdir()
        (tmp_path / "full" / "x").touch()
        with pytest.raises(OutputError, match="is not empty"):
            gauger.hand_off(codes, people, tmp_path / "full", **{**asked, "campaign": "other"})
        names = sqlalchemy.inspect(engine).get_table_names()
        assert not [name for name in names if name.startswith("other")]
    finally:
        engine.dispose()
    assert not (tmp_path / "two").exists()


@pytest.mark.parametrize(
    ("change", "error", "message"),
    [
        ({"campaign": " "}, SettingError, "campaign must be a name"),
        ({"holdout": 1.0}, SettingError, "must be a share from 0 to below 1"),
        ({"segments": [9]}, SettingError, r"there is no segment 9. There are 1 \(segment 1\)"),
        ({"segments": 1}, SettingError, r"must be a list: segments=\[1\]"),
        ({"match_on": "fax"}, SettingError, "match_on='fax'"),
        ({"match_on": "phone"}, SettingError, "needs a column of such addresses"),
        ({"format": "docx"}, SettingError, "format='docx'"),
        ({"columns": ["emial"]}, UnknownColumnError, "did you mean 'email'"),
        ({"base_rate": 0.0}, SettingError, "must be a share between 0 and 1"),
        ({"min_size": -1}, SettingError, "must be a whole number from 0 up"),
        ({"suppress": "a"}, SettingError, "suppress must be a table"),
        ({"suppress": pd.DataFrame({"x": [1]})}, UnknownColumnError, "there is no column 'who'"),
        (
            {"contacts": pd.concat([_people("ab"), _people("a").assign(email="other@example.org")])},
            KeyColumnError,
            "who",
        ),
        ({"assignments": _assigned({"a": 1}).loc[[0, 0]]}, KeyColumnError, "who"),
    ],
)
def test_what_cannot_be_handed_off_is_refused_and_nothing_written(
    tmp_path: Path, change: dict[str, Any], error: type[Exception], message: str
) -> None:
    asked = {"assignments": _assigned({"a": 1, "b": 1}), "contacts": _people("ab"), "campaign": "x", **change}
    with pytest.raises(error, match=message):
        gauger.hand_off(asked.pop("assignments"), asked.pop("contacts"), tmp_path / "out", **asked)
    assert list(tmp_path.iterdir()) == []


def test_a_folder_that_holds_something_is_left_as_it_is(tmp_path: Path) -> None:
    codes, people = _assigned({"a": 1}), _people("a")
    gauger.hand_off(codes, people, tmp_path / "out", campaign="first", holdout=0.0)
    with pytest.raises(OutputError, match="is not empty: a hand-off has a folder of its own"):
        gauger.hand_off(codes, people, tmp_path / "out", campaign="second")
    assert json.loads((tmp_path / "out" / "manifest.json").read_text())["campaign"] == "first"
    gauger.hand_off(codes, people, tmp_path / "out", campaign="second", holdout=0.0, replace=True)
    assert json.loads((tmp_path / "out" / "manifest.json").read_text())["campaign"] == "second"
    assert [path.name for path in tmp_path.iterdir()] == ["out"]


def test_replacing_never_takes_what_is_no_hand_off(tmp_path: Path) -> None:
    codes, people = _assigned({"a": 1}), _people("a")
    (tmp_path / "letters").mkdir()
    (tmp_path / "letters" / "dear.txt").write_text("mine")
    with pytest.raises(OutputError, match="holds other things than a hand-off"):
        gauger.hand_off(codes, people, tmp_path / "letters", campaign="x", replace=True)
    gauger.hand_off(codes, people, tmp_path / "out", campaign="x", holdout=0.0)
    (tmp_path / "out" / "notes.txt").write_text("mine too")
    with pytest.raises(OutputError, match="holds other things than a hand-off"):
        gauger.hand_off(codes, people, tmp_path / "out", campaign="x", replace=True)
    assert (tmp_path / "letters" / "dear.txt").read_text() == "mine"
    assert (tmp_path / "out" / "notes.txt").read_text() == "mine too"


def test_a_write_that_fails_leaves_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from gauger.campaigns import hand_off_files

    done: list[str] = []
    real = hand_off_files.write_file

    def full(table: pd.DataFrame, path: Path) -> None:
        if done:
            raise OSError(28, "No space left on device")
        done.append(path.name)
        real(table, path)

    monkeypatch.setattr(hand_off_files, "write_file", full)
    with pytest.raises(OutputError, match=r"No space left on device. Nothing was written"):
        gauger.hand_off(_assigned({"a": 1}), _people("a"), tmp_path / "deep" / "out", campaign="x")
    assert list((tmp_path / "deep").iterdir()) == []


_RACE = """
import sys, pandas as pd, gauger
n = 4000
keys = [f"c{at}" for at in range(n)]
codes = pd.DataFrame({"who": keys, "segment": [1 + at % 5 for at in range(n)]})
people = pd.DataFrame({"who": keys, "consent_email": 1, "email": [f"{key}@example.org" for key in keys]})
print("ready", flush=True)
sys.stdin.readline()
gauger.hand_off(codes, people, sys.argv[1], campaign=sys.argv[2])
"""


def _started(folder: Path, campaign: str) -> subprocess.Popen[str]:
    pipe = subprocess.PIPE
    return subprocess.Popen(
        [sys.executable, "-c", _RACE, folder, campaign], stdin=pipe, stdout=pipe, stderr=pipe, text=True
    )


@pytest.mark.slow
def test_of_two_at_once_into_one_folder_one_wins_whole(tmp_path: Path) -> None:
    both = [_started(tmp_path / "out", campaign) for campaign in ("one", "two")]
    for process in both:
        assert process.stdout.readline() == "ready\n"
    for process in both:
        process.stdin.write("\n")
        process.stdin.flush()
    ended = [process.communicate(timeout=60)[1] for process in both]
    codes = [process.returncode for process in both]
    assert sorted(codes) == [0, 1]
    lost = ended[codes.index(1)]
    assert "Nothing was written" in lost
    told = json.loads((tmp_path / "out" / "manifest.json").read_text())
    assert told["campaign"] == ("one", "two")[codes.index(0)]
    assert all(
        hashlib.sha256((tmp_path / "out" / one["name"]).read_bytes()).hexdigest() == one["sha256"]
        for one in told["files"]
    )
    assert [path.name for path in tmp_path.iterdir()] == ["out"]


@pytest.mark.slow
@pytest.mark.parametrize("seen", [".gauger-*", ".gauger-*/results/*.csv", ".gauger-*/results/manifest.json", "out"])
def test_a_kill_leaves_no_hand_off_or_a_whole_one(tmp_path: Path, seen: str) -> None:
    process = _started(tmp_path / "out", "killed")
    assert process.stdout.readline() == "ready\n"
    process.stdin.write("\n")
    process.stdin.flush()
    deadline = time.monotonic() + 60
    while process.poll() is None and not list(tmp_path.glob(seen)):
        assert time.monotonic() < deadline
        time.sleep(0.001)
    process.send_signal(signal.SIGKILL)
    process.communicate(timeout=60)
    if (tmp_path / "out").exists():
        told = json.loads((tmp_path / "out" / "manifest.json").read_text())
        assert {one["name"] for one in told["files"]} <= _names(tmp_path / "out")
    made = gauger.hand_off(_assigned({"a": 1}), _people("a"), tmp_path / "next", campaign="y", holdout=0.0)
    assert made.waterfall.loc["all", "contacted"] == 1


_words = st.sampled_from(["a@example.org", " A@example.org", "b@example.org", "none", None, "c@example.net"])
_numbers = st.sampled_from(["+99955512345", "0099955512345", "12", None, "+99955599999"])


@st.composite
def _worlds(draw: st.DrawFn) -> tuple[pd.DataFrame, pd.DataFrame, list[object]]:
    n = draw(st.integers(1, 14))
    codes = draw(st.lists(st.integers(0, 3), min_size=n, max_size=n))
    keys = [f"k{at}" for at in range(n)]
    people = pd.DataFrame(
        {
            "who": keys,
            "consent_email": draw(st.lists(st.sampled_from([1, 0, None, "yes", "no"]), min_size=n, max_size=n)),
            "email": draw(st.lists(_words, min_size=n, max_size=n)),
            "phone": draw(st.lists(_numbers, min_size=n, max_size=n)),
        }
    )
    kept = draw(st.lists(st.booleans(), min_size=n, max_size=n))
    people = people[kept] if any(kept) else people
    suppressed = draw(st.lists(st.sampled_from([*keys, "b@example.org", "C@example.net"]), max_size=3))
    return pd.DataFrame({"who": keys, "segment": codes}), people, list(suppressed)


@pytest.mark.slow
@given(_worlds(), st.floats(0.0, 0.5), st.integers(0, 3))
def test_the_waterfall_adds_up_and_nobody_is_wronged(
    tmp_path_factory: pytest.TempPathFactory,
    world: tuple[pd.DataFrame, pd.DataFrame, list[object]],
    holdout: float,
    min_size: int,
) -> None:
    codes, people, suppressed = world
    out = tmp_path_factory.mktemp("hand-off") / "out"
    made = gauger.hand_off(codes, people, out, campaign="x", holdout=holdout, min_size=min_size, suppress=suppressed)
    table = made.waterfall.drop(columns="name")
    np.testing.assert_array_equal(table["everyone"], table[list(STEPS)].sum(axis=1))
    assert table.loc["all", "everyone"] == len(codes)
    audience = pd.read_csv(out / "audience.csv", dtype="str")
    assert len(audience) == table.loc["all", "contacted"]
    known = people.set_index("who")
    contacted = known.loc[audience["who"].tolist()]
    assert set(contacted["consent_email"].map(str)) <= {"1", "1.0", "yes"}
    emails = first_of(emails_in(contacted["email"]))
    phones = first_of(phones_in(contacted["phone"], None))
    assert emails.notna().all()
    assert not emails.duplicated().any()
    assert not phones.dropna().duplicated().any()
    assert not set(audience["who"]) & set(suppressed)
    assert not set(emails) & {str(one).lower() for one in suppressed}
    sizes = made.customers[made.customers["step"].isin(["contacted", "holdout"])]["segment"].value_counts()
    assert (sizes >= min_size).all()


def test_a_forged_manifest_deletes_nothing_that_is_not_of_a_hand_off(tmp_path: Path) -> None:
    codes, people = _assigned({"a": 1, "b": 1}), _people("ab")
    gauger.hand_off(codes, people, tmp_path / "out", campaign="x", holdout=0.0)
    told = json.loads((tmp_path / "out" / "manifest.json").read_text())
    for name in ("thesis.docx", "audience-1-mine.csv"):
        folder = tmp_path / f"forged {name}"
        folder.mkdir()
        (folder / name).write_text("years of work")
        forged = {**told, "files": [{"name": name, "rows": 1, "columns": [], "sha256": "0" * 64}]}
        (folder / "manifest.json").write_text(json.dumps(forged))
        with pytest.raises(OutputError, match="holds other things than a hand-off"):
            gauger.hand_off(codes, people, folder, campaign="x", replace=True)
        assert (folder / name).read_text() == "years of work"
    (tmp_path / "out" / "audience.csv").write_text("edited by hand")
    with pytest.raises(OutputError, match="holds other things than a hand-off"):
        gauger.hand_off(codes, people, tmp_path / "out", campaign="x", replace=True)


def test_a_link_in_the_place_of_a_hand_off_gets_a_true_message(tmp_path: Path) -> None:
    (tmp_path / "there").mkdir()
    (tmp_path / "out").symlink_to(tmp_path / "there")
    with pytest.raises(OutputError, match="is a link to"):
        gauger.hand_off(_assigned({"a": 1}), _people("a"), tmp_path / "out", campaign="x")


@pytest.mark.parametrize("lacking", ["files", "holdouts", "campaign", "key"])
def test_a_manifest_without_a_part_is_none(tmp_path: Path, lacking: str) -> None:
    gauger.hand_off(_assigned({"a": 1, "b": 1}), _people("ab"), tmp_path / "out", campaign="x", holdout=0.5)
    told = json.loads((tmp_path / "out" / "manifest.json").read_text())
    del told[lacking]
    (tmp_path / "out" / "manifest.json").write_text(json.dumps(told))
    with pytest.raises(gauger.errors.ModelFileError, match=rf"is not the manifest .* \({lacking}\)"):
        gauger.measure(tmp_path / "out", pd.DataFrame({"who": ["a"], "responded": [1]}))


def test_contacts_may_be_known_by_their_address(tmp_path: Path) -> None:
    people = pd.DataFrame({"email": ["a@example.org", "b@example.org", "c@example.org"], "yes": [1, 1, 1]})
    codes = pd.DataFrame({"email": people["email"], "segment": 1})
    lists = ["Ada <A@EXAMPLE.ORG>", "mailto:b@example.org"]
    made = gauger.hand_off(codes, people, tmp_path / "out", campaign="x", consent="yes", suppress=lists, holdout=0.0)
    assert list(_steps(made).values()) == ["suppressed", "suppressed", "contacted"]
    assert gauger.read_table(tmp_path / "out" / "audience.csv")["email"].tolist() == ["c@example.org"]


@pytest.mark.slow
@pytest.mark.parametrize(
    ("entry", "contact", "by_sub_address"),
    [
        ("STRASSE@example.org", "straße@example.org", 0),
        ("straße@example.org", "STRASSE@example.org", 0),
        ("house.21@example.org", "house.21+shop@example.org", 1),
        ("house.21+shop@example.org", "HOUSE.21@example.org", 1),
        ("house.21+one@example.org", "house.21+two@example.org", 1),
        ("ΟΔΟΣ@example.org", "οδος@example.org", 0),
    ],
)
def test_folded_case_and_sub_addresses_are_one_person(
    entry: str, contact: str, by_sub_address: int, tmp_path: Path
) -> None:
    who = pd.DataFrame({"who": ["a", "b"], "segment": [1, 1]})
    contacts = pd.DataFrame({"who": ["a", "b"], "email": [contact, "other@example.org"]})
    settings = {"campaign": "x", "consent": None, "holdout": 0.0, "suppress": [entry]}
    made = gauger.hand_off(who, contacts, tmp_path / "h", **settings)
    assert made.customers.set_index("who")["step"].to_dict() == {"a": "suppressed", "b": "contacted"}
    assert made.manifest["settings"]["suppression"]["by_sub_address"] == by_sub_address
    told = next(one.text for one in made.remarks if one.code == "suppression-read")
    assert ("1 finds further contacts by a sub-address" in told) is bool(by_sub_address)
    apart = gauger.hand_off(who, contacts, tmp_path / "apart", sub_addresses="apart", **settings)
    step = "contacted" if by_sub_address else "suppressed"
    assert apart.customers.set_index("who")["step"]["a"] == step
    assert apart.manifest["settings"]["suppression"]["by_sub_address"] == 0
    assert apart.manifest["settings"]["suppression"]["matched"] == (0 if by_sub_address else 1)


def test_sub_addresses_of_one_person_get_one_message_and_hashes_keep_the_address(tmp_path: Path) -> None:
    who = pd.DataFrame({"who": ["a", "b", "c"], "segment": [1, 1, 1]})
    contacts = who[["who"]].assign(email=["ann+1@example.org", "Ann+2@example.org", "+only@example.org"])
    settings = {"campaign": "x", "consent": None, "holdout": 0.0, "match_on": "email"}
    together = gauger.hand_off(who, contacts, tmp_path / "h", **settings)
    assert together.customers.set_index("who")["step"].to_dict() == {
        "a": "contacted",
        "b": "duplicate",
        "c": "contacted",
    }
    hashes = set(gauger.read_table(tmp_path / "h" / "match-email.csv")["email_sha256"])
    assert hashlib.sha256(b"ann+1@example.org").hexdigest() in hashes
    apart = gauger.hand_off(who, contacts, tmp_path / "apart", sub_addresses="apart", **settings)
    assert set(apart.customers["step"]) == {"contacted"}
    with pytest.raises(gauger.errors.SettingError, match="sub_addresses='both' is not known"):
        gauger.hand_off(who, contacts, tmp_path / "no", sub_addresses="both", **settings)


def test_an_entry_that_finds_somebody_by_key_and_others_by_sub_address_is_counted_once(tmp_path: Path) -> None:
    who = pd.DataFrame({"who": ["a", "b"], "segment": [1, 1]})
    contacts = who[["who"]].assign(email=["ann@example.org", "ann+x@example.org"])
    made = gauger.hand_off(
        who,
        contacts,
        tmp_path / "h",
        campaign="x",
        consent=None,
        holdout=0.0,
        suppress=["ann@example.org", "nobody@example.org"],
    )
    account = made.manifest["settings"]["suppression"]
    assert account == {"read": 2, "matched": 1, "nobody": 1, "unreadable": 0, "by_sub_address": 1}
    assert set(made.customers["step"]) == {"suppressed"}
