"""Reading files: values keep their nature, and bad files are refused with their faults."""

import gzip
from decimal import Decimal
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import sqlalchemy
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import (
    ColumnValuesError,
    MissingFileError,
    OutputError,
    SettingError,
    TableFileError,
    UnknownColumnError,
)
from gauger.tables.type_inference import as_typed


def _csv(folder: Path, text: str, name: str = "t.csv") -> Path:
    path = folder / name
    path.write_bytes(text.encode())
    return path


@pytest.mark.parametrize(
    ("values", "dtype"),
    [
        (["1", "22", "-3"], "int64"),
        (["1", "", "3"], "Int64"),
        (["1.5", "2", "-3e-2"], "float64"),
        (["inf", "1.0"], "float64"),
        (["true", "False"], "bool"),
        (["2025-01-31", "2024-02-29"], "datetime64[us]"),
        (["2025-01-31 10:30:00", "2025-01-31T10:30"], "datetime64[us]"),
        (["", ""], "float64"),
        (["00417", "00418"], "str"),
        (["4E5", "7E1"], "str"),
        (["1.5", "007"], "str"),
        (["+4470012345", "+4470012346"], "str"),
        (["12345678901234567890", "1"], "str"),
        (["2025-02-31", "2025-01-01"], "str"),
        (["1", "two"], "str"),
    ],
)
def test_each_column_becomes_what_all_its_values_are(tmp_path: Path, values: list[str], dtype: str) -> None:
    path = _csv(tmp_path, "who,x\n" + "".join(f"k{row},{value}\n" for row, value in enumerate(values)))
    assert gauger.read_table(path)["x"].dtype.name == dtype


@pytest.mark.slow
@given(st.lists(st.integers(-(2**63), 2**63 - 1), min_size=1, max_size=20))
def test_whole_numbers_never_pass_through_floats(numbers: list[int]) -> None:
    assert as_typed(pa.chunked_array([[str(number) for number in numbers]])).to_pylist() == numbers


@given(st.lists(st.floats(allow_nan=False), min_size=1, max_size=20))
def test_decimals_written_by_python_come_back_to_the_bit(numbers: list[float]) -> None:
    column = as_typed(pa.chunked_array([[repr(number) for number in numbers]]))
    assert column.to_pylist() == numbers


def test_semicolons_a_byte_order_mark_and_quoted_line_breaks_are_understood(tmp_path: Path) -> None:
    table = gauger.read_table(_csv(tmp_path, '\ufeffwho;note\na;"one;two"\nb;"three\nfour"\n'))
    assert table.columns.tolist() == ["who", "note"]
    assert table["note"].tolist() == ["one;two", "three\nfour"]


KEYS = pd.DataFrame(
    {
        "who": ["00417", "4E5", "+44 7", "=1+1"],
        "big": pd.array([2**62 + 1, None, 3, -7], dtype="Int64"),
        "on": pd.to_datetime(["2025-01-01", "2025-01-02 10:30", None, "2024-02-29"], format="ISO8601"),
        "spend": [0.25, np.nan, 3.0, -17.5],
        "member": [True, False, True, True],
        "empty": [np.nan] * 4,
    }
)


@pytest.mark.parametrize(
    "name", ["t.csv", "t.tsv", "t.jsonl", "t.parquet", "t.xlsx", "t.csv.gz", "t.tsv.gz", "t.jsonl.gz", "sqlite"]
)
def test_the_same_table_gives_the_same_values_and_keys_from_every_format(tmp_path: Path, name: str) -> None:
    if name == "sqlite":
        engine = sqlalchemy.create_engine(f"sqlite:///{tmp_path}/shop.db")
        KEYS.to_sql("t", engine, index=False)
        engine.dispose()
        read = gauger.read_table(f"sqlite:///{tmp_path}/shop.db", table="t")
        read = read.astype({"member": bool})  # SQLite has no flags
    else:
        read = gauger.read_table(gauger.write_table(KEYS, tmp_path / name))
    pd.testing.assert_frame_equal(read.astype({"who": object}), KEYS.astype({"who": object}))


def test_parquet_dates_become_dates(tmp_path: Path) -> None:
    pq.write_table(pa.table({"on": pa.array([1, 2], pa.date32())}), tmp_path / "t.parquet")
    assert gauger.read_table(tmp_path / "t.parquet")["on"].dtype.name == "datetime64[us]"


