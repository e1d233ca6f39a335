"""Customers in a table of a database, as selects that give their features, treated or as they are read."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from gauger.features import Treatment, sql_layers, sql_raw
from gauger.sources.databases.dialects import Dialect
from gauger.sources.databases.relations import DECIMAL, FLOAT, Relation
from gauger.sources.feature_columns import FeatureColumns, Steps
from gauger.tables import Session, TableName, sql_name


@dataclass(frozen=True, eq=False)
class TableCustomers:
    """The customers of a table, and the columns that their features are made of."""

    session: Session
    relation: Relation
    columns: FeatureColumns

    @property
    def dialect(self) -> Dialect:
        """The words of the database."""
        return Dialect(self.session.dialect)

    @property
    def key(self) -> str:
        """The column that identifies a customer."""
        return self.columns.key

    @property
    def names(self) -> tuple[str, ...]:
        """The features, measures first."""
        return self.columns.names

    @property
    def called(self) -> list[str]:
        """What the features are called in selects: f1, f2 … in their order."""
        return [f"f{at}" for at in range(1, len(self.names) + 1)]

    def of_one(self, name: str) -> "TableCustomers":
        """The same with one feature alone."""
        indicators = self.columns.indicators
        one = (
            replace(self.columns, measures=(), indicators={name: indicators[name]})
            if name in indicators
            else replace(self.columns, measures=(name,), indicators={})
        )
        return replace(self, columns=one)

    def known(self, column: str) -> str:
        """A measure as a number, NULL where there is none."""
        number = self.relation.number(column)
        return self.dialect.known(number) if column in self.columns.not_a_number else number

    @property
    def raw(self) -> dict[str, str]:
        """The features as they are read, by name."""
        indicators = self.columns.indicators
        flagged = {one.column: self.known(one.column) for one in indicators.values() if one.level is None}
        return {name: self.known(name) for name in self.columns.measures} | {
            name: sql_raw(one.column, one, self.session.dialect, flagged.get(one.column))
            for name, one in indicators.items()
        }

    @property
    def written_key(self) -> str:
        """The key as results have it: decimal numbers, which are whole, as whole numbers."""
        key = sql_name(self.key)
        return f"CAST({key} AS BIGINT)" if self.relation.kinds[self.key] in (FLOAT, DECIMAL) else key

    @property
    def source(self) -> str:
        """The table, without the customers that gaps leave out."""
        return self.source_where()

    def source_where(self, *tests: str) -> str:
        """The same with further conditions, none of which names what is selected."""
        kept = [
            f"{self.known(name) if name in self.columns.not_a_number else sql_name(name)} IS NOT NULL"
            for name in self.columns.dropped
        ]
        both = [*kept, *tests]
        return f"{self.relation.sql}{' WHERE ' if both else ''}{' AND '.join(both)}"

    def treated(self, treatments: Mapping[str, Sequence[Treatment]], also: Mapping[str, str] | None = None) -> str:
        """A select to take treated features from, f1, f2 … in their order, and other columns by what they are called
        there: expressions over the table."""
        called = dict(zip(self.names, self.called, strict=True))
        raw = {called[name]: expression for name, expression in self.raw.items()}
        layers = sql_layers(raw, {called[name]: steps for name, steps in treatments.items()})
        others = dict(also or {})
        before = self.source
        for at, layer in enumerate(layers, 1):
            own = {**others, **layer}
            selected = [told if told == name else f"{told} AS {name}" for name, told in own.items()]
            before = self.dialect.select(f"treated_{at}", selected, before)
            others = {name: name for name in others}
        return before

    def treated_by(self, steps: Steps, also: Mapping[str, str] | None = None) -> str:
        """The same by steps in the order of the features."""
        return self.treated(dict(zip(self.names, steps, strict=True)), also)

    def untreated(self) -> str:
        """A select to take the features from as they are read."""
        return self.treated(dict.fromkeys(self.names, ()))

    def with_segments(self, into: TableName, columns: Mapping[str, str]) -> str:
        """A select to take `segment`, which another table says, and expressions over this one from, by what they are
        called there."""
        key = sql_name(self.key)
        told = [f"{expression} AS {name}" for name, expression in columns.items()]
        read = self.dialect.select("as_read", [f"{self.written_key} AS customer", *told], self.source)
        own = f"SELECT {key} AS member, segment FROM {into.sql}"
        selected = ", ".join(["segment", *columns])
        return f"(SELECT {selected} FROM {read} JOIN ({own}) AS assigned ON customer = member) AS with_segments"

    def floats(self) -> list[str]:
        """The measures that may hold NaN."""
        return [name for name in self.columns.measures if self.relation.kinds[name] in (FLOAT, DECIMAL)]
