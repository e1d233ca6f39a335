"""Tables that stay where they live, and the verbs of the library on them, written once for every place."""

import datetime
from abc import abstractmethod
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import replace as replace_values
from threading import local
from typing import Any

import pandas as pd

from gauger.columns import OpenTable, TableLook, as_one_value
from gauger.features import FeatureSet, Preparation
from gauger.models import AssignmentTally, SegmentModel, gates_of
from gauger.monitoring import CustomersNow
from gauger.remarks import Remark
from gauger.sources.assignments import Assignments
from gauger.sources.execution import Execution
from gauger.sources.learning_everyone import learn_everyone
from gauger.sources.places import Place
from gauger.wording import Noun


class PlacedTable(OpenTable):
    """A table that stays where it lives; what it takes to open it for work is all that a place adds."""

    rows_stay = False
    """Whether no row leaves the place unless somebody says how many may."""

    def __init__(self, called: str, execution: Execution | None = None) -> None:
        self.called, self.execution = called, as_one_value(Execution, execution or Execution(), {}, "settings")
        self.remarks = ()
        self._at_work = local()

    @abstractmethod
    def _opened(self) -> AbstractContextManager[Place]:
        """The place, while work is done there."""

    @contextmanager
    def working(self, opened: AbstractContextManager[Any] | None = None) -> Iterator[Any]:
        """The place, while work is done there; work within work goes on in the same one, opened once."""
        current = getattr(self._at_work, "place", None)
        if current is not None:
            yield current
            return
        with self._opened() if opened is None else opened as place:
            self._at_work.place = place
            try:
                yield place
            finally:
                self._at_work.place = None

    def prepared(self, asked: Preparation) -> FeatureSet:
        """The features of a sample, treated as everyone is; they know everyone."""
        own = self.execution
        return self.features(asked, sampled=own.sampled, few=own.few)

    def learned(self, asked: Preparation, sample: int | None, *, studied: bool) -> FeatureSet:
        """The same by a sample of another size, if one is named. If none is, rows that stay are fetched only for a
        sample that is to be studied."""
        own = self.execution if sample is None else replace_values(self.execution, sample=sample)
        fetched = own.sampled if sample is not None or studied or not self.rows_stay else 0
        return self.features(asked, sampled=fetched, few=own.few)

    def features(self, asked: Preparation, *, sampled: int, few: int) -> FeatureSet:
        """The same with up to `sampled` customers fetched, and up to `few` of them all treated as in memory."""
        with self.working() as place:
            return learn_everyone(self, place, asked, sampled=sampled, few=few)

    def assigned(
        self, model: SegmentModel, gate: float | str | None, into: str | None, *, replace: bool
    ) -> Assignments:
        """Who is where by a model; written into a file, a folder or a table, if one is named."""
        gates = gates_of(model, gate)

        def batches() -> Iterator[Any]:
            with self.working() as place:
                yield from place.assignments(model, gates, None)

        def counted() -> tuple[pd.DataFrame, tuple[Remark, ...]]:
            with self.working() as place:
                tally = place.assigned(model, gates, None)
            return tally.table(model), tuple(tally.remarks(model))

        noun = Noun.of_key(model.key)
        if into is None:
            return Assignments(counted, batches, who=noun)
        tally, remarks, target = self._assign_into(model, gates, into, replace=replace)
        known = (tally.table(model), (*remarks, *tally.remarks(model)))
        return Assignments(lambda: known, lambda: self._written(target, model), target, noun)

    @abstractmethod
    def _assign_into(
        self, model: SegmentModel, gates: Any, into: str, *, replace: bool
    ) -> tuple[AssignmentTally, tuple[Remark, ...], Any]:
        """Assign everyone into a target: the tally, remarks on the source, and the target."""

    @abstractmethod
    def _written(self, target: Any, model: SegmentModel) -> Iterator[Any]:
        """What a target holds, in batches."""

    @abstractmethod
    def looked_at(self, key: str | None, today: datetime.date) -> TableLook: ...

    @abstractmethod
    def now(self, model: SegmentModel) -> CustomersNow: ...

    def about_source(self) -> tuple[Remark, ...]:
        """What there is to say of the source itself, before it is read."""
        return ()

    @abstractmethod
    def facts(self) -> dict[str, object]:
        """What is known of the table before it is read."""

    def headline(self) -> str:
        return f"{self.called}, read where it lives"

    def overview(self) -> pd.DataFrame:
        return pd.DataFrame({"value": self.facts()}).rename_axis("fact")
