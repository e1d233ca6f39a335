"""A table that stays where it lives: what every verb of the library asks of one."""

import datetime
from abc import ABC, abstractmethod
from typing import Any

from gauger.readable import Readable


class OpenTable(Readable, ABC):
    """A table in files or in a database, opened by `open_table`; it is read where it lives, as often as it takes.

    `look`, `summarise_events`, `prepare`, `SegmentModel.assign` and `drift` take it as they take a DataFrame.

    See Also
    --------
    open_table : Opens one.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     base = gauger.open_table(gauger.write_table(table, f"{folder}/base.parquet"))
    ...     gauger.segment_by_kmeans(gauger.prepare(base, key="who"), 2).sizes.tolist()
    [3, 2]
    """

    @abstractmethod
    def looked_at(self, key: str | None, today: datetime.date) -> Any:
        """As `look` says: a `TableLook`."""

    @abstractmethod
    def prepared(self, asked: Any) -> Any:
        """As `prepare` says: the features of a `Preparation`."""

    @abstractmethod
    def summarised(self, asked: Any, into: str | None, *, replace: bool) -> Any:
        """As `summarise_events` says: the behaviour of an `EventSummary`."""

    @abstractmethod
    def assigned(self, model: Any, gate: float | str | None, into: str | None, *, replace: bool) -> Any:
        """As `SegmentModel.assign` says."""

    @abstractmethod
    def now(self, model: Any) -> Any:
        """The customers as `drift` needs them: a `CustomersNow`."""
