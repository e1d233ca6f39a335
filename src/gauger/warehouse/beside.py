"""Customers beside the table that says which segment each is in."""

from collections.abc import Mapping
from dataclasses import dataclass

from gauger.tables import TableName, sql_name
from gauger.warehouse.customers import Customers


@dataclass(frozen=True, eq=False)
class Beside:
    """The customers of a table, and the table of their segments."""

    customers: Customers
    into: TableName

    def source(self, columns: Mapping[str, str]) -> str:
        """A select to take `segment` and expressions over the table from, by what they are called there."""
        key = sql_name(self.customers.key)
        told = [f"{expression} AS {name}" for name, expression in columns.items()]
        read = self.customers.dialect.select("as_read", [f"{key} AS customer", *told], self.customers.source)
        own = f"SELECT {key} AS member, segment FROM {self.into.sql}"
        selected = ", ".join(["segment", *columns])
        return f"(SELECT {selected} FROM {read} JOIN ({own}) AS assigned ON customer = member) AS beside"
