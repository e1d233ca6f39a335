"""Events in a folder, a pattern or a list of files come to the behaviour that one table comes to."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger import errors

WORDS = {"customer": "member_id", "when": "visited_on", "amount": "ticket_spend", "category": "film_kind"}


@pytest.fixture(scope="module")
def visits() -> pd.DataFrame:
    return gauger.read_table(gauger.demo_file("visits.csv"))[:6_000]


@pytest.mark.parametrize("ending", ["parquet", "csv"])
def test_folders_patterns_and_lists_are_one_table(visits: pd.DataFrame, ending: str, tmp_path: Path) -> None:
    paths = [
        gauger.write_table(visits.iloc[rows], tmp_path / f"{index}.{ending}")
        for index, rows in enumerate(np.array_split(np.random.default_rng(0).permutation(len(visits)), 3))
    ]
    whole = gauger.summarise_events(visits, **WORDS)
    for source in (tmp_path, str(tmp_path / f"*.{ending}"), paths):
        found = gauger.summarise_events(gauger.open_table(source, execution=gauger.Execution(memory="300MB")), **WORDS)
        pd.testing.assert_frame_equal(found, whole, check_dtype=False)
        assert found.attrs["events"] == whole.attrs["events"]
    told = gauger.summarise_events(gauger.open_table(tmp_path), into=tmp_path.parent / f"{ending}.parquet", **WORDS)
    written = gauger.read_table(tmp_path.parent / f"{ending}.parquet")
    pd.testing.assert_frame_equal(written, whole, check_dtype=False)
    assert told.facts["as_of"] == whole.attrs["as_of"]


def test_files_that_are_not_alike_and_memory_that_is_none_are_told(visits: pd.DataFrame, tmp_path: Path) -> None:
    gauger.write_table(visits[:50], tmp_path / "a.csv")
    gauger.write_table(visits[50:99].drop(columns="slot"), tmp_path / "b.csv")
    with pytest.raises(errors.TableFileError, match="differ in their columns: 'slot'"):
        gauger.summarise_events(tmp_path, **WORDS)
    with pytest.raises(errors.SettingError, match="memory='much' must be an amount"):
        gauger.summarise_events(
            gauger.open_table(tmp_path / "a.csv", execution=gauger.Execution(memory="much")), **WORDS
        )
    with pytest.raises(errors.TableFileError, match="no file that can be read in it"):
        (tmp_path / "none").mkdir()
        gauger.summarise_events(tmp_path / "none", **WORDS)