@pytest.mark.parametrize(
    ("digits", "scale", "value", "read"),
    [
        (18, 0, "999999999999999999", 999_999_999_999_999_999),
        (19, 0, "9223372036854775808", 2.0**63),
        (9, 2, "7.25", 7.25),
        (9, 2, "7.00", 7.0),
    ],
)
def test_parquet_decimals_are_whole_numbers_where_their_type_allows_no_others(
    digits: int, scale: int, value: str, read: float, tmp_path: Path
) -> None:
    pq.write_table(pa.table({"x": pa.array([Decimal(value)], pa.decimal128(digits, scale))}), tmp_path / "t.parquet")
    (found,) = gauger.read_table(tmp_path / "t.parquet")["x"].tolist()
    assert (found, type(found)) == (read, type(read))


@pytest.mark.parametrize(
    ("content", "message"),
    [
        (b"", "is empty"),
        (b"who,visits\n", "has a header but no rows"),
        (b"PAR1whatever", "it is a Parquet file"),
        (b"PK\x03\x04zip", "it is a spreadsheet or a zip archive"),
        (b"who,who\n1,2\n", "names 'who' more than once"),
        (b"who,,x\n1,2,3\n", "has no name for column 2"),
        (b"who,x\na,1\nb,2,3\nc\n", r"2 lines do not hold 2 values: line 3 \(3\) and line 4 \(1\)"),
        (b"who,x\n\x81,1\n", "is not cp1252 text"),
        (b"who,x\0\na,1\n", "its first line holds zero bytes"),
    ],
)
def test_a_bad_csv_is_refused_with_its_fault(tmp_path: Path, content: bytes, message: str) -> None:
    path = tmp_path / "t.csv"
    path.write_bytes(content)
    with pytest.raises(TableFileError, match=message):
        gauger.read_table(path)


def test_columns_of_one_name_are_refused_in_parquet_too(tmp_path: Path) -> None:
    table = pa.Table.from_arrays([pa.array([1]), pa.array([2])], names=["x", "x"])
    pq.write_table(table, tmp_path / "t.parquet")
    with pytest.raises(TableFileError, match="names 'x' more than once"):
        gauger.read_table(tmp_path / "t.parquet")


def test_other_faults_of_files(tmp_path: Path) -> None:
    (tmp_path / "folder.csv").mkdir()
    (tmp_path / "cut.parquet").write_bytes(b"PAR1 cut short")
    (tmp_path / "text.parquet").write_text("who,x\n")
    (tmp_path / "text.csv.gz").write_text("who,x\n")
    (tmp_path / "cut.csv.gz").write_bytes(gzip.compress(b"who,x\na,1\n")[:15])
    (tmp_path / "t.docx").write_text("x")
    for name, message in {
        "folder.csv": "is a folder",
        "cut.parquet": "damaged or cut short",
        "text.parquet": "not what its ending says",
        "text.csv.gz": "it is not a gzip archive",
        "cut.csv.gz": "damaged or cut short",
        "t.docx": "Gauger reads .csv, .tsv, .jsonl, .parquet, .xlsx files",
    }.items():
        with pytest.raises(TableFileError, match=message):
            gauger.read_table(tmp_path / name)
    with pytest.raises(MissingFileError, match=r"Did you mean 'cut.parquet'"):
        gauger.read_table(tmp_path / "cut.parqet")


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "cp1252"])
@pytest.mark.parametrize("name", ["t.csv", "t.jsonl"])
def test_the_encoding_is_found_out(tmp_path: Path, encoding: str, name: str) -> None:
    text = "who,note\ncafé,naïve – 5 €\n" if name == "t.csv" else '{"who": "café", "note": "naïve – 5 €"}\n'
    (tmp_path / name).write_bytes(text.encode(encoding))
    table = gauger.read_table(tmp_path / name)
    assert table.to_numpy().tolist() == [["café", "naïve – 5 €"]]
    assert [remark.code for remark in gauger.remarks_of(table)] == ["encoding-guessed"] * (encoding == "cp1252")


