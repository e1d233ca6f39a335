"""Every setting's line, whatever TOML it is written in, and fast."""

import tomllib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import PlanError
from gauger.study.toml_lines import Place, TomlLines

TEXT = '''# a remark = [ "
key = "who"  # x = {

[source]
file = 'a.csv'
as_text = [
  "a", # ] not the end
  "b",
]
dates = { x = "%d # }", "y z" = 'q' }
[features.visits]
cap = [0, 0.99]
when = 1979-05-27 07:32:00
[ features . "odd.name" ]
scale = """several
lines "" = [ " \\""" """
'quoted' = -1e3
[[names]]
name = "a"
centre.x = 1
[[names]]
name = """b"""
[names.centre]
y = 2
[[names.deep]]
z = 3
'''
LINES = {
    ("key",): 2, ("source",): 4, ("source", "file"): 5, ("source", "as_text"): 6, ("source", "as_text", 0): 7,
    ("source", "as_text", 1): 8, ("source", "dates"): 10, ("source", "dates", "x"): 10, ("source", "dates", "y z"): 10,
    ("features",): 11, ("features", "visits", "cap"): 12, ("features", "visits", "cap", 1): 12,
    ("features", "visits", "when"): 13, ("features", "odd.name"): 14, ("features", "odd.name", "scale"): 15,
    ("features", "odd.name", "quoted"): 17, ("names",): 18, ("names", 0, "name"): 19, ("names", 0, "centre", "x"): 20,
    ("names", 1): 21, ("names", 1, "name"): 22, ("names", 1, "centre"): 23, ("names", 1, "centre", "y"): 24,
    ("names", 1, "deep", 0, "z"): 26,
}  # fmt: skip


def test_each_setting_is_found_where_it_is_written() -> None:
    assert tomllib.loads(TEXT)
    lines = TomlLines(TEXT)
    assert {place: lines.line_of(place) for place in LINES} == LINES


@pytest.mark.parametrize(
    ("place", "line"),
    [((), 1), (("nowhere",), 1), (("features", "visits", "nothing"), 11), (("names", 1, "nothing", 4), 21)],
)
def test_what_is_nowhere_is_on_the_line_of_its_part(place: Place, line: int) -> None:
    assert TomlLines(TEXT).line_of(place) == line


NAMES = st.text("abz_-9", min_size=1, max_size=4) | st.text('é."# =[]{}', min_size=1, max_size=4)
SIGNS = "ab\"'\\#[]{},= \n"
VALUES = st.recursive(
    st.integers() | st.booleans() | st.floats(allow_nan=False, allow_infinity=False) | st.text(SIGNS, max_size=6),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(NAMES, inner, max_size=3),
    max_leaves=12,
)  # fmt: skip


def _places(value: object, place: Place = ()) -> list[Place]:
    inner = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    found = [place] if place else []
    for step, one in inner:
        found += _places(one, (*place, step))
    return found


@given(st.dictionaries(NAMES, VALUES, min_size=1, max_size=4))
def test_whatever_can_be_written_is_found_and_in_order(content: dict[str, object]) -> None:
    import tomlkit

    text = tomlkit.dumps(content)
    read = tomllib.loads(text)
    lines = TomlLines(text)
    count = text.count("\n") + 1
    for place in _places(read):
        assert place in lines._lines
        assert 1 <= lines.line_of(place[:1]) <= lines.line_of(place) <= count


@pytest.mark.slow
def test_a_fault_at_the_end_of_a_very_long_plan_has_its_line(tmp_path: Path) -> None:
    many = "\n".join(f'[features.f{at}]\nscale = "zscore"' for at in range(3_000))
    plan = tmp_path / "plan.toml"
    plan.write_text(f'key = "who"\n[source]\nfile = "a.csv"\n{many}\n[features.last]\nscael = "zscore"\n')
    with pytest.raises(PlanError, match=r"line 6005, features\.last\.scael: .*did you mean scale\?"):
        gauger.read_plan(plan)


def test_of_very_many_faults_the_first_are_told_and_the_rest_counted(tmp_path: Path) -> None:
    plan = tmp_path / "plan.toml"
    many = "\n".join(f"[features.f{at}]\nscael = 1" for at in range(50))
    plan.write_text(f'key = "who"\n[source]\nfile = "a.csv"\n{many}\n')
    with pytest.raises(PlanError) as told:
        gauger.read_plan(plan)
    rows = str(told.value).splitlines()
    assert len(rows) == 21
    assert rows[0].startswith("plan.toml, line 5, features.f0.scael")
    assert rows[-1] == "plan.toml, and 30 more faults below"


@pytest.mark.parametrize("text", ["a = " + "[" * 5_000 + "]" * 5_000, "a = " + "{a=" * 2_000 + "1" + "}" * 2_000])
def test_a_plan_that_is_nested_too_deeply_is_one_message(text: str, tmp_path: Path) -> None:
    (tmp_path / "plan.toml").write_text(text)
    with pytest.raises(PlanError, match="nested too deeply"):
        gauger.read_plan(tmp_path / "plan.toml")
