"""Opening tables where they live: what is refused, what they say of themselves, and what is known of assignments."""

import contextlib
import re
import sqlite3
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import KeyColumnError, MissingFileError, SettingError, UnknownColumnError
from gauger.models.magnitudes import Magnitudes
from gauger.sources import BlockTable
from gauger.sources.bottom_rows import BottomRows
from gauger.sources.databases.column_traits import skew_of
from gauger.sources.files.block_tables import sampled_rows
from gauger.wording import CUSTOMER, Noun

TABLE = pd.DataFrame({"who": [f"c{row}" for row in range(60)], "visits": np.tile([1.0, 2.0, 30.0], 20)})


@dataclass(frozen=True)
class InMemory:
    """A part that counts how often it is read."""

    table: pa.Table
    read: list[int]
    called: str = "a part"
    rows: int | None = None
    size: int = 1_000

    def names(self, rules: object) -> list[str]:
        del rules
        return list(self.table.column_names)

    def blocks(self, columns: Sequence[str], rules: object) -> Iterator[pa.Table]:
        del rules
        self.read.append(1)
        for start in range(0, self.table.num_rows, self.size):
            yield self.table.select(list(columns)).slice(start, self.size)


@pytest.mark.parametrize(
    ("settings", "message"),
    [
        ({"sample": -1}, "sample=-1 must be a whole number from 0 up"),
        ({"sample": 2.5}, "sample=2.5 must be a whole number from 0 up"),
        ({"sample": True}, "sample=True must be a whole number from 0 up"),
        ({"workers": 0}, "workers=0 must be a whole number from 1 up"),
        ({"workers": 2, "cluster": "tcp://here:8786"}, "leave it out with cluster="),
    ],
)
def test_wrong_executions_are_refused(settings: dict[str, Any], message: str) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.Execution(**settings)


