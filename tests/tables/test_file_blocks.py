"""One reader: a file means the same at once, block by block, as events and as customers to assign."""

import csv
import gzip
import io
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.columns.arrow import to_pandas
from gauger.errors import ColumnValuesError, TableFileError
from gauger.tables.blocks import FileBlocks
from gauger.tables.layout import find_layout
from gauger.tables.text import UTF8, TextFile
from gauger.tables.type_inference import InferredKinds

_WORDS = st.one_of(
    st.sampled_from(
        ["", "NA", "n/a", "null", "None", "true", "False", "007", "4E5", "+44", "1.50", "-0.5", "12", "'=k1", "=1+1"]
    ),
    st.sampled_from(
        ["2025-01-31", "2025-01-31 10:30", 'say "so"', "a;b", "a,b", "tab\there", "two\nlines", "it's", "é"]
    ),
    st.text(st.characters(codec="utf-8", exclude_characters="\0\r", exclude_categories=("Cs", "Cc")), max_size=8),
    st.integers(-(10**19), 10**19).map(str),
    st.floats(allow_nan=False, allow_infinity=False).map(repr),
)


def _write(folder: Path, rows: list[list[str]], delimiter: str, encoding: str, *, packed: bool) -> Path:
    text = io.StringIO()
    csv.writer(text, delimiter=delimiter, lineterminator="\n").writerows(rows)
    path = folder / ("t.csv.gz" if packed else "t.csv")
    data = text.getvalue().encode(encoding, "replace")
    path.write_bytes(gzip.compress(data) if packed else data)
    return path


@pytest.mark.slow
@given(
    rows=st.lists(st.tuples(_WORDS, _WORDS, _WORDS), min_size=1, max_size=12),
    delimiter=st.sampled_from(",;\t|"),
    encoding=st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "cp1252"]),
    packed=st.booleans(),
)
def test_blocks_together_are_the_table_read_at_once(
    rows: list[tuple[str, ...]], delimiter: str, encoding: str, packed: bool, tmp_path_factory: pytest.TempPathFactory
) -> None:
    head = ["key", "last name, first name", "spend; eur"]
    numbered = [[f"k{at}", *row] for at, row in enumerate(rows)]
    path = _write(tmp_path_factory.mktemp("t"), [["no", *head], *numbered], delimiter, encoding, packed=packed)
    whole = gauger.read_table(path)
    assert whole.columns.tolist() == ["no", *head]
    assert whole["no"].tolist() == [row[0] for row in numbered]
    blocks, kinds = FileBlocks(path), InferredKinds()
    for block in blocks.of(blocks.names):
        kinds.add(block)
    parts = [kinds.apply(block) for block in blocks.of(blocks.names)]
    pd.testing.assert_frame_equal(to_pandas(pa.concat_tables(parts)), whole)
    assert [one.text for one in blocks.remarks] == [one.text for one in gauger.remarks_of(whole)]


