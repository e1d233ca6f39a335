"""A table in a database as a place where work is done: one transaction, in which sums and quantiles are asked for."""

import secrets
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager

import numpy as np
import pandas as pd
import pyarrow as pa

from gauger.columns import Values
from gauger.features import Preparation, Recipe
from gauger.models import AssignmentTally, SegmentModel
from gauger.profiling import Profile
from gauger.progress import task
from gauger.remarks import Remark
from gauger.sources.assignments import ASSIGNED, ASSIGNED_OTHERS
from gauger.sources.databases.assigned_counts import customers_for, tally_of
from gauger.sources.databases.batches import batches_of
from gauger.sources.databases.database_cautions import about_features
from gauger.sources.databases.database_moments import measured_in, moments_of
from gauger.sources.databases.database_profile import profile_relation
from gauger.sources.databases.database_quantiles import OrderedColumns
from gauger.sources.databases.database_samples import fetch_sample, fetch_without_keys
from gauger.sources.databases.database_starts import start_in
from gauger.sources.databases.database_survey import refuse_bad_keys, survey_table
from gauger.sources.databases.dialects import Dialect
from gauger.sources.databases.relations import NUMBERS, OTHER, Relation, relation_of
from gauger.sources.databases.segment_statistics import describe_segments
from gauger.sources.databases.table_customers import TableCustomers
from gauger.sources.databases.table_replacing import refuse_taken
from gauger.sources.databases.table_targets import TableTarget
from gauger.sources.databases.table_writing import (
    assignments_select,
    make_table,
    say_what_it_is,
    write_centres,
)
from gauger.sources.feature_columns import FeatureColumns, Steps
from gauger.sources.places import Description, KMeansStart, Measured, Scaling, Starts
from gauger.sources.surveys import Survey
from gauger.sources.treatment_learning import dropped_by
from gauger.tables import Mark, Session, TableName, sql_name, transaction
from gauger.wording import Noun

_SMALL, _FINE = 1e12, 1024.0
"""Values below which, and steps of a unit in which, a table is added up to see whether it has changed: chosen by us."""


