"""Remarks travel with tables, results show them, and progress reaches whoever listens."""

import re
from pathlib import Path

import pandas as pd
import pytest

import gauger
from gauger.progress import task
from gauger.remark_register import REMARK_CODES, REMARKS
from gauger.remarks import Remark, attach_remarks, remarks_of
from gauger.wording import Noun, plain_number, short_number


def test_remarks_survive_on_a_table_as_plain_data(tmp_path) -> None:
    table = pd.DataFrame({"visits": [1]})
    remark = Remark("after-as-of", "2 events were left out.", features=("visits",), segments=(3,))
    attach_remarks(table, [remark])
    assert remarks_of(table) == (remark,)
    table.to_parquet(tmp_path / "t.parquet")
    assert str(remark) == "2 events were left out. [after-as-of]"


def test_results_show_their_headline_table_and_remarks_as_text_and_html() -> None:
    table = pd.DataFrame({"who": list("abc"), "visits": [1, 2, 9], "<b>": [5, 5, 5]})
    features = gauger.prepare(table, key="who")
    assert repr(features).startswith("3 customers by who, 2 features\n")
    assert "remark: <b> is the same for everyone" in repr(features)
    assert "&lt;b&gt; is the same for everyone" in features._repr_html_()
    assert "<table" in features._repr_html_()


@pytest.mark.parametrize(
    ("value", "text"),
    [
        (1239.6, "1,240"),
        (99.97, "100"),
        (27.25, "27.2"),
        (9.996, "10.0"),
        (4.2, "4.20"),
        (0.042, "0.042"),
        (-3e-6, "-3.0e-06"),
    ],
)
def test_numbers_are_shortened_to_three_figures(value: float, text: str) -> None:
    assert short_number(value) == text


class _Recorder:
    def __init__(self) -> None:
        self.heard: list[tuple[object, ...]] = []

    def started(self, name: str, total: int | None) -> object:
        self.heard.append(("started", name, total))
        return name

    def advanced(self, mark: object, steps: int) -> None:
        self.heard.append(("advanced", mark, steps))

    def finished(self, mark: object) -> None:
        self.heard.append(("finished", mark))


def test_progress_reaches_the_listener_and_ends_even_on_an_error() -> None:
    recorder = _Recorder()
    try:
        with gauger.listening(recorder), task("work", 3) as advance:
            advance(2)
            raise RuntimeError
    except RuntimeError:
        pass
    assert recorder.heard == [("started", "work", 3), ("advanced", "work", 2), ("finished", "work")]


def test_a_count_study_advances_by_as_much_as_it_announced() -> None:
    recorder = _Recorder()
    table = pd.DataFrame({"who": range(8), "visits": [1, 2, 3, 4, 11, 12, 13, 14]})
    features = gauger.prepare(table, key="who")
    with gauger.listening(recorder):
        gauger.study_counts(features, counts=range(1, 4), starts=2)
    started = [entry[1:] for entry in recorder.heard if entry[0] == "started"]
    assert ("count study, 1 to 3 segments", 1 + 2 + 3 + 10 + 10 + 20 + 16) in started
    for name in {name for name, _ in started}:
        done = sum(entry[2] for entry in recorder.heard if entry[:2] == ("advanced", name))
        assert done == sum(total for told, total in started if told == name)


def test_reading_is_of_unknown_length_and_queries_tell_percents() -> None:
    recorder = _Recorder()
    with gauger.listening(recorder):
        visits = gauger.read_table(gauger.demo_file("visits.csv"))
        gauger.summarise_events(visits, customer="member_id", when="visited_on")
    started = [entry[1:] for entry in recorder.heard if entry[0] == "started"]
    assert started[0] == ("reading visits.csv", None)
    assert ("summarising events", 100) in started


@pytest.mark.parametrize(
    ("value", "text"),
    [(8.9e-16, "0"), (-6.5e-17, "0"), (0.0, "0"), (3e-6, "3.0e-06"), (1_240.0, "1,240"), (0.5, "0.500")],
)
def test_plain_numbers_have_no_decimals_where_whole_and_show_no_rounding(value: float, text: str) -> None:
    assert plain_number(value) == text


def test_the_register_of_remarks_has_the_codes_of_the_code() -> None:
    root = Path(__file__).parents[1]
    source = "".join(path.read_text() for path in (root / "src" / "gauger").rglob("*.py"))
    written = set(re.findall(r'\bRemark\(\s*f?"([a-z0-9-]+)"', source)) - {"own"}
    sampled = {code for code in REMARK_CODES if code.endswith("-sampled")}
    assert written | sampled == set(REMARK_CODES)
    assert list(REMARK_CODES) == sorted(REMARKS)
    assert all(kind.says and kind.to_do for kind in REMARKS.values())


def test_a_remark_says_what_to_do() -> None:
    assert Remark("constant", "'a' says the same for everyone").to_do == "leave it out"
    assert Remark("of-my-own", "look out").to_do == ""


@pytest.mark.parametrize("noun", ["a customer", "business customer", "Customer", "customer child", "c", "member"])
def test_a_text_about_customers_said_twice_is_as_it_was_said_once(noun: str) -> None:
    own = Noun.called(noun)
    for text in ("1 customer lies far outside", "Customers of 2 segments, 'customer' too", "Each customer's visits"):
        once = own.said(text, ["customers_per_day"])
        assert own.said(once, ["customers_per_day"]) == once
    assert own.said("1 customer lies far outside") == f"1 {noun} lies far outside"