def test_blocks_are_read_by_the_same_rules_wherever_they_end(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gauger.tables.delimited._BLOCK_BYTES", 64)
    lines = [f'k{at};"it\'s ""{at}"";\n two";{at}.50' for at in range(200)] + ["k200;007;", "k201;n/a;x"]
    path = tmp_path / "t.csv"
    path.write_text("key;words;spend\n" + "\n".join(lines))
    blocks = FileBlocks(path)
    parts = list(blocks.of(["key", "spend"]))
    assert len(parts) > 20
    assert pa.concat_tables(parts)["spend"].to_pylist() == [f"{at}.50" for at in range(200)] + [None, "x"]
    assert gauger.read_table(path)["spend"].tolist()[:2] == ["0.50", "1.50"]


@pytest.mark.parametrize(
    ("text", "delimiter", "names"),
    [
        (
            'id;"last name, first name";spend\n1;"Doe, Jo";2\n2;"Roe, Al";3\n',
            ";",
            ["id", "last name, first name", "spend"],
        ),
        ("id,note\n1,a;b;c\n2,d;e;f\n", ",", ["id", "note"]),
        ("id;spend;share\n1;2,50;0,1\n2;3,75;0,2\n", ";", ["id", "spend", "share"]),
        ("id|a,b|c\n1|x,y|z\n2|x,y,w|z\n", "|", ["id", "a,b", "c"]),
        ("id\ta;b\tc,d\n1\t2;3\t4,5\n2\t3\t4\n", "\t", ["id", "a;b", "c,d"]),
        ("who\na\nb\n", ",", ["who"]),
        ('"a;b","c;d"\n"1;2","3;4"\n', ",", ["a;b", "c;d"]),
        ("'a','b'\n'1;','2;'\n", ",", ["a", "b"]),
        ("name, first;age\nDoe, Jo;30\nRoe, Al;40\n", ";", ["name, first", "age"]),
    ],
)
def test_the_layout_of_an_odd_file_is_found(tmp_path: Path, text: str, delimiter: str, names: list[str]) -> None:
    path = tmp_path / "t.csv"
    path.write_text(text)
    layout = find_layout(TextFile(path, UTF8), None)
    assert (layout.delimiter, layout.columns) == (delimiter, names)


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["plain", "semicolons", "tabs", "utf-16", "cp1252", "guarded", "gzip"])
def test_a_file_is_assigned_and_summarised_as_its_table_is(tmp_path: Path, kind: str) -> None:
    n = 60
    keys = [f"{'é' if at % 2 else 'n/a '}{at}" for at in range(n)]
    keys[:2] = ["=k1", "n/a"]
    table = pd.DataFrame({"who": keys, "spend": np.arange(n) * 1.5, "area": ["north", "it's", "007"] * 20})
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", categories=["area"]), 3)
    model = gauger.build_model(seg)
    delimiter = {"semicolons": ";", "tabs": "\t"}.get(kind, ",")
    encoding = kind if kind in ("utf-16", "cp1252") else "utf-8"
    written = table.assign(who=table["who"].str.replace("=", "'=")) if kind == "guarded" else table
    rows = [list(written.columns), *written.astype(str).to_numpy().tolist()]
    path = _write(tmp_path, rows, delimiter, encoding, packed=kind == "gzip")
    model.assign(gauger.open_table(path), into=tmp_path / "out.parquet")
    found = gauger.read_table(tmp_path / "out.parquet")
    assert found["who"].tolist() == table["who"].tolist()
    assert found["segment"].tolist() == seg.codes.tolist()
    at_once = model.assign(gauger.read_table(path))
    assert at_once["who"].tolist() == table["who"].tolist()
    assert at_once["segment"].tolist() == seg.codes.tolist()


def test_a_parquet_file_of_odd_types_is_read_or_refused_in_words(tmp_path: Path) -> None:
    half = pa.array(np.array([1.5, 2.0], dtype=np.float16))
    zoned = pa.array([0, 1], pa.timestamp("us", "Mars/Olympus"))
    columns = {"half": half, "zoned": zoned, "list": pa.array([[1], [2]]), "raw": pa.array([b"\xff", b"a"])}
    columns |= {"plain": pa.array([b"a", b"b"]), "time": pa.array([1, 2], pa.time64("us")), "n": pa.array([1, 2])}
    pa.parquet.write_table(pa.table(columns), tmp_path / "t.parquet")
    table = gauger.read_table(tmp_path / "t.parquet")
    assert table.columns.tolist() == ["half", "zoned", "plain", "time", "n"]
    assert table["half"].tolist() == [1.5, 2.0]
    assert table["plain"].tolist() == ["a", "b"]
    (remark,) = gauger.remarks_of(table)
    assert remark.features == ("list", "raw")
    gauger.look(table)
    for days in (2**31 - 1, -(2**31), 5_000_000):
        pa.parquet.write_table(pa.table({"day": pa.array([days], pa.date32())}), tmp_path / "d.parquet")
        with pytest.raises(ColumnValuesError, match="'day' has dates beyond the years 1 to 9999"):
            gauger.read_table(tmp_path / "d.parquet")
    bad = pa.array([b"ok", b"secret\xff"]).cast(pa.binary()).view(pa.string())
    pa.parquet.write_table(pa.table({"who": bad}), tmp_path / "b.parquet")
    with pytest.raises(TableFileError, match="'who' holds bytes that are no text") as caught:
        gauger.read_table(tmp_path / "b.parquet")
    assert "secret" not in str(caught.value)


def test_a_flag_as_a_measure_is_assigned_from_text_as_from_memory(tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    table = pd.DataFrame({"who": range(80), "app": rng.random(80) < 0.5, "spend": rng.gamma(2.0, 20.0, 80).round(2)})
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 3)
    assert seg.features.names == ("app", "spend")
    path = gauger.write_table(table, tmp_path / "t.csv")
    gauger.build_model(seg).assign(gauger.open_table(path), into=tmp_path / "out.csv")
    assert gauger.read_table(tmp_path / "out.csv")["segment"].tolist() == seg.codes.tolist()
