"""Another place for customers: Stata files, which pandas reads chunk by chunk, opened for every verb of the library.

Run it from anywhere: `python examples/another_place.py [FOLDER]`.
"""

import sys
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import pandas as pd
import pyarrow as pa

import gauger
from gauger.sources import BlockTable

MOST_ROWS = 65_536


@dataclass(frozen=True)
class StataPart:
    """One file: what messages call it, how many rows it has where that is known, its columns, and its rows."""

    file: Path
    rows: int | None = None

    @property
    def called(self) -> str:
        return str(self.file)

    def names(self, rules: object) -> list[str]:
        del rules  # how text files are read; a Stata file knows its types
        with pd.read_stata(self.file, iterator=True) as reader:
            return list(reader.variable_labels())

    def blocks(self, columns: Sequence[str], rules: object) -> Iterator[pa.Table]:
        del rules
        wanted = list(columns)
        with pd.read_stata(self.file, columns=wanted, convert_categoricals=False, chunksize=MOST_ROWS) as chunks:
            for chunk in chunks:
                yield pa.table({name: _column(chunk[name]) for name in wanted})


def _column(values: pd.Series) -> pa.Array:
    """A column of one type in every chunk; text that is empty is missing, for Stata has no other gap in text."""
    if pd.api.types.is_numeric_dtype(values):
        return pa.array(values, from_pandas=True)
    return pa.array([str(one) if one else None for one in values], pa.string())


def open_stata(files: Sequence[Path], execution: gauger.Execution | None = None) -> gauger.OpenTable:
    """Open Stata files where they are, one part each."""
    return BlockTable(f"{len(files)} Stata files", [StataPart(file) for file in files], execution)


def main(folder: Path) -> None:
    """Segment the demo's members from two Stata files, in blocks, and assign them again."""
    visits = gauger.read_table(gauger.demo_file("visits.csv"))
    columns = gauger.EventColumns("member_id", "visited_on", amount="ticket_spend", event_key="visit_id")
    behaviour = gauger.summarise_events(visits, columns).drop(columns="first_seen")
    files = [folder / "north.dta", folder / "south.dta"]
    folder.mkdir(parents=True, exist_ok=True)
    for file, part in zip(files, (behaviour[::2], behaviour[1::2]), strict=True):
        part.to_stata(file, write_index=False)

    base = open_stata(files)
    features = gauger.prepare(base, key="member_id", features=["visits", "recency_days", "spend_mean"], cap=(0, 0.99))
    segments = gauger.segment_by_kmeans(features, 4)
    print(segments)
    print(segments.model.assign(base, into=folder / "assigned.parquet", gate="learned", replace=True).headline())


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="another-place-")))