@pytest.mark.parametrize(
    ("source", "settings", "error", "message"),
    [
        ("base.csv", {"table": "t"}, SettingError, "table= names a table of a database"),
        ("sqlite:///shop.db", {}, SettingError, "say which table or view"),
        ("sqlite:///shop.db", {"table": "t", "decimal": ","}, SettingError, "how text is read is for files"),
        ("sqlite:///shop.db", {"table": "t", "execution": gauger.Execution(workers=2)}, SettingError, "are for files"),
        ("base.csv", {"execution": 5}, SettingError, "5 cannot be given here: .* as one Execution"),
        ("nowhere.csv", {}, MissingFileError, "nowhere.csv"),
    ],
)
def test_sources_that_cannot_be_opened_are_refused(
    source: str,
    settings: dict[str, Any],
    error: type[Exception],
    message: str,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.chdir(tmp_path)
    gauger.write_table(TABLE, tmp_path / "base.csv")
    with pytest.raises(error, match=message):
        gauger.open_table(source, **settings)


def test_files_are_never_without_a_sample(tmp_path: Path) -> None:
    gauger.write_table(TABLE, tmp_path / "base.csv")
    base = gauger.open_table(tmp_path / "base.csv", execution=gauger.Execution(sample=0))
    with pytest.raises(SettingError, match=r"sample=0 \(--sample 0\) is for a database"):
        gauger.prepare(base, key="who")
    with pytest.raises(SettingError, match=r"sample=0 \(--sample 0\) is for a database"):
        gauger.look(base)


def test_a_look_at_more_rows_than_its_sample_sees_some_of_them_in_their_order(tmp_path: Path) -> None:
    rows = 150_000
    table = pd.DataFrame({"who": np.arange(rows), "visits": np.arange(rows) % 7, "visits row": "x"})
    gauger.write_table(table, tmp_path / "base.parquet")
    base = gauger.open_table(tmp_path / "base.parquet")
    parts = base.parts_with([])  # type: ignore[attr-defined]
    counted, some = sampled_rows(parts, 1_000)
    assert counted == rows
    assert len(some) == 1_000
    assert some["who"].is_monotonic_increasing
    assert some.equals(table.loc[some["who"]].reset_index(drop=True).astype(some.dtypes))
    assert abs(some["who"].mean() / rows - 0.5) < 0.05  # five standard errors
    assert sampled_rows(parts, rows)[1]["who"].tolist() == table["who"].tolist()


@given(st.lists(st.floats(0.0, 1.0), max_size=60), st.integers(1, 12), st.integers(1, 9))
def test_rows_beyond_the_limit_are_never_among_the_smallest(numbers: list[float], size: int, block: int) -> None:
    found = BottomRows(size, np.empty(0), pa.table({}))
    for start in range(0, len(numbers), block):
        own = np.array(numbers[start : start + block])
        own = own[own <= found.limit]
        found += BottomRows(size, own, pa.table({"number": own}))
    assert found.trimmed().order.tolist() == sorted(numbers)[:size]
    assert len(found.order) <= 2 * size + block


def test_a_study_of_a_place_that_no_plan_can_name_is_refused_before_anything_is_written(tmp_path: Path) -> None:
    base = BlockTable("mine", [InMemory(pa.Table.from_pandas(TABLE), [])])
    seg = gauger.segment_by_kmeans(gauger.prepare(base, key="who"), 2)
    with pytest.raises(SettingError, match="mine: a study reads its customers again from files or a database"):
        gauger.save_study(seg, tmp_path / "study")
    gauger.write_table(TABLE, tmp_path / "base.csv")
    several = gauger.open_table([tmp_path / "base.csv"])
    with pytest.raises(SettingError, match="a study names one source"):
        gauger.save_study(gauger.segment_by_kmeans(gauger.prepare(several, key="who"), 2), tmp_path / "study")
    assert not (tmp_path / "study").exists()


@pytest.mark.parametrize("row", [0, 59])
def test_every_block_is_asked_whether_its_keys_are_whole(row: int) -> None:
    model = gauger.segment_by_kmeans(gauger.prepare(TABLE, key="who"), 2).model
    whole = TABLE.assign(who=np.arange(60.0))
    odd = whole.assign(who=whole["who"].where(whole.index != row, 0.5))
    base, other = (BlockTable("mine", [InMemory(pa.Table.from_pandas(one), [], size=25)]) for one in (whole, odd))
    assert model.assign(base).to_pandas()["who"].tolist() == list(range(60))
    for verb in (
        model.assign,
        lambda table: gauger.drift(model, table),
        lambda table: gauger.prepare(table, key="who"),
    ):
        with pytest.raises(KeyColumnError, match="not whole"):
            repr(verb(other))


def test_keys_of_sqlite_that_are_partly_numbers_are_text_in_every_batch(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gauger.sources.databases.batches._ROWS", 20)
    keys = [*range(40), *(f"c{row}" for row in range(20))]
    with contextlib.closing(sqlite3.connect(tmp_path / "shop.db")) as shop:
        shop.execute("CREATE TABLE base (who, visits REAL)")
        shop.executemany("INSERT INTO base VALUES (?, ?)", zip(keys, TABLE["visits"].tolist(), strict=True))
        shop.commit()
    base = gauger.open_table(f"sqlite:///{tmp_path / 'shop.db'}", table="base")
    found = gauger.segment_by_kmeans(gauger.prepare(base, key="who"), 2).assignments
    assert sorted(found.to_pandas()["who"]) == sorted(map(str, keys))


@given(st.lists(st.sampled_from([0.0, 1.0]), max_size=40))
def test_the_skew_of_noughts_and_ones_needs_no_more_than_their_sum(values: list[float]) -> None:
    ones = Fraction(int(sum(values)))
    expected = pd.Series(values, dtype=np.float64).skew() if len(set(values)) == 2 else np.nan
    assert skew_of(len(values), [ones, ones, ones]) == pytest.approx(expected, rel=1e-9, abs=1e-12, nan_ok=True)


def test_texts_about_everyone_are_not_said_of_a_sample() -> None:
    assert CUSTOMER.of_a_sample().said("60 of 3,000 customers") == "60 of 3,000 customers"
    shops = Noun.called("shop").of_a_sample()
    assert shops.said("60 of 3,000 customers") == "60 of 3,000 shops"
    assert (shops.counted(2), shops.of(1)) == ("2 sampled shops", "sampled shop")


def test_a_table_without_parts_and_a_column_that_no_part_has_are_refused() -> None:
    with pytest.raises(SettingError, match="no rows"):
        gauger.prepare(BlockTable("nothing", []), key="who")
    table = BlockTable("mine", [InMemory(pa.Table.from_pandas(TABLE), [])])
    with pytest.raises(UnknownColumnError, match="did you mean 'visits'"):
        gauger.prepare(table, key="who", features=["visit"])


def test_an_open_table_says_what_is_known_of_it(tmp_path: Path) -> None:
    gauger.write_table(TABLE, tmp_path / "base.parquet")
    shown = repr(gauger.open_table(tmp_path / "base.parquet"))
    assert "base.parquet, read where it lives" in shown
    assert re.search(r"size +\d kB", shown)
    assert "60" in shown


def test_customers_are_counted_once_and_only_when_somebody_asks() -> None:
    read: list[int] = []
    base = BlockTable("mine", [InMemory(pa.Table.from_pandas(TABLE), read)])
    model = gauger.segment_by_kmeans(gauger.prepare(TABLE, key="who"), 2).model
    found = model.assign(base)
    assert read == []
    assert found.sizes["customers"].tolist() == [40, 20]
    assert found.remarks == ()
    assert len(read) == 2  # how keys are written, then everyone
    assert sum(batch.num_rows for batch in found.to_arrow()) == 60
    assert found.into is None


@given(st.lists(st.floats(-1e300, 1e300) | st.floats(0.01, 100.0) | st.just(float("nan")), min_size=1, max_size=60))
def test_magnitudes_know_quartiles_in_any_number_of_blocks(values: list[float]) -> None:
    own = np.array(values)
    whole, parts = Magnitudes.of(own), Magnitudes.of(own[:7]) + Magnitudes.of(own[7:])
    assert (whole.counts == parts.counts).all()
    present = np.sort(own[np.isfinite(own)])
    assert whole.known == len(present)
    if len(present):
        exact = np.quantile(present, (0.25, 0.5, 0.75), method="inverted_cdf")
        assert whole.quartiles == pytest.approx(np.where(exact > 0.0, exact, 0.0), rel=0.017)


def test_where_only_a_table_in_memory_will_do_an_open_one_is_refused_with_the_way_on(tmp_path: Path) -> None:
    base = gauger.open_table(gauger.write_table(TABLE, tmp_path / "base.parquet"))
    seg = gauger.segment_by_kmeans(gauger.prepare(base, key="who"), 2)
    asked: list[Any] = [
        lambda: gauger.profile(seg, base),
        lambda: gauger.profile_assignments(seg.assignments, base, key="who"),
        lambda: gauger.hand_off(seg, base, tmp_path / "campaign", campaign="spring"),
        lambda: gauger.migration(seg, base, key="who"),
        lambda: gauger.write_table(base, tmp_path / "again.csv"),
    ]
    for ask in asked:
        with pytest.raises(SettingError, match=r"an open table stays where it is: gauger\.read_table"):
            ask()
    assert {one.name for one in tmp_path.iterdir()} == {"base.parquet"}
