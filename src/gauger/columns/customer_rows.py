"""Results that are tables of customers go on into whatever takes an Arrow table."""

from abc import ABC, abstractmethod

import pandas as pd
import pyarrow as pa


class CustomerRows(ABC):
    """A result with a row a customer; polars, DuckDB and others take it as it is, by its Arrow stream."""

    @abstractmethod
    def customer_rows(self) -> pd.DataFrame:
        """A row a customer, the key first."""

    def to_arrow(self) -> pa.Table:
        """Give the rows of customers as an Arrow table.

        Returns
        -------
        pyarrow.Table
            As `customer_rows` has them; categories in an order keep it.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 2, 9, 10]})
        >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
        >>> seg.to_arrow().column_names
        ['who', 'segment', 'segment_name', 'distance']
        """
        return pa.Table.from_pandas(self.customer_rows(), preserve_index=False).replace_schema_metadata()

    def __arrow_c_stream__(self, requested_schema: object | None = None) -> object:
        return self.to_arrow().__arrow_c_stream__(requested_schema)
