"""What a stranger's files do to segments by blocks: text, lines, gaps, other types, cut files, one customer twice."""

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

import gauger
from gauger import errors
from gauger.demo import write_many_members
from tests.own_segments import Segmented, files_segmented
from tests.sources.files.made_up import made_up_members, split

_ROOM = 220 * 2**20
"""Bytes that a process may take beside what it has taken: fewer than a million members at once need."""


@pytest.fixture
def table() -> pd.DataFrame:
    return made_up_members(2, 600).fillna({"visits": 0.0, "spend": 1.0, "age": 30.0, "area": "north"})


def _segmented(source: object, out: Path, **settings: object) -> Segmented:
    return files_segmented(source, out, key="who", count=3, features=["visits", "spend", "age"], sample=100, **settings)


def test_text_lines_and_parquet_of_the_same_customers_come_to_the_same(table: pd.DataFrame, tmp_path: Path) -> None:
    found = {}
    for ending in ("csv", "jsonl", "parquet"):
        folder = tmp_path / ending
        folder.mkdir()
        for index, rows in enumerate((table[:250], table[250:])):
            gauger.write_table(rows, folder / f"{index}.{ending}")
        made = _segmented(folder, tmp_path / f"out-{ending}", categories=["area"])
        codes = gauger.open_study(made.path).assignments.set_index("who")["segment"].sort_index()
        found[ending] = (made.wcss, codes.tolist(), sorted(made.sample.features.keys.astype(int).tolist()))
    for ending, one in found.items():
        assert one == found["parquet"], ending


@pytest.mark.slow
def test_assignments_come_as_parts_like_those_that_were_read_or_as_one_csv(table: pd.DataFrame, tmp_path: Path) -> None:
    split(tmp_path / "base", table, [200, 500], 150)
    parts = _segmented(tmp_path / "base", tmp_path / "parts")
    names = sorted(path.name for path in (parts.path / "assignments").iterdir())
    assert names == ["000.parquet", "001.parquet", "002.parquet"]
    lines = _segmented(tmp_path / "base", tmp_path / "csv", format="csv")
    text = pd.read_csv(lines.path / "assignments.csv")
    both = pd.concat([pd.read_parquet(parts.path / "assignments" / name) for name in names])
    assert text["who"].tolist() == both["who"].tolist() == table["who"].tolist()
    assert text["segment"].tolist() == both["segment"].tolist()


def test_gaps_leave_customers_out_and_are_told(tmp_path: Path) -> None:
    table = made_up_members(4, 500)
    split(tmp_path / "base", table, [250], 100)
    made = _segmented(tmp_path / "base", tmp_path / "out", missing="drop")
    kept = table.dropna(subset=["visits", "spend", "age"])
    assert (made.customers, made.left_out) == (len(kept), len(table) - len(kept))
    assert "customers-left-out" in {remark.code for remark in made.remarks}
    assert set(gauger.open_study(made.path).assignments["who"]) == set(kept["who"])


def test_parts_without_rows_and_parts_whose_customers_are_all_left_out_do_no_harm(
    table: pd.DataFrame, tmp_path: Path
) -> None:
    split(tmp_path / "base", table, [300], 100)
    schema = pa.Table.from_pandas(table, preserve_index=False).schema
    pq.write_table(schema.empty_table(), tmp_path / "base" / "empty.parquet")
    gaps = table[:5].assign(who=np.arange(90_000, 90_005), age=np.nan)
    gauger.write_table(gaps, tmp_path / "base" / "gaps.parquet")
    made = _segmented(tmp_path / "base", tmp_path / "out", missing="drop")
    assert (made.customers, made.left_out) == (600, 5)
    assert len(list((made.path / "assignments").iterdir())) == 2
    assert len(gauger.open_study(made.path).assignments) == 600
    pq.write_table(schema.empty_table(), tmp_path / "nobody.parquet")
    with pytest.raises(errors.SettingError, match="the table has no rows"):
        _segmented(tmp_path / "nobody.parquet", tmp_path / "none")