def test_an_encoding_that_is_told_is_used(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_bytes("who\nžluť\n".encode("cp1250"))
    assert gauger.read_table(tmp_path / "t.csv", encoding="cp1250")["who"].tolist() == ["žluť"]
    with pytest.raises(TableFileError, match="encoding='klingon' is not known"):
        gauger.read_table(tmp_path / "t.csv", encoding="klingon")


@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
def test_the_delimiter_and_the_quotes_are_found_out(tmp_path: Path, delimiter: str) -> None:
    path = _csv(tmp_path, f"'who'{delimiter}'note'\n'a'{delimiter}'one{delimiter}two'\n")
    assert gauger.read_table(path).to_dict("list") == {"who": ["a"], "note": [f"one{delimiter}two"]}


def test_number_marks_are_read_by_option_and_only_where_they_are_right(tmp_path: Path) -> None:
    path = _csv(tmp_path, "spend;visits;code;mixed\n1.234,50;1.200;007;1.5\n-0,75;3;008;2,5\n")
    table = gauger.read_table(path, decimal=",", thousands=".")
    assert table["spend"].tolist() == [1234.5, -0.75]
    assert table["visits"].tolist() == [1200, 3]
    assert table["code"].tolist() == ["007", "008"]
    assert table["mixed"].tolist() == ["1.5", "2,5"]
    assert gauger.read_table(path)["spend"].tolist() == ["1.234,50", "-0,75"]


def test_dates_are_read_by_a_given_format(tmp_path: Path) -> None:
    path = _csv(tmp_path, "who,on,note\na,31.12.2024,x\nb,01.02.2025,y\nc,,z\n")
    table = gauger.read_table(path, dates="%d.%m.%Y")
    assert table["on"].tolist() == [pd.Timestamp("2024-12-31"), pd.Timestamp("2025-02-01"), pd.NaT]
    assert table["note"].tolist() == ["x", "y", "z"]
    with pytest.raises(ColumnValuesError, match=r"'on' has 2 values not written as %m/%d/%Y: '31.12.2024'"):
        gauger.read_table(path, dates={"on": "%m/%d/%Y"})
    with pytest.raises(UnknownColumnError, match="did you mean 'on'"):
        gauger.read_table(path, dates={"onn": "%m/%d/%Y"})


@pytest.mark.parametrize("name", ["t.parquet", "t.jsonl", "t.xlsx"])
def test_dates_written_as_text_are_read_by_a_given_format_from_every_file(tmp_path: Path, name: str) -> None:
    path = gauger.write_table(pd.DataFrame({"on": ["31.12.2024", None, "01.02.2025"]}), tmp_path / name)
    read = gauger.read_table(path, dates="%d.%m.%Y")["on"]
    assert read.tolist() == [pd.Timestamp("2024-12-31"), pd.NaT, pd.Timestamp("2025-02-01")]


def test_columns_stay_text_when_told(tmp_path: Path) -> None:
    path = _csv(tmp_path, "who,visits\n417,3\n")
    assert gauger.read_table(path, as_text=["who"])["who"].tolist() == ["417"]
    assert gauger.read_table(gauger.write_table(gauger.read_table(path), tmp_path / "t.parquet"), as_text=["who"])[
        "who"
    ].tolist() == ["417"]


@pytest.mark.parametrize(
    ("first", "named"),
    [
        ("who,visits", True),
        ("house,2024-01-01,2024-01-08", True),
        ("house,2023,2024,2025", True),
        ("417,2025-01-01,3", False),
        ("Alder,3.5", False),
    ],
)
def test_a_missing_header_is_noticed_and_said(tmp_path: Path, first: str, named: bool) -> None:
    path = _csv(tmp_path, f"{first}\n{first}\n")
    table = gauger.read_table(path)
    assert len(table) == (1 if named else 2)
    assert (table.columns.tolist() == first.split(",")) is named
    assert [remark.code for remark in gauger.remarks_of(table)] == ([] if named else ["header-missing"])
    assert gauger.read_table(path, header=named).columns.tolist() == table.columns.tolist()


BAD = 'who,note\na,"two\nlines"\n\nb,1,2\nc,"x\n\ny"\nd\ne,5\n'


def test_bad_lines_are_named_by_their_number_in_the_file_and_kept_aside_when_told(tmp_path: Path) -> None:
    path = _csv(tmp_path, BAD)
    with pytest.raises(TableFileError, match=r"2 lines do not hold 2 values: line 5 \(3\) and line 9 \(1\)"):
        gauger.read_table(path)
    table = gauger.read_table(path, skip_bad_lines=tmp_path / "bad.csv")
    assert table["who"].tolist() == ["a", "c", "e"]
    (remark,) = gauger.remarks_of(table)
    assert remark.code == "bad-lines-skipped"
    assert remark.text.startswith("2 lines of t.csv could not be read")
    assert gauger.read_table(tmp_path / "bad.csv").to_numpy().tolist() == [[5, 3, "b,1,2"], [9, 1, "d"]]


def test_bad_json_lines_are_named_and_kept_aside_when_told(tmp_path: Path) -> None:
    path = _csv(tmp_path, '{"who": "007", "n": 1}\n\n{"who": \n[1]\n{"who": "x", "n": null}\n', "t.jsonl")
    with pytest.raises(
        TableFileError, match=r"2 lines do not hold one JSON object: line 3 \(.*\) and line 4 \(a list\)"
    ):
        gauger.read_table(path)
    table = gauger.read_table(path, skip_bad_lines=tmp_path / "bad.csv")
    assert table["who"].tolist() == ["007", "x"]
    assert table["n"].tolist() == [1, pd.NA]


def test_signs_that_only_look_like_line_ends_end_no_line(tmp_path: Path) -> None:
    json_lines = _csv(tmp_path, '{"who": "x\u2028y\x85z", "n": "a"}\n{"who": 3, "n": "b"}\n', "t.jsonl")
    assert gauger.read_table(json_lines)["who"].tolist() == ["x\u2028y\x85z", "3"]
    with pytest.raises(TableFileError, match=r"line 3 \(1\)"):
        gauger.read_table(_csv(tmp_path, "who,n\nx\u2028y\x0cz,1\nb\n"))


def test_bad_lines_never_replace_a_file(tmp_path: Path) -> None:
    path = _csv(tmp_path, BAD)
    with pytest.raises(OutputError, match="bad lines never replace a file"):
        gauger.read_table(path, skip_bad_lines=path)
    assert path.read_text() == BAD


def test_json_values_of_mixed_kinds_become_text_and_nested_ones_are_left_out(tmp_path: Path) -> None:
    path = _csv(tmp_path, '{"who": "00417", "n": 1}\n{"who": 418, "n": 2.5}\n', "t.jsonl")
    assert gauger.read_table(path).to_dict("list") == {"who": ["00417", "418"], "n": [1.0, 2.5]}
    for nested in ('{"who": {"id": 1}, "n": 1}\n', '{"who": {"id": 1}, "n": 1}\n{"who": 3}\n'):
        table = gauger.read_table(_csv(tmp_path, nested, "n.jsonl"))
        assert table.columns.tolist() == ["n"]
        (remark,) = gauger.remarks_of(table)
        assert remark.text.startswith("column 'who' holds lists, objects or raw bytes and was left out")


def test_options_that_do_not_fit_are_refused(tmp_path: Path) -> None:
    with pytest.raises(SettingError, match="a source is the path of a file or a database's URL, not int"):
        gauger.read_table(7)
    path = _csv(tmp_path, "who\na\n")
    for wrong, message in {
        "sheet": r"sheet='x' is for a workbook",
        "query": "query='x' is for a database",
        "decimal": "decimal='x' is not known",
        "thousands": "thousands='x' must be one of",
        "as_text": "must be a list of names",
    }.items():
        with pytest.raises(SettingError, match=message):
            gauger.read_table(path, **{wrong: "x"})


@pytest.mark.parametrize("name", ["t.csv", "t.parquet"])
def test_values_that_stand_for_none_are_read_as_missing(tmp_path: Path, name: str) -> None:
    table = pd.DataFrame(
        {
            "age": [31, 999, 40],
            "on": pd.to_datetime(["1900-01-01", "2025-01-02", "2025-01-03"]),
            "area": ["?", "a", "b"],
        }
    )
    path = gauger.write_table(table, tmp_path / name)
    read = gauger.read_table(path, as_missing={"age": 999, "on": "1900-01-01", "area": "?"})
    assert read["age"].tolist() == [31, pd.NA, 40]
    assert read["on"].isna().tolist() == [True, False, False]
    assert read["area"].isna().tolist() == [True, False, False]
    with pytest.raises(UnknownColumnError, match="did you mean 'age'"):
        gauger.read_table(path, as_missing={"aeg": 999})


def test_a_stand_in_no_longer_keeps_a_column_from_being_numbers(tmp_path: Path) -> None:
    path = _csv(tmp_path, "who;spend\na;1.234,50\nb;-\n")
    spend = gauger.read_table(path, decimal=",", thousands=".", as_missing={"spend": "-"})["spend"]
    assert spend.dtype == "float64"
    assert spend.isna().tolist() == [False, True]
    guarded = gauger.write_table(pd.DataFrame({"x": ["-", "7"]}), tmp_path / "g.csv")
    assert gauger.read_table(guarded, as_missing={"x": "-"})["x"].tolist() == [pd.NA, 7]
    typed = gauger.write_table(pd.DataFrame({"age": [31, 999]}), tmp_path / "t.parquet")
    with pytest.raises(SettingError, match="fits no value of 'age', which holds int64"):
        gauger.read_table(typed, as_missing={"age": "unknown"})
