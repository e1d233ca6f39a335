"""Opening tables where they live: what is refused, what they say of themselves, and what is known of assignments."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import MissingFileError, SettingError, UnknownColumnError
from gauger.models.magnitudes import Magnitudes
from gauger.sources import BlockTable

TABLE = pd.DataFrame({"who": [f"c{row}" for row in range(60)], "visits": np.tile([1.0, 2.0, 30.0], 20)})


@dataclass(frozen=True)
class InMemory:
    """A part that counts how often it is read."""

    table: pa.Table
    read: list[int]
    called: str = "a part"
    rows: int | None = None

    def names(self, rules: object) -> list[str]:
        del rules
        return list(self.table.column_names)

    def blocks(self, columns: Sequence[str], rules: object) -> Iterator[pa.Table]:
        del rules
        self.read.append(1)
        yield self.table.select(list(columns))


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
    assert "60" in shown


def test_customers_are_counted_once_and_only_when_somebody_asks() -> None:
    read: list[int] = []
    base = BlockTable("mine", [InMemory(pa.Table.from_pandas(TABLE), read)])
    model = gauger.segment_by_kmeans(gauger.prepare(TABLE, key="who"), 2).model
    found = model.assign(base)
    assert read == []
    assert found.sizes["customers"].tolist() == [40, 20]
    assert found.remarks == ()
    assert len(read) == 1
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
