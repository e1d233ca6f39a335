"""Text that looks like a formula: harmless in the file, and the same again when read."""

from pathlib import Path

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.tables.delimited import read_delimited
from gauger.tables.formats import write_file
from gauger.tables.type_inference import ReadingRules


@pytest.mark.parametrize("name", ["t.csv", "t.tsv"])
def test_no_cell_and_no_heading_starts_like_a_formula(tmp_path: Path, name: str) -> None:
    table = pd.DataFrame({"=who": ["=cmd()", "+1x", "-y", "@z", "'=a", "plain"], "n": [-1, 2, 3, 4, 5, 6]})
    path = gauger.write_table(table, tmp_path / name)
    with path.open(newline="") as stream:
        cells = [line.split("," if name == "t.csv" else "\t")[0] for line in stream]
    assert cells == ["'=who", "'=cmd()", "'+1x", "'-y", "'@z", "''=a", "plain"]
    pd.testing.assert_frame_equal(gauger.read_table(path), table)
    assert pd.read_csv(path, sep=None, engine="python")["n"].tolist() == [-1, 2, 3, 4, 5, 6]


@given(st.lists(st.text("'=+-@a;,\"\t\r\n", min_size=1, max_size=6), min_size=1, max_size=8))
def test_any_text_comes_back(tmp_path_factory: pytest.TempPathFactory, texts: list[str]) -> None:
    path = tmp_path_factory.mktemp("harmless") / "t.csv"
    write_file(pd.DataFrame({"who": range(len(texts)), "text": texts}), path)
    table, _ = read_delimited(path, ReadingRules(as_text=("text",)))
    assert table["text"].to_pylist() == texts