class DatabasePlace:
    """A table or view in a database, in one transaction."""

    where = "in a database"

    def __init__(self, session: Session, url: str, table: str) -> None:
        self.session, self._url, self._table = session, url, table
        self._before: tuple[TableCustomers, tuple[object, ...]] | None = None

    @property
    def relation(self) -> Relation:
        """The table or view, with its columns."""
        return relation_of(self.session, self._table)

    def _customers(self, columns: FeatureColumns) -> TableCustomers:
        return TableCustomers(self.session, self.relation, columns)

    def _asked(self, asked: Preparation, seen: Survey) -> TableCustomers:
        dropped = dropped_by(asked.recipes())
        return self._customers(FeatureColumns(asked.key, asked.measures, {}, dropped, seen.not_a_number))

    def numeric(self, asked: Preparation) -> tuple[list[str], list[str]]:
        relation = self.relation
        relation.refuse_lacking(asked.columns)
        others = {name: kind for name, kind in relation.kinds.items() if name != asked.key and kind != OTHER}
        numbers = [name for name, kind in others.items() if kind in NUMBERS]
        return numbers, [name for name in others if name not in numbers]

    def survey(self, asked: Preparation, recipes: Mapping[str, Recipe], sample: int) -> Survey:
        del sample
        with task("reading the table"):
            return survey_table(self.session, self.relation, asked, recipes)

    def sample(self, asked: Preparation, seen: Survey, most: int) -> pd.DataFrame:
        return fetch_sample(self._asked(asked, seen), asked, seen.kept, most)

    def few(self, asked: Preparation, seen: Survey) -> pd.DataFrame:
        return fetch_without_keys(self._asked(asked, seen), asked)

    def ordered(
        self, columns: FeatureColumns, seen: Survey, shares: Mapping[str, Sequence[float]], sample: pd.DataFrame
    ) -> OrderedColumns:
        del seen, shares, sample
        return OrderedColumns(self._customers(columns))

    def means(self, columns: FeatureColumns, seen: Survey) -> Values:
        only = self._customers(FeatureColumns(columns.key, columns.measures, {}, columns.dropped, columns.not_a_number))
        ends = np.column_stack([seen.lows, seen.highs])
        return np.asarray(moments_of(self.session, only.untreated(), only.called, ends).means()[0])

    def measured(
        self, columns: FeatureColumns, steps: Steps, ends: Values, seen: Survey, guess: Steps, sample: pd.DataFrame
    ) -> Measured:
        del seen, guess, sample
        with task("learning features"):
            return measured_in(self._customers(columns), steps, ends)

    def started(self, scaling: Scaling, wanted: Starts) -> KMeansStart:
        customers = self._customers(scaling.columns)
        self._before = customers, _print_of(customers)
        return start_in(customers, scaling, wanted)

    def cautions(self, scaling: Scaling) -> Sequence[Remark]:
        return about_features(self._customers(scaling.columns), scaling)

    def described(
        self, scaling: Scaling, model: SegmentModel, sample: pd.DataFrame, target: TableTarget | None
    ) -> Description:
        customers = self._customers(scaling.columns)
        select = assignments_select(customers, model, others=False)
        if target is None:
            with self._placed_for_now(select) as into:
                return describe_segments(customers, scaling, into, len(model.segments), sample)
        self.refuse_taken(target)
        with task("writing segments"):
            make_table(self.session, target.segments, select)
        return describe_segments(customers, scaling, target.segments, len(model.segments), sample)

    def refuse_taken(self, target: TableTarget) -> None:
        """Raise DatabaseError where tables of a target are read, are there already, or were not made by Gauger."""
        refuse_taken(self.session, target.tables, [self.relation], replace=target.replace)

    def finish(self, model: SegmentModel, centres: pd.DataFrame, noun: Noun, target: TableTarget) -> None:
        """Write the centres next to the segments that were written, and on both tables what they are."""
        names, sizes = [one.name for one in model.segments], [one.customers for one in model.segments]
        write_centres(self.session, names, sizes, centres, target.centres)
        told = (
            f"Gauger {model.made_by}, {model.made_at}: {len(model.segments)} segments of "
            f"{noun.counted(model.customers)} of {self.relation.name.typed} by k-means on {', '.join(model.names)}; "
            f"learned from {model.fingerprint[:16]}."
        )
        texts = {target.segments: told, target.centres: f"Centres in original units. {told}"}
        say_what_it_is(self.session, texts, Mark(model.identity, target.token))

    def members(
        self, scaling: Scaling, model: SegmentModel, numbers: Sequence[int], names: Sequence[str], most: int
    ) -> pd.DataFrame:
        del scaling, model, numbers, most
        return pd.DataFrame(columns=list(names))  # nobody beyond the sample that was asked for

    def assigned(self, model: SegmentModel, gates: Values | None, target: TableTarget | None) -> AssignmentTally:
        customers = customers_for(self.session, self.relation, model)
        refuse_bad_keys(customers)
        if target is None:
            with self._placed_for_now(assignments_select(customers, model, gates, others=True)) as placed:
                return tally_of(customers, model, placed)
        name = target.segments
        refuse_taken(self.session, [name], [self.relation], replace=target.replace)
        make_table(self.session, name, assignments_select(customers, model, gates, others=True))
        noun = Noun.of_key(model.key)
        told = f"{noun.many} of {self.relation.name.typed} by the {model.headline()}, {model.made_at}."
        texts = {name: f"Gauger {model.made_by}: {told}"}
        say_what_it_is(self.session, texts, Mark(model.identity, target.token))
        return tally_of(customers, model, name)

    def assignments(
        self, model: SegmentModel, gates: Values | None, scaling: Scaling | None
    ) -> Iterator[pa.RecordBatch]:
        others = scaling is None
        customers = (
            customers_for(self.session, self.relation, model) if scaling is None else self._customers(scaling.columns)
        )
        select = assignments_select(customers, model, gates, others=others)
        columns = ASSIGNED_OTHERS if others else ASSIGNED
        yield from batches_of(self.session, self.relation, model.key, f"({select}) AS assigned", columns)

    def profiled(self, model: SegmentModel, columns: FeatureColumns, noun: Noun) -> Profile | None:
        with self._placed_for_now(assignments_select(self._customers(columns), model, others=False)) as into:
            return profile_relation(self.session, self.relation, into, model, noun)

    @contextmanager
    def _placed_for_now(self, select: str) -> Iterator[TableName]:
        """A temporary table of who is where."""
        name = f"described_{secrets.token_hex(6)}"
        self.session.rows(Dialect(self.session.dialect).temporary(name, select))
        yield TableName(None, name)
        self.session.rows(f"DROP TABLE {sql_name(name)}")

    def has_changed(self) -> bool:
        """Whether others have changed the table meanwhile; only PostgreSQL lets them."""
        if self.session.dialect != "postgres" or self._before is None:
            return False
        customers, before = self._before
        with transaction(self._url) as later:
            return _print_of(TableCustomers(later, customers.relation, customers.columns)) != before


def _print_of(customers: TableCustomers) -> tuple[object, ...]:
    """What shows that a table's customers are others: how many there are, and exact sums of what they hold."""
    dialect, asked = customers.dialect, ["COUNT(*)"]
    for one in customers.raw.values():
        small = f"CASE WHEN ABS({one}) < {_SMALL!r} THEN ({one}) * {_FINE!r} END"
        asked += [f"COUNT({one})", dialect.whole_sum(small)]
    return tuple(customers.session.row(f"SELECT {', '.join(asked)} FROM {customers.relation.sql}"))
