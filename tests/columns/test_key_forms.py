"""Keys that are stored as decimal numbers: whole ones become whole numbers everywhere, others are refused at once."""

import sqlite3
from pathlib import Path

import duckdb
import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.columns import KeyForm
from gauger.columns.key_forms import whole_keys
from gauger.errors import KeyColumnError
from gauger.study.study_files import read_assignments
from tests.own_segments import database_segmented, files_segmented

N = 60
BASE = pd.DataFrame({"who": np.arange(N) * 1.0 + 100.0, "visits": np.tile([1, 2, 30, 31], N // 4)})
FRACTIONAL = BASE.assign(who=BASE["who"] + np.where(np.arange(N) == 7, 0.5, 0.0))
HUGE = BASE.assign(who=BASE["who"] + 2.0**53)


@pytest.mark.parametrize(
    ("values", "found"),
    [([1.0, 2.0], [1, 2]), ([-3.0, 0.0], [-3, 0]), ([2.0**53 - 1], [2**53 - 1]), (np.array([7.0], dtype=object), [7])],
)  # fmt: skip
def test_whole_floats_are_whole_numbers(values: object, found: list[int]) -> None:
    made = whole_keys(pd.Series(values, name="who"))
    assert made.dtype == np.int64
    assert made.tolist() == found


@pytest.mark.parametrize("values", [["a", "b"], [1, 2], pd.to_datetime(["2025-01-01"]), [True, False], [b"a"]])
def test_other_keys_stay_what_they_are(values: object) -> None:
    given = pd.Series(values, name="who")
    assert whole_keys(given) is given


@pytest.mark.parametrize("value", [0.5, -0.25, 2.0**53, -(2.0**53), np.inf])
def test_what_is_not_whole_or_not_exact_is_refused_with_its_row(value: float) -> None:
    with pytest.raises(KeyColumnError, match=r"not whole, or are too large to be exact, in 1 row \(data row 2\)"):
        whole_keys(pd.Series([1.0, value], name="who"))


@pytest.mark.parametrize("values", [["a", 1], ["7", 7], [1.5, "x"]])
def test_text_among_numbers_is_refused_when_features_are_prepared(values: list[object]) -> None:
    table = pd.DataFrame({"who": pd.Series(values, dtype=object), "visits": [1, 2]})
    with pytest.raises(KeyColumnError, match="mixes text and numbers, which no file keeps apart"):
        gauger.prepare(table, key="who")


def test_forms_add_up() -> None:
    whole, words = KeyForm.of_numbers(np.array([1.0])), KeyForm(words=True)
    odd, text = KeyForm.of_numbers(np.array([1.5, 2.0])), KeyForm(as_text=True)
    assert (whole.become_whole, text.become_whole, KeyForm().become_whole) == (True, True, False)
    assert not (whole + odd).become_whole
    assert not (whole + words).become_whole
    assert (odd + odd).fractions == 2
    (odd + words).refuse_fractions("who")  # then they are text
    with pytest.raises(KeyColumnError, match="in 2 rows"):
        (odd + odd).refuse_fractions("who")


def _places(table: pd.DataFrame, folder: Path) -> dict[str, str]:
    table.to_csv(folder / "t.csv", index=False)
    table.to_parquet(folder / "t.parquet")
    with sqlite3.connect(folder / "t.db") as lite:
        table.to_sql("t", lite, index=False)
    with duckdb.connect(str(folder / "t.duckdb")) as duck:
        duck.register("given", table)
        duck.sql("CREATE TABLE t AS SELECT * FROM given")
    return {
        "csv": str(folder / "t.csv"), "parquet": str(folder / "t.parquet"),
        "sqlite": f"sqlite:///{folder}/t.db", "duckdb": f"duckdb:///{folder}/t.duckdb",
    }  # fmt: skip


def _segmented(kind: str, place: str, folder: Path) -> tuple[pd.Series, list[str]]:
    """The keys that are written, and the codes of the remarks, however customers are segmented."""
    if kind in ("sqlite", "duckdb"):
        done = database_segmented(place, table="t", into="made", key="who", count=2, starts=1)
        return gauger.read_table(place, table="made").sort_values("who")["who"], [one.code for one in done.remarks]
    if kind.endswith("blocks"):
        found = files_segmented(place, folder / "s", key="who", count=2, starts=1)
        rows = read_assignments(folder / "s")
        return rows.sort_values("who")["who"], [one.code for one in found.remarks]
    features = gauger.prepare(gauger.read_table(place), key="who")
    seg = gauger.segment_by_kmeans(features, 2, starts=1)
    gauger.save_study(seg, folder / "s", source=place)
    again = gauger.open_study(folder / "s")
    assert again.segmentation.codes.tolist() == seg.codes.tolist()
    return again.assignments["who"], [one.code for one in features.remarks]


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["csv", "parquet", "csv blocks", "parquet blocks", "sqlite", "duckdb"])
def test_wherever_customers_live_whole_keys_are_whole_and_others_refused(kind: str, tmp_path: Path) -> None:
    for number, (table, message) in enumerate(
        ((BASE, None), (FRACTIONAL, "in 1 row"), (HUGE, "too large to be exact"))
    ):
        folder = tmp_path / str(number)
        folder.mkdir()
        place = _places(table, folder)[kind.split()[0]]
        if message is None:
            keys, codes = _segmented(kind, place, folder)
            assert keys.tolist() == list(range(100, 100 + N))
            assert pd.api.types.is_integer_dtype(keys)
            assert "keys-made-whole" in codes
            continue
        with pytest.raises(KeyColumnError, match=message):
            _segmented(kind, place, folder)
        assert not (folder / "s").exists()


def test_a_model_assigns_whole_keys_in_memory_and_in_blocks(tmp_path: Path) -> None:
    model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(BASE, key="who"), 2, starts=1))
    BASE.to_parquet(tmp_path / "whole.parquet")
    FRACTIONAL.to_parquet(tmp_path / "odd.parquet")
    model.assign(gauger.open_table(tmp_path / "whole.parquet"), into=tmp_path / "out.parquet")
    made = gauger.read_table(tmp_path / "out.parquet")
    there = model.assign(BASE)
    assert made["who"].tolist() == there["who"].tolist() == list(range(100, 100 + N))
    assert made["segment"].tolist() == there["segment"].tolist()
    for work in (
        lambda: model.assign(FRACTIONAL),
        lambda: model.assign(gauger.open_table(tmp_path / "odd.parquet"), into=tmp_path / "no.parquet"),
    ):
        with pytest.raises(KeyColumnError, match="not whole"):
            work()
