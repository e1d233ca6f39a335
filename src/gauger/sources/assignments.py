"""Who is in which segment, of customers who stay where they live: counts at once, rows in batches."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import chain
from pathlib import Path

import pandas as pd
import pyarrow as pa

from gauger.columns import stacked, to_pandas
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED_NAME
from gauger.wording import CUSTOMER, Noun

ASSIGNED = ("segment", "segment_name", "distance")
"""The columns after the key, of customers who were learned from."""
ASSIGNED_OTHERS = (*ASSIGNED, "why")
"""The same of other customers, who may be in no segment."""


@dataclass(repr=False, eq=False)
class Assignments(Readable):
    """Who is in which segment, of the customers of an OpenTable.

    It goes wherever a table of assignments is asked for, and into polars, DuckDB and others by its Arrow stream.

    Attributes
    ----------
    sizes : pandas.DataFrame
        How many customers are in each segment, the unassigned last where there are any.
    into : pathlib.Path or str, optional
        The file, the folder of parts, or the table that they were written into, if any.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    SegmentModel.assign : Makes one of an OpenTable.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 21, 23]})
    >>> model = gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2).model
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     base = gauger.open_table(gauger.write_table(table, f"{folder}/all.csv"))
    ...     found = model.assign(base, into=f"{folder}/segments.parquet")
    ...     found.sizes["customers"].tolist(), [batch.num_rows for batch in found.to_arrow()]
    ([2, 2], [4])
    """

    counted: Callable[[], tuple[pd.DataFrame, tuple[Remark, ...]]]
    batches: Callable[[], Iterator[pa.RecordBatch]]
    into: Path | str | None = None
    who: Noun = CUSTOMER

    def __post_init__(self) -> None:
        """Leave the remarks for when customers are counted."""

    @cached_property
    def _counted(self) -> tuple[pd.DataFrame, tuple[Remark, ...]]:
        return self.counted()

    @property
    def sizes(self) -> pd.DataFrame:
        """How many customers are in each segment: counted when first asked for, if nothing was written."""
        return self._counted[0]

    @property
    def remarks(self) -> tuple[Remark, ...]:  # type: ignore[override]
        """The cautions, which are known once customers are counted."""
        return self._counted[1]

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented."""
        return self.who

    def to_arrow(self) -> Iterator[pa.RecordBatch]:
        """Give everyone in batches, in constant memory, once customers have been counted and their keys checked.

        Returns
        -------
        iterator of pyarrow.RecordBatch
            The key, segment (0 for unassigned), segment_name, distance, and of other customers than those learned from
            why one is in no segment.

        Raises
        ------
        KeyColumnError
            If a key is missing, is not whole, or repeats.

        Examples
        --------
        >>> import gauger, pandas as pd, tempfile
        >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
        >>> with tempfile.TemporaryDirectory() as folder:
        ...     base = gauger.open_table(gauger.write_table(table, f"{folder}/base.parquet"))
        ...     found = gauger.segment_by_kmeans(gauger.prepare(base, key="who"), 2).assignments
        ...     next(found.to_arrow()).column_names
        ['who', 'segment', 'segment_name', 'distance']
        """
        _ = self._counted
        return self.batches()

    def __arrow_c_stream__(self, requested_schema: object | None = None) -> object:
        batches = self.to_arrow()
        first = next(batches, pa.RecordBatch.from_pydict({}))
        return pa.RecordBatchReader.from_batches(first.schema, chain([first], batches)).__arrow_c_stream__(
            requested_schema
        )

    def to_pandas(self) -> pd.DataFrame:
        """Give everyone as one DataFrame, which memory must hold.

        Returns
        -------
        pandas.DataFrame
            As `to_arrow` has them, and refused as it refuses them.

        Examples
        --------
        >>> import gauger, pandas as pd, tempfile
        >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
        >>> with tempfile.TemporaryDirectory() as folder:
        ...     base = gauger.open_table(gauger.write_table(table, f"{folder}/base.parquet"))
        ...     found = gauger.segment_by_kmeans(gauger.prepare(base, key="who"), 2).assignments
        ...     found.to_pandas()["segment"].tolist()
        [2, 2, 1, 1, 1]
        """
        return to_pandas(stacked(pa.Table.from_batches([batch]) for batch in self.to_arrow()))

    def headline(self) -> str:
        counts = self.sizes["customers"]
        everyone, left = int(counts.sum()), int(counts.get(UNASSIGNED_NAME, 0))
        rest = f", {left:,} unassigned" if left else ""
        where = f": {self.into}" if self.into is not None else ""
        return f"{self.noun.counted(everyone)} assigned{rest}{where}"

    def overview(self) -> pd.DataFrame:
        return self.sizes
