"""Reading csv and Parquet: values keep their nature, and bad files are refused with their faults."""

from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import MissingFileError, TableFileError
from gauger.tables.csv import as_typed


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


def test_parquet_and_csv_give_the_same_table(tmp_path: Path) -> None:
    table = pd.DataFrame(
        {
            "who": ["00417", "4E5", "z"],
            "big": pd.array([2**62 + 1, None, 3], dtype="Int64"),
            "on": pd.to_datetime(["2025-01-01", "2025-01-02", None]),
            "spend": [0.1, np.nan, 3.0],
        }
    )
    read = [
        gauger.read_table(gauger.write_table(table, tmp_path / name)).astype({"who": object})
        for name in ("t.csv", "t.parquet")
    ]
    pd.testing.assert_frame_equal(*read)
    assert read[0]["big"].tolist()[0] == 2**62 + 1


def test_parquet_dates_become_dates(tmp_path: Path) -> None:
    pq.write_table(pa.table({"on": pa.array([1, 2], pa.date32())}), tmp_path / "t.parquet")
    assert gauger.read_table(tmp_path / "t.parquet")["on"].dtype.name == "datetime64[us]"


@pytest.mark.parametrize(
    ("content", "message"),
    [
        (b"", "is empty"),
        (b"who,visits\n", "has a header but no rows"),
        (b"PAR1whatever", "it is a Parquet file"),
        (b"PK\x03\x04zip", "it is a spreadsheet or a zip archive"),
        (b"who,who\n1,2\n", "names 'who' more than once"),
        (b"who,,x\n1,2,3\n", "has no name for column 2"),
        (b"who,x\na,1\nb,2,3\nc\n", r"2 lines have not 2 values: line 3 \(3\) and line 4 \(1\)"),
        ("who,x\nä,1\n".encode("latin-1"), "is not UTF-8 text"),
        (b"who,x\0\na,1\n", "its first line is not text"),
    ],
)
def test_a_bad_csv_is_refused_with_its_fault(tmp_path: Path, content: bytes, message: str) -> None:
    path = tmp_path / "t.csv"
    path.write_bytes(content)
    with pytest.raises(TableFileError, match=message):
        gauger.read_table(path)


def test_other_faults_of_files(tmp_path: Path) -> None:
    (tmp_path / "folder.csv").mkdir()
    (tmp_path / "cut.parquet").write_bytes(b"PAR1 cut short")
    (tmp_path / "text.parquet").write_text("who,x\n")
    (tmp_path / "t.docx").write_text("x")
    for name, message in {
        "folder.csv": "is a folder",
        "cut.parquet": "damaged or cut short",
        "text.parquet": "not what its ending says",
        "t.docx": "Gauger reads .csv and .parquet files",
    }.items():
        with pytest.raises(TableFileError, match=message):
            gauger.read_table(tmp_path / name)
    with pytest.raises(MissingFileError, match=r"Did you mean 'cut.parquet'"):
        gauger.read_table(tmp_path / "cut.parqet")