def test_a_segment_that_empties_takes_the_farthest_customer(tmp_path: Path) -> None:
    points = pd.DataFrame({"who": range(9), "x": [0.0] * 6 + [10.0, 10.0, 11.0]})
    gauger.write_table(points, tmp_path / "few.csv")
    made = files_segmented(tmp_path / "few.csv", tmp_path / "out", key="who", count=3, scale="none")
    assert made.sizes.tolist() == [6, 2, 1]
    assert made.wcss == 0.0
    with pytest.raises(errors.SettingError, match="only 3 distinct combinations"):
        files_segmented(tmp_path / "few.csv", tmp_path / "more", key="who", count=4, scale="none")


def _other_type(folder: Path, table: pd.DataFrame) -> None:
    gauger.write_table(table.assign(age="old", who=table["who"] + 10_000), folder / "z.parquet")


def _no_key(folder: Path, table: pd.DataFrame) -> None:
    gauger.write_table(table.drop(columns="who"), folder / "z.parquet")


def _cut_short(folder: Path, table: pd.DataFrame) -> None:
    gauger.write_table(table, folder / "z.parquet")
    (folder / "z.parquet").write_bytes((folder / "z.parquet").read_bytes()[:-200])


def _repeated(folder: Path, table: pd.DataFrame) -> None:
    gauger.write_table(table[5:7], folder / "z.parquet")


def _gap_in_key(folder: Path, table: pd.DataFrame) -> None:
    rows = table[:3].assign(who=[10_001, None, 10_003])
    gauger.write_table(rows, folder / "z.parquet")


def _of_text(folder: Path, table: pd.DataFrame) -> None:
    gauger.write_table(table.assign(who=table["who"] + 10_000)[:3], folder / "z.csv")


def _word(folder: Path, table: pd.DataFrame) -> None:
    (folder / "a.parquet").unlink()
    gauger.write_table(table, folder / "a.csv")
    gauger.write_table(table.assign(who=table["who"] + 10_000, age="forty")[:3], folder / "z.csv")


@pytest.mark.parametrize(
    ("spoil", "error", "words"),
    [
        (_other_type, errors.TableFileError, "'age' holds numbers in .*a.parquet and text in .*z.parquet"),
        (_no_key, errors.UnknownColumnError, "z.parquet: there is no column 'who'"),
        (_cut_short, errors.TableFileError, "z.parquet is damaged or cut short"),
        (_repeated, errors.KeyColumnError, "'who' repeats \\(2 rows too many, in .*z.parquet"),
        (_gap_in_key, errors.KeyColumnError, "z.parquet: the key 'who' is missing in 1 row"),
        (_of_text, errors.TableFileError, "z.csv is a text file and .*a.parquet is not"),
        (_word, errors.ColumnValuesError, "'age' has 3 values that are not a number"),
    ],
)
def test_files_that_will_not_do_are_told_and_nothing_is_written(
    spoil: Callable[[Path, pd.DataFrame], None],
    error: type[errors.GaugerError],
    words: str,
    table: pd.DataFrame,
    tmp_path: Path,
) -> None:
    (tmp_path / "base").mkdir()
    gauger.write_table(table, tmp_path / "base" / "a.parquet")
    spoil(tmp_path / "base", table)
    with pytest.raises(error, match=words):
        _segmented(tmp_path / "base", tmp_path / "out")
    assert not (tmp_path / "out").exists()


def test_settings_that_will_not_do_are_told(table: pd.DataFrame, tmp_path: Path) -> None:
    base = tmp_path / "base"
    split(base, table, [300], 100)
    for settings, error, words in (
        ({"transform": "power"}, errors.SettingError, "cannot be learned out of core"),
        ({"scale": {"age": "rank"}}, errors.SettingError, "Say 'robust' or 'zscore'"),
        ({"format": "xlsx"}, errors.SettingError, "format"),
        ({"workers": 0}, errors.SettingError, "workers=0"),
        ({"cluster": "tcp://h:1", "workers": 2}, errors.SettingError, "leave it out with cluster="),
    ):
        with pytest.raises(error, match=words):
            _segmented(base, tmp_path / "out", **settings)
    with pytest.raises(errors.OutputError, match="the next run would take results for customers"):
        _segmented(base, base / "out")
    with pytest.raises(errors.SettingError, match="a folder or a pattern"):
        _segmented([base / "000.parquet", base / "001.parquet"], tmp_path / "out")
    assert len(gauger.prepare(gauger.open_table([base / "000.parquet"]), key="who", features=["visits"]).keys) == 300
    with pytest.raises(errors.MissingFileError, match="no file is called like"):
        _segmented(str(tmp_path / "basis" / "*.parquet"), tmp_path / "out")


