"""The customers of a table: how their features are read and treated, in one select inside the other."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from gauger.engine import Steps
from gauger.features import Indicator, Treatment, sql_layers, sql_raw
from gauger.tables import Row, Session, sql_name
from gauger.warehouse.dialects import Dialect
from gauger.warehouse.relations import DECIMAL, FLOAT, Relation


@dataclass(frozen=True, eq=False)
class Customers:
    """Customers in a database: the key, the measures, the indicators by name, whom a gap leaves out, and which measures
    hold NaN."""

    session: Session
    relation: Relation
    key: str
    measures: tuple[str, ...]
    indicators: Mapping[str, Indicator] = field(default_factory=dict)
    dropped: tuple[str, ...] = ()
    not_a_number: frozenset[str] = frozenset()

    @property
    def dialect(self) -> Dialect:
        """The words of the database."""
        return Dialect(self.session.dialect)

    @property
    def names(self) -> tuple[str, ...]:
        """The features, measures first."""
        return (*self.measures, *self.indicators)

    def known(self, column: str) -> str:
        """A measure as a number, NULL where there is none."""
        number = self.relation.number(column)
        return self.dialect.known(number) if column in self.not_a_number else number

    @property
    def numbers(self) -> dict[str, str]:
        """How measures become numbers, by column."""
        own = {one.column for one in self.indicators.values() if one.level is None}
        return {name: self.known(name) for name in (*self.measures, *own)}

    @property
    def raw(self) -> dict[str, str]:
        """The features as they are read, by name."""
        measures = {name: self.known(name) for name in self.measures}
        return measures | {
            name: sql_raw(one.column, one, self.session.dialect, self.numbers.get(one.column))
            for name, one in self.indicators.items()
        }

    @property
    def written_key(self) -> str:
        """The key as results have it: floating-point numbers, which are whole, as whole numbers."""
        key = sql_name(self.key)
        return f"CAST({key} AS BIGINT)" if self.relation.kinds[self.key] == FLOAT else key

    @property
    def source(self) -> str:
        """The table, without those whom gaps leave out."""
        return self.source_where()

    def source_where(self, *tests: str) -> str:
        """The same with further conditions, none of which names what is selected."""
        kept = [
            f"{self.known(name) if name in self.not_a_number else sql_name(name)} IS NOT NULL" for name in self.dropped
        ]
        both = [*kept, *tests]
        return f"{self.relation.sql}{' WHERE ' if both else ''}{' AND '.join(both)}"

    def treated(self, treatments: Mapping[str, Sequence[Treatment]], also: Mapping[str, str] | None = None) -> str:
        """A select to take treated features from, f1, f2 … in their order, and other columns by what they are called
        there: expressions over the table."""
        columns = {name: f"f{at}" for at, name in enumerate(self.names, 1)}
        raw = {columns[name]: expression for name, expression in self.raw.items()}
        layers = sql_layers(raw, {columns[name]: steps for name, steps in treatments.items()})
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

    def rows(self, statement: str) -> list[Row]:
        """What a statement gives."""
        return self.session.rows(statement)

    def floats(self) -> list[str]:
        """The measures that may hold NaN."""
        return [name for name in self.measures if self.relation.kinds[name] in (FLOAT, DECIMAL)]
