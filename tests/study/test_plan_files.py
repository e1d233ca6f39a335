"""Plans as files: what is written reads back the same, and every fault is told with its line."""

import json
import tomllib
from pathlib import Path

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.clustering import METHODS
from gauger.errors import PlanError
from gauger.study.plan_files import from_environment, plan_from_text, text_of
from gauger.study.plan_parts import Plan
from tests.examples import examples

NAMES = st.text(st.characters(exclude_categories=["Cs"]), min_size=1, max_size=12)
NUMBERS = st.floats(allow_nan=False, allow_infinity=False)
SHARES = st.floats(0.0, 1.0)
TEXTS = st.text(st.characters(exclude_categories=["Cs"]), max_size=12)

GOOD = """\
# what we do each quarter

key = "member_id"

[source]
file = "behaviour.csv"
decimal = ","

[features.visits]
missing = "zero"

# long
cap = [0.0, 0.99]
transform = "lgo"

[features."spend mean"]

[segments]
count = 6
"""


@st.composite
def features(draw: st.DrawFn) -> dict[str, object]:
    low, high = sorted(draw(st.tuples(SHARES, SHARES)))
    return {
        "missing": draw(st.sampled_from(["refuse", "drop", "zero", "mean", "median"]) | NUMBERS),
        "flag_missing": draw(st.booleans()),
        "cap": [low, high] if low < high and draw(st.booleans()) else None,
        "transform": draw(st.sampled_from([None, "none", "log", "signed_log", "sqrt", "power"])),
        "scale": draw(st.sampled_from(["none", "zscore", "minmax", "robust", "rank"])),
        "weight": draw(st.none() | st.floats(1e-9, 1e9)),
    }


@st.composite
def methods(draw: st.DrawFn) -> dict[str, object]:
    method = draw(st.sampled_from(METHODS))
    own = {
        "kmeans": {
            "count": draw(st.integers(1, 99) | st.just("auto")),
            "learn_on": draw(st.none() | st.floats(0.1, 1e6)),
        },
        "tree": {"linkage": draw(st.sampled_from(["ward", "single"])), "count": draw(st.none() | st.integers(1, 9))},
        "density": {"radius": draw(st.none() | st.floats(1e-9, 1e9)), "metric": "city_block"},
        "density-levels": {"smallest": draw(st.none() | st.integers(2, 99))},
        "bands": {
            "bands": draw(st.none() | st.dictionaries(NAMES, st.integers(2, 20) | st.lists(NUMBERS, max_size=3)))
        },
    }
    return {"method": method, **own[method]}


@st.composite
def plans(draw: st.DrawFn) -> Plan:
    named = draw(st.dictionaries(NAMES, features(), max_size=4))
    others = draw(st.dictionaries(NAMES.filter(lambda name: name not in named), st.just({}), max_size=2))
    names = draw(st.lists(NAMES, max_size=3, unique=True))
    content = {
        "key": draw(NAMES),
        "source": {"file": draw(TEXTS), "as_missing": draw(st.dictionaries(NAMES, TEXTS, max_size=2))},
        "features": named,
        "categories": others,
        "segments": draw(methods()),
        "names": [{"name": name, "centre": draw(st.dictionaries(NAMES, NUMBERS, max_size=2))} for name in names],
        "remarks": {"refuse": draw(st.lists(st.sampled_from(["raw-scales", "few-customers"]), unique=True))},
        "made_at": draw(st.none() | st.datetimes().map(lambda time: time.isoformat())),
    }
    if draw(st.booleans()):
        content["hand_off"] = {"contacts": {"url": "postgresql://me:${PW}@h/d", "query": draw(TEXTS)}, "campaign": "x"}
    return Plan.model_validate(content)


@given(plans())
def test_a_plan_that_is_written_is_read_back_equal(plan: Plan) -> None:
    assert plan_from_text(text_of(plan), Path("plan.toml")) == plan


def _mutated(content: dict[str, object], path: list[str], value: object) -> dict[str, object]:
    """The content with a value at a path; tables on the way are made."""
    copied = json.loads(json.dumps(content))
    there = copied
    for step in path[:-1]:
        there = there.setdefault(step, {})
    there[path[-1]] = value
    return copied


@examples(25)
@given(
    plans(),
    st.sampled_from(
        [
            (["segments", "methd"], "kmeans", "methd"),
            (["counts", "lowest"], 0, "counts.lowest"),
            (["counts", "highest"], "ten", "counts.highest"),
            (["source", "decimal"], 3, "source.decimal"),
            (["remarks", "refuse"], ["raw-scale"], "remarks.refuse[1]"),
            (["profile", "table"], {"file": "a.csv", "sheets": "b"}, "profile.table.sheets"),
            (["figures", "over"], ["visits"], "figures.over"),
            (["colour"], "red", "colour"),
        ]
    ),
)
def test_a_mutated_plan_is_refused_with_the_place_of_the_fault(
    plan: Plan, mutation: tuple[list[str], object, str]
) -> None:
    import tomlkit

    path, value, place = mutation
    content = _mutated(tomllib.loads(text_of(plan)), path, value)
    text = tomlkit.dumps(content)
    with pytest.raises(PlanError) as caught:
        plan_from_text(text, Path("plan.toml"))
    told = str(caught.value).splitlines()
    assert len(told) == 1
    where, what = told[0].split(": ", 1)
    assert place in where
    line = int(where.split("line ")[1].split(",")[0])
    named = "sheets" if path == ["profile", "table"] else path[-1]
    assert named in text.split("\n")[line - 1], (where, text)
    assert what