def test_a_study_out_of_core_is_looked_at_by_its_sample_and_named(table: pd.DataFrame, tmp_path: Path) -> None:
    split(tmp_path / "base", table, [300], 100)
    made = _segmented(tmp_path / "base", tmp_path / "out")
    study = gauger.open_study(made.path)
    assert len(study.table) == 100
    assert "sample-of-all" in {remark.code for remark in gauger.remarks.remarks_of(study.table)}
    assert study.segmentation.noun.many == "sampled customers"
    assert np.array_equal(study.segmentation.codes, made.sample.codes)
    named = gauger.name_study(made.path, {1: "regulars"})
    part = pd.read_parquet(made.path / "assignments" / "000.parquet")
    assert set(part.loc[part["segment"] == 1, "segment_name"]) == {"regulars"}
    assert named.names[1] == "regulars"
    table.loc[0, "visits"] = 99.0
    pq.write_table(pa.Table.from_pandas(table[:299]), tmp_path / "base" / "000.parquet")
    assert "source-changed" in {one.code for one in gauger.remarks.remarks_of(gauger.open_study(made.path).table)}


def test_a_model_assigns_whole_folders(table: pd.DataFrame, tmp_path: Path) -> None:
    split(tmp_path / "base", table, [200, 400], 90)
    made = _segmented(tmp_path / "base", tmp_path / "out")
    whole = made.model.assign(table)["segment"].tolist()
    for target in ("all.csv", "all.parquet", "parts"):
        done = made.model.assign(gauger.open_table(tmp_path / "base"), into=tmp_path / target)
        path = tmp_path / target
        files = sorted(path.glob("*.parquet")) if path.is_dir() else [path]
        assert pd.concat([gauger.read_table(file) for file in files])["segment"].tolist() == whole
        assert done.sizes["customers"].sum() == len(table)


_UNDER_A_LIMIT = """
import resource, sys
import gauger
settings = {"key": "member_id", "transform": "log"}
def everyone(source, folder, count):
    base = gauger.open_table(source, execution=gauger.Execution(sample=2_000))
    seg = gauger.segment_by_kmeans(gauger.prepare(base, **settings), count, starts=2)
    gauger.save_study(seg, folder, replace=True)
    return seg.customers
everyone(sys.argv[1], sys.argv[2] + "-warm", 2)
used = int(open("/proc/self/statm").read().split()[0]) * resource.getpagesize()
resource.setrlimit(resource.RLIMIT_AS, (used + int(sys.argv[4]), used + int(sys.argv[4])))
if sys.argv[5] == "at once":
    table = gauger.read_table(sys.argv[3])
    gauger.segment_by_kmeans(gauger.prepare(table, key="member_id", transform="log"), 4)
else:
    print(everyone(sys.argv[3], sys.argv[2], 4))
"""


@pytest.mark.slow
def test_files_larger_than_what_memory_is_left_are_segmented(tmp_path: Path) -> None:
    write_many_members(5_000, tmp_path / "warm")
    write_many_members(1_000_000, tmp_path / "base")
    environment = {**os.environ, "GAUGER_THREADS": "1", "ARROW_DEFAULT_MEMORY_POOL": "system"}
    base = tmp_path / "base" / "members-0000.parquet"
    done = {}
    for way in ("out of core", "at once"):
        words = [str(tmp_path / "warm"), str(tmp_path / "out"), str(base), str(_ROOM), way]
        command = [sys.executable, "-c", _UNDER_A_LIMIT, *words]
        done[way] = subprocess.run(command, capture_output=True, text=True, env=environment, check=False)
    assert done["out of core"].returncode == 0, done["out of core"].stderr
    assert int(done["out of core"].stdout) == 1_000_000
    assert done["at once"].returncode != 0
    assert any(word in done["at once"].stderr.lower() for word in ("memory", "alloc")), done["at once"].stderr
