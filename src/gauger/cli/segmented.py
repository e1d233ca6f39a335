"""Customers with their segments: those of a study, or of a table and a file of assignments."""

from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from gauger.cli.customers import Customers, Place, customers_of
from gauger.cli.options import Preparation, Reading

if TYPE_CHECKING:
    import pandas as pd

    from gauger.segmentation import Segmentation


@dataclass(frozen=True, eq=False)
class SegmentedCustomers:
    """Customers and who of them is where; `other` is another table that a study is profiled against."""

    customers: Customers
    file: Path | None
    other: str | None = None
    other_reading: Reading = field(default_factory=Reading)

    @property
    def key(self) -> str:
        """The column that identifies a customer."""
        own = self.customers.preparation.key
        return own or self.customers.study.plan.key if self.customers.study is not None else str(own)

    @property
    def files(self) -> list[str]:
        """The files that are read."""
        own = [] if self.file is None else [str(self.file)]
        return [*self.customers.files, *own, *([self.other] if self.other else [])]

    @cached_property
    def table(self) -> "pd.DataFrame":
        """The customers' own table."""
        return self.customers.read() if self.customers.study is None else self._table_of_study

    @cached_property
    def _table_of_study(self) -> "pd.DataFrame":
        from gauger.cli import console
        from gauger.remarks import remarks_of

        assert self.customers.study is not None
        console.remarks(remarks_of(self.customers.study.table))
        return self.customers.study.table

    def profiled_table(self) -> "pd.DataFrame":
        """The table whose customers are listed."""
        return self.table if self.other is None else self.other_reading.read(self.other)

    def profiled_tables(self) -> "list[pd.DataFrame]":
        """The tables that segments are described by: the customers' own, and the other one typed or planned."""
        if self.other is not None:
            own = [] if self.customers.study is None else [self.table]
            return [*own, self.profiled_table()]
        study = self.customers.study
        return [self.table, *(study.other_tables if study is not None and self.file is None else [])]

    def assignments(self) -> "pd.DataFrame":
        """A row a customer with its segment."""
        from gauger.tables import read_table

        if self.file is not None:
            return read_table(self.file)
        assert self.customers.study is not None
        if self.other is not None:
            return self.customers.study.assignments_like(self.profiled_table())
        return self.customers.study.assignments

    def segmentation(self) -> "Segmentation | None":
        """The segments with the features that they were made of; None where those were not named."""
        preparation = self.customers.preparation
        named = self.customers.plan is not None or preparation.features or preparation.categories
        return self.with_features() if named else None

    def with_features(self) -> "Segmentation":
        """The segments, of the features typed, a plan's, or every number of the table."""
        from gauger.profiling import segmentation_from_assignments

        if self.customers.study is not None and self.file is None:
            return self.customers.study.segmentation
        return segmentation_from_assignments(
            self.customers.prepare(self.table), self.assignments(), method=str(self.file)
        )


def _refuse_preparation(preparation: Preparation) -> None:
    """Raise wrong usage for what a study knows and nobody may say otherwise once it has been segmented."""
    for one in fields(preparation):
        if getattr(preparation, one.name) is not None:
            flag = f"--{one.name.replace('_', '-')}"
            raise typer.BadParameter(f"a study knows how its features were made: leave {flag} out.", param_hint=flag)


def segmented_customers(
    source: str | None, place: Place, reading: Reading, preparation: Preparation, assignments: Path | None
) -> SegmentedCustomers:
    """What was typed: the folder of a study, or a table with its assignments."""
    if source is not None and Path(source).is_dir():
        _refuse_preparation(preparation)
        customers = customers_of(source, place, Reading(), preparation)
        other, rest = reading.table, replace(reading, table=None)
        if other is None and rest != Reading():
            customers = customers_of(source, place, rest, preparation)
        return SegmentedCustomers(customers, assignments, other, rest)
    customers = customers_of(source, place, reading, preparation)
    if assignments is None:
        raise typer.BadParameter(
            "say who is in which segment; or name the folder of a study.", param_hint="--assignments"
        )
    return SegmentedCustomers(customers, assignments)
