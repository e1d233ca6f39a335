"""Keys of customers in parts that do not store them alike."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv as pa_csv
import pyarrow.parquet as pq
import pytest

import gauger

WHOLE = range(50)
NEXT = range(50, 100)
EXACT, CENTS = pa.decimal128(20, 0), pa.decimal128(22, 2)


def folder_of(folder: Path, parts: list[pa.Array], ending: str = "parquet") -> Path:
    """Files with these keys and two measures."""
    folder.mkdir()
    rng = np.random.default_rng(0)
    for at, keys in enumerate(parts):
        table = pa.table({"who": keys, **{name: rng.normal(size=len(keys)) for name in ("visits", "spend")}})
        write: Callable[..., Any] = pq.write_table if ending == "parquet" else pa_csv.write_csv
        write(table, folder / f"{at}.{ending}")
    return folder


def segments_of(base: gauger.OpenTable) -> gauger.Segmentation:
    """Two segments by both measures."""
    return gauger.segment_by_kmeans(gauger.prepare(base, key="who", features=["visits", "spend"]), 2)


@pytest.mark.parametrize("sample", [None, 20])
@pytest.mark.parametrize(
    ("first", "second"),
    [
        (pa.array(WHOLE, pa.int32()), pa.array(NEXT, pa.int64())),
        (pa.array(WHOLE, pa.uint64()), pa.array(NEXT, pa.int8())),
        (pa.array(WHOLE).cast(EXACT), pa.array(NEXT).cast(EXACT)),
        (pa.array(WHOLE).cast(EXACT).cast(pa.decimal128(9, 0)), pa.array(NEXT).cast(EXACT).cast(pa.decimal128(9, 0))),
        (pa.array(WHOLE).cast(CENTS), pa.array(NEXT, pa.int32())),
        (pa.array(WHOLE).cast(pa.float32()), pa.array(NEXT).cast(EXACT).cast(pa.decimal128(18, 0))),
    ],
    ids=["widths", "signs", "decimals", "short", "cents", "floats"],
)
def test_whole_keys_of_every_part_come_to_one_type(
    first: pa.Array, second: pa.Array, sample: int | None, tmp_path: Path
) -> None:
    source = folder_of(tmp_path / "base", [first, second])
    base = gauger.open_table(source, execution=gauger.Execution(sample=sample))
    seg = segments_of(base)
    found = [seg.assignments, seg.model.assign(base)]
    found += [seg.model.assign(base, into=str(tmp_path / into)) for into in ("out", "out.csv", "out.parquet")]
    for one in found:
        keys = one.to_arrow()
        assert pa.Table.from_batches(list(keys))["who"].type == pa.int64()
        assert sorted(one.to_pandas()["who"]) == [*range(100)]


@pytest.mark.slow
@pytest.mark.parametrize("kind", [pa.int8(), pa.int32(), pa.uint64(), pa.string(), pa.date32()])
def test_keys_that_all_parts_store_alike_keep_their_type(kind: pa.DataType, tmp_path: Path) -> None:
    parts = [pa.array(part).cast(pa.int32()).cast(kind) for part in (WHOLE, NEXT)]
    seg = segments_of(gauger.open_table(folder_of(tmp_path / "base", parts), execution=gauger.Execution(sample=20)))
    assert pa.Table.from_batches(list(seg.assignments.to_arrow()))["who"].type == kind


def test_text_by_views_is_text(tmp_path: Path) -> None:
    keys = pa.array([f"c{at}" for at in WHOLE])
    source = folder_of(tmp_path / "base", [keys.cast(pa.string_view()), pa.array([f"c{at}" for at in NEXT])])
    seg = segments_of(gauger.open_table(source, execution=gauger.Execution(sample=20)))
    assert sorted(seg.assignments.to_pandas()["who"]) == sorted(f"c{at}" for at in range(100))


@pytest.mark.slow
@pytest.mark.parametrize("sample", [None, 20])
@pytest.mark.parametrize(
    ("ending", "first", "second"),
    [
        ("csv", [str(at) for at in WHOLE], [f"{at}.0" for at in WHOLE]),
        ("csv", [f"{at}.00" if at % 2 else f"{at}." for at in WHOLE], [str(at) for at in WHOLE]),
        ("parquet", WHOLE, pa.array(WHOLE).cast(CENTS)),
        ("parquet", pa.array(WHOLE).cast(pa.float64()), pa.array(WHOLE).cast(EXACT).dictionary_encode()),
    ],
)
def test_a_key_that_repeats_in_another_form_is_refused(
    ending: str, first: Any, second: Any, sample: int | None, tmp_path: Path
) -> None:
    source = folder_of(tmp_path / "base", [pa.array(first), pa.array(second)], ending)
    base = gauger.open_table(source, execution=gauger.Execution(sample=sample))
    once = folder_of(tmp_path / "once", [pa.array(WHOLE)])
    model = segments_of(gauger.open_table(once)).model
    asked = (
        segments_of,
        lambda table: model.assign(table).sizes,
        lambda table: model.assign(table).to_arrow(),
        lambda table: model.assign(table).to_pandas(),
        lambda table: pa.table(model.assign(table)),
        lambda table: model.assign(table, into=str(tmp_path / "out")),
        lambda table: gauger.drift(model, table),
    )
    for ask in asked:
        with pytest.raises(gauger.GaugerError, match=rf"'who' repeats \(50 rows too many, in .*1\.{ending}\)"):
            ask(base)
    assert not (tmp_path / "out").exists()


def test_next_to_words_7_and_7_0_are_two_keys(tmp_path: Path) -> None:
    source = folder_of(tmp_path / "base", [pa.array(["x", "7"]), pa.array(["7.0"])], "csv")
    for sample in (None, 2):
        seg = segments_of(gauger.open_table(source, execution=gauger.Execution(sample=sample)))
        assert sorted(seg.assignments.to_pandas()["who"]) == ["7", "7.0", "x"]


def test_a_decimal_key_that_is_not_whole_is_refused_in_whatever_row_it_is(tmp_path: Path) -> None:
    keys = [*map(float, WHOLE), 50.5]
    for at in range(3):
        own = pa.array(np.roll(keys, at * 17)).cast(CENTS)
        base = gauger.open_table(folder_of(tmp_path / f"{at}", [own]), execution=gauger.Execution(sample=2))
        with pytest.raises(gauger.GaugerError, match="not whole, or are too large to be exact, in 1 row"):
            segments_of(base)


def test_keys_that_no_type_holds_together_are_refused(tmp_path: Path) -> None:
    large = pa.array([2**63 + at for at in WHOLE], pa.uint64())
    assert (
        segments_of(gauger.open_table(folder_of(tmp_path / "alike", [large]))).assignments.to_pandas()["who"].max()
        > 2**63
    )
    source = folder_of(tmp_path / "base", [pa.array(WHOLE), large])
    with pytest.raises(gauger.GaugerError, match=r"differ in what a column holds .*Export all parts alike"):
        segments_of(gauger.open_table(source))
    model = segments_of(gauger.open_table(source / "0.parquet")).model
    with pytest.raises(gauger.GaugerError, match="one is too large for all of them"):
        model.assign(gauger.open_table(source), into=str(tmp_path / "out"))
    assert not (tmp_path / "out").exists()
