"""Assigning a Parquet file block by block, against reading and writing the same file."""

import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as parquet

import gauger
from benchmarks.measuring import Measured, measure

_ROWS, _FEATURES, _BLOCK = 10_000_000, 6, 500_000


def run() -> Iterator[Measured]:
    """10,000,000 rows of 6 features, 8 segments, by the learned gate."""
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        _write(folder / "all.parquet")
        head = parquet.ParquetFile(folder / "all.parquet").read_row_group(0).to_pandas().head(20_000)
        seg = gauger.segment_by_kmeans(gauger.prepare(head, key="who", transform="log", cap=(0.0, 0.99)), 8, starts=2)
        model = gauger.build_model(seg)

        def assigned() -> None:
            base = gauger.open_table(folder / "all.parquet")
            model.assign(base, into=folder / "out.parquet", gate="learned", replace=True)

        def floor() -> None:
            source = parquet.ParquetFile(folder / "all.parquet", pre_buffer=False)
            with parquet.ParquetWriter(folder / "copy.parquet", source.schema_arrow) as writer:
                for block in source.iter_batches(131_072):
                    writer.write_batch(block)

        yield measure("assign a file, 10,000,000 x 6", assigned, floor, "reading and writing it", runs=3)


def _write(path: Path) -> None:
    rng = np.random.default_rng(0)
    writer = None
    for start in range(0, _ROWS, _BLOCK):
        columns = {f"f{at}": rng.gamma(2.0, 10.0, _BLOCK) for at in range(_FEATURES)}
        table = pa.table({"who": np.arange(start, start + _BLOCK), **columns})
        writer = writer or parquet.ParquetWriter(path, table.schema)
        writer.write_table(table)
    assert writer is not None
    writer.close()
