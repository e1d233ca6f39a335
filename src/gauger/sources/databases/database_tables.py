"""Tables and views of a database, opened where they live."""

import datetime
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import pyarrow as pa

from gauger.columns import TableLook
from gauger.errors import SettingError
from gauger.features import EventSummary
from gauger.models import AssignmentTally, SegmentModel
from gauger.monitoring import CustomersNow
from gauger.progress import task
from gauger.remarks import Remark
from gauger.sources.assignments import ASSIGNED_OTHERS
from gauger.sources.databases.assigned_counts import customers_for, customers_now
from gauger.sources.databases.batches import batches_of
from gauger.sources.databases.database_behaviour import summarise_there
from gauger.sources.databases.database_look import look_at_relation
from gauger.sources.databases.database_place import DatabasePlace
from gauger.sources.databases.database_survey import refuse_bad_keys
from gauger.sources.databases.relations import relation_of
from gauger.sources.databases.table_targets import TableTarget
from gauger.sources.execution import Execution
from gauger.sources.open_tables import PlacedTable
from gauger.tables import Results, Session, transaction, without_password


class DatabaseTable(PlacedTable):
    """A table or view of PostgreSQL, DuckDB or SQLite, worked on inside the database; made by `open_table`."""

    rows_stay = True

    def __init__(
        self,
        url: str,
        table: str,
        execution: Execution | None = None,
        *,
        told: Callable[[str], None] | None = None,
    ) -> None:
        super().__init__(f"{table} in {without_password(url)}", execution)
        if self.execution.on_a_cluster:
            raise SettingError("cluster= and workers= are for files: a database does its own work.")
        self.url, self.table, self._told = url, table, told

    @contextmanager
    def _opened(self) -> Iterator[DatabasePlace]:
        with transaction(self.url, told=self._told) as session:
            yield DatabasePlace(session, self.url, self.table)

    @contextmanager
    def writing(self, results: Results | None, into: str | None) -> Iterator[DatabasePlace]:
        """The place, while work is done that writes a table `into`; before it is committed, the results that go with it
        are sealed."""

        @contextmanager
        def opened() -> Iterator[DatabasePlace]:
            def ready() -> None:
                if results is not None:
                    results.seal(self.url, into)

            with transaction(self.url, told=self._told, ready=ready) as session:
                yield DatabasePlace(session, self.url, self.table)

        with self.working(opened()) as place:
            yield place

    def _assign_into(
        self, model: SegmentModel, gates: Any, into: str, *, replace: bool
    ) -> tuple[AssignmentTally, tuple[Remark, ...], str]:
        target = TableTarget(str(into), replace)
        with self.working() as place:
            return place.assigned(model, gates, target), (), target.into

    def _written(self, target: str, model: SegmentModel) -> Iterator[pa.RecordBatch]:
        with transaction(self.url) as session:
            written = relation_of(session, target)
            yield from batches_of(session, written, model.key, written.sql, ASSIGNED_OTHERS)

    def looked_at(self, key: str | None, today: datetime.date) -> TableLook:
        with self.working() as place:
            return look_at_relation(place.session, place.relation, key, today)

    def now(self, model: SegmentModel) -> CustomersNow:
        with self.working() as place, task("comparing"):
            customers = customers_for(place.session, place.relation, model)
            refuse_bad_keys(customers)
            return customers_now(customers, model)

    def summarised(self, asked: EventSummary, into: str | None, *, replace: bool) -> Any:
        if into is None:
            raise SettingError("behaviour of events in a database is written there: say into which table (into=).")
        with self.working() as place:
            return summarise_there(place.session, place.relation, asked, into, replace=replace)

    def facts(self) -> dict[str, object]:
        with self.working() as place:
            session: Session = place.session
            (rows,) = session.row(f"SELECT COUNT(*) FROM {place.relation.sql}")
            return {"columns": f"{len(relation_of(session, self.table).kinds):,}", "rows": f"{int(rows):,}"}