def test_a_fault_says_the_line_the_setting_and_what_was_meant() -> None:
    with pytest.raises(PlanError) as caught:
        plan_from_text(GOOD, Path("plan.toml"))
    assert str(caught.value) == (
        "plan.toml, line 14, features.visits.transform: 'lgo' is none of log, signed_log, sqrt, power or none; "
        "did you mean log?"
    )


def test_every_fault_of_a_file_is_told_at_once_in_its_order() -> None:
    text = GOOD.replace("count = 6", 'count = "many"\nstrats = 3').replace('"zero"', "true").replace('"member_id"', "7")
    with pytest.raises(PlanError) as caught:
        plan_from_text(text, Path("plan.toml"))
    places = [line.split(", ", 2)[1:] for line in str(caught.value).splitlines()]
    assert [one[0] for one in places] == ["line 3", "line 10", "line 14", "line 19", "line 20"]
    assert "did you mean starts?" in str(caught.value)
    assert "it must be text in quotes or a number, not True" in str(caught.value)


def test_what_is_no_plan_or_another_version_is_refused_by_name(tmp_path: Path) -> None:
    for text, message in (
        ("key = ", "cannot be read as TOML"),
        ('format = "a recipe"\nkey = "a"', "not a 'gauger plan'"),
        ('version = 0\nkey = "a"', "plan version 0, and this Gauger reads 1"),
        ('key = "a"', r"say where the customers come from: a part \[source\]"),
        ('key = "a"\n[source]\ntable = "x"', "file = a path, or url = a database"),
        ('key = "a"\n[source]\nfile = "x"\n[segments]\nmethod = "kmean"', "method 'kmean' is none of kmeans"),
    ):
        with pytest.raises(PlanError, match=message):
            plan_from_text(text, Path("plan.toml"))
    (tmp_path / "p.toml").write_bytes(b"\xff\xfe")
    with pytest.raises(PlanError, match="not text in UTF-8"):
        gauger.read_plan(tmp_path / "p.toml")


def test_no_plan_holds_a_password() -> None:
    for url in ("postgresql://me:secret@h/d", "postgresql://h/d?password=secret", "mysql://h/d?api_token=secret"):
        with pytest.raises(PlanError, match=r"a plan holds no password: write \$\{NAME\}") as caught:
            plan_from_text(f'key = "a"\n[source]\nurl = "{url}"\ntable = "t"\n', Path("plan.toml"))
        assert "secret" not in str(caught.value)
    plan = plan_from_text('key = "a"\n[source]\nurl = "postgresql://me:${SHOP}@h/d"\ntable = "t"\n', Path("p.toml"))
    assert plan.source.url == "postgresql://me:${SHOP}@h/d"


def test_the_environment_completes_a_path_and_no_message_shows_with_what(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("SHOP", "hush-hush")
    assert from_environment("a/${SHOP}/${SHOP}.csv") == "a/hush-hush/hush-hush.csv"
    with pytest.raises(PlanError, match="set NOT_THERE"):
        from_environment("${NOT_THERE}.csv")
    for text, content in (
        ("${SHOP}.csv", None),
        ("${SHOP}.csv", b""),
        ("${SHOP}.csv", b"who\n"),
        ("${SHOP}.odd", b"x"),
    ):
        if content is not None:
            (tmp_path / from_environment(text)).write_bytes(content)
        for part in (f'[source]\nfile = "{text}"', f'[events]\nfile = "{text}"\nwhen = "day"'):
            (tmp_path / "plan.toml").write_text(f'key = "who"\n{part}\n')
            with pytest.raises(gauger.GaugerError) as told:
                gauger.run_plan(tmp_path / "plan.toml", tmp_path / "out")
            assert "hush-hush" not in str(told.value)
            assert "${SHOP}" in str(told.value) or "no rows" in str(told.value)


def test_the_published_schema_is_that_of_plans() -> None:
    published = Path(__file__).parents[2] / "docs" / "plan.schema.json"
    assert json.loads(published.read_text()) == Plan.model_json_schema()


def test_every_setting_of_a_plan_has_a_sentence() -> None:
    schema = Plan.model_json_schema()
    for part in (schema, *schema["$defs"].values()):
        assert [name for name, setting in part["properties"].items() if not setting.get("description")] == []


def test_a_plan_says_the_keyword_arguments_of_prepare(behaviour: pd.DataFrame) -> None:
    treated = {"missing": {"visits": 0.0}, "cap": (0.01, 0.99), "transform": {"visits": "log"}, "scale": "minmax"}
    made = gauger.prepare(
        behaviour, key="member_id", features=["visits", "spend_mean"], flag_missing=["visits"], **treated
    )
    from gauger.study.plan_of_segments import plan_of
    from gauger.study.plan_parts import SourcePart

    seg = gauger.segment_by_kmeans(made, 2, starts=1)
    plan = plan_from_text(text_of(plan_of(seg, SourcePart(file="b.csv"))), Path("plan.toml"))
    again = gauger.prepare(behaviour, **plan.preparation())
    assert again.names == made.names
    assert (again.values == made.values).all()
