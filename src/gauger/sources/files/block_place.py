"""Customers in blocks as a place where work is done: parts, and the crew that reads them."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from operator import attrgetter
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa

from gauger.columns import KeyForm, Values
from gauger.errors import TableFileError
from gauger.features import Preparation, Recipe, numeric_columns
from gauger.models import AssignmentTally, SegmentModel, columns_of
from gauger.monitoring import CustomersNow
from gauger.profiling import Profile
from gauger.remarks import Remark
from gauger.sources.bottom_rows import share_let_through
from gauger.sources.exact_moments import SegmentMoments
from gauger.sources.feature_columns import FeatureColumns, Steps, treated
from gauger.sources.files.block_assigning import assign_part, assigned_blocks
from gauger.sources.files.block_placing import Placement, describe_blocks
from gauger.sources.files.block_reading import Reader
from gauger.sources.files.block_survey import Question, sample_table, survey
from gauger.sources.files.blocks_now import customers_now, sums_now
from gauger.sources.files.coreset_starts import converged_on, margin_for, stand_ins
from gauger.sources.files.crews import Crew, PartsAtWork
from gauger.sources.files.feature_measuring import CORESET, Draw, MeasuredPart, measure
from gauger.sources.files.file_parts import BlockPart, Parts, first_block
from gauger.sources.files.file_quantiles import OrderedBlocks
from gauger.sources.files.file_sums import FileSums, Working
from gauger.sources.files.key_columns import form_of_keys
from gauger.sources.files.rare_segments import customers_of_segments
from gauger.sources.files.repeated_keys import KeyedPart, refuse_repeated_keys
from gauger.sources.places import Description, KMeansStart, Measured, Scaling, Starts
from gauger.sources.surveys import Survey
from gauger.sources.treatment_learning import dropped_by
from gauger.wording import Noun

PartsWith = Callable[[Sequence[str]], Parts]
"""The parts of a table, once each has been found to have some columns."""


class BlockPlace:
    """A table in parts, while work is done on it; hashes of keys go into a `scratch` folder."""

    where = "out of core"

    def __init__(self, parts_with: PartsWith, crew: Crew, scratch: Path) -> None:
        self._parts_with, self._crew, self._scratch = parts_with, crew, scratch
        self._parts: Parts | None = None

    @property
    def parts(self) -> Parts:
        """All parts."""
        if self._parts is None:
            self._parts = self._parts_with(())
        return self._parts

    def _work(self) -> PartsAtWork:
        return PartsAtWork(self.parts.parts, self._crew)

    def _reader(self, columns: FeatureColumns) -> Reader:
        return Reader(columns, self.parts.rules)

    def numeric(self, asked: Preparation) -> tuple[list[str], list[str]]:
        self._parts = self._parts_with(asked.columns)
        if asked.features is not None:
            return [], []
        head = first_block(self.parts)
        numbers = list(numeric_columns(head, asked.key))
        return numbers, [name for name in head.columns if name != asked.key and name not in numbers]

    def survey(self, asked: Preparation, recipes: Mapping[str, Recipe], sample: int) -> Survey:
        self._parts = self._parts_with(asked.columns)
        question = Question(
            asked.key,
            asked.measures,
            asked.levelled,
            dropped_by(recipes),
            self.parts.rules,
            sample,
            share_let_through(sample, self.parts.rows),
            self._scratch,
        )
        seen: Survey = self._of_each_once(
            f"reading {self.parts.called()}",
            survey,
            [(question,)],
            asked.key,
            attrgetter("keys"),
        )
        return replace(seen, stamp=self.parts.stamp)

    def _of_each_once(
        self,
        name: str,
        work: Callable[..., KeyedPart],
        given: Sequence[tuple[Any, ...]],
        key: str,
        form_of: Callable[[Any], KeyForm],
    ) -> Any:
        """The results of all parts, added up, once every key has been found to be whole and none to repeat; `given` are
        the arguments before the part, for all parts or for each, and `form_of` says how keys are written."""
        parts = self._work()
        each = given if len(given) == len(parts.parts) else [given[0]] * len(parts.parts)
        held = parts.crew.hold(name, work, [(*own, part) for own, part in zip(each, parts.parts, strict=True)])
        found = parts.crew.total("adding up", attrgetter("found"), [(one,) for one in held])
        form = form_of(found)
        form.refuse_fractions(key)
        refuse_repeated_keys(key, form, parts, held, self.parts.rules, found.rows)
        return found

    def sample(self, asked: Preparation, seen: Survey, most: int) -> pd.DataFrame:
        del most  # the survey has drawn it
        return sample_table(seen)[list(asked.columns)]

    def few(self, asked: Preparation, seen: Survey) -> pd.DataFrame:
        return self.sample(asked, seen, seen.kept)

    def ordered(
        self, columns: FeatureColumns, seen: Survey, shares: Mapping[str, Sequence[float]], sample: pd.DataFrame
    ) -> OrderedBlocks:
        del seen
        return OrderedBlocks(self._reader(_measures_of(columns)), self._work(), shares, sample)

    def means(self, columns: FeatureColumns, seen: Survey) -> Values:
        reader, ends = self._reader(_measures_of(columns)), (seen.lows[None, :], seen.highs[None, :])
        moments: SegmentMoments = self._work().total("means", _moments_of, reader, *ends)
        return np.asarray(moments.means()[0])

    def measured(
        self, columns: FeatureColumns, steps: Steps, ends: Values, seen: Survey, guess: Steps, sample: pd.DataFrame
    ) -> Measured:
        scaled = treated(treated(columns.raw(sample), steps), guess)
        middle = scaled.mean(axis=1)
        square = float(((scaled - middle[:, None]) ** 2).sum(axis=0).mean())
        draw = Draw(guess, middle, square, share_let_through(CORESET, seen.kept))
        lows, highs = (np.ascontiguousarray(ends[:, at][None, :]) for at in (0, 1))
        found: MeasuredPart = self._work().total(
            "measuring features", measure, self._reader(columns), steps, lows, highs, draw
        )
        return Measured(found.moments, found.capped, found.coreset())

    def started(self, scaling: Scaling, wanted: Starts) -> KMeansStart:
        assert scaling.coreset is not None
        order, work, reader = scaling.order, self._work(), self._reader(scaling.columns)
        working = Working(scaling.treatments, tuple(order))
        columns, weights = scaling.coreset
        stands = stand_ins(columns[order], weights, wanted.count, reader, working, work)
        fit = converged_on(stands, wanted.count, wanted.starts, wanted.max_iterations, wanted.seed)
        sums = FileSums(
            reader,
            working,
            work,
            largest=np.abs(scaling.ends).max(axis=1)[order],
            spread=(scaling.means[order], scaling.survey.kept * float((scaling.deviations**2).sum())),
            margin=margin_for(stands, fit.best.centres, scaling.survey.kept),
        )
        return KMeansStart(fit.best.centres, fit.starts, sums, order)

    def cautions(self, scaling: Scaling) -> Sequence[Remark]:
        del scaling
        return ()  # the sample says more

    def described(
        self, scaling: Scaling, model: SegmentModel, sample: pd.DataFrame, target: Sequence[Path] | None
    ) -> Description:
        if scaling.survey.stamp != self.parts.stamp:
            raise TableFileError(
                f"{self.parts.called()} changed while it was read. Segment it again once nobody writes to it."
            )
        outs = [None] * len(self.parts.parts) if target is None else target
        return describe_blocks(self._placement(scaling, model), scaling, sample, self._work(), outs)

    def members(
        self, scaling: Scaling, model: SegmentModel, numbers: Sequence[int], names: Sequence[str], most: int
    ) -> pd.DataFrame:
        return customers_of_segments(self._placement(scaling, model), numbers, names, most, self._work())

    def _placement(self, scaling: Scaling, model: SegmentModel) -> Placement:
        return Placement(self._reader(scaling.columns), model, scaling.survey.keys)

    def assigned(self, model: SegmentModel, gates: Values | None, target: Sequence[Path] | None) -> AssignmentTally:
        self._parts = self._parts_with(columns_of(model))
        outs = [None] * len(self.parts.parts) if target is None else target
        form = self._form_of_keys(model.key)
        given = [(model, gates, self.parts.rules, form, self._scratch, out) for out in outs]
        working = f"assigning {self.parts.called()}"
        tally: AssignmentTally = self._of_each_once(working, assign_part, given, model.key, lambda _: form)
        return tally

    def assignments(
        self, model: SegmentModel, gates: Values | None, scaling: Scaling | None
    ) -> Iterator[pa.RecordBatch]:
        form = self._form_of_keys(model.key) if scaling is None else scaling.survey.keys
        for part in self.parts.parts:
            if scaling is None:
                blocks = assigned_blocks(model, gates, self.parts.rules, form, part)
            else:
                blocks = self._placement(scaling, model).blocks(part)
            for block in blocks:
                yield from block.to_batches()

    def _form_of_keys(self, key: str) -> KeyForm:
        """How all keys are written."""
        form: KeyForm = self._work().total("reading keys", form_of_keys, key, self.parts.rules)
        return form

    def profiled(self, model: SegmentModel, columns: FeatureColumns, noun: Noun) -> Profile | None:
        del model, columns, noun
        return None

    def compared(self, model: SegmentModel) -> CustomersNow:
        """The customers now, as `drift` needs them."""
        self._parts = self._parts_with(columns_of(model))
        form = self._form_of_keys(model.key)
        given = [(model, self.parts.rules, self._scratch)]
        return customers_now(model, self._of_each_once("comparing", sums_now, given, model.key, lambda _: form))

    def has_changed(self) -> bool:
        return False  # `described` compares the files with what they were


def _measures_of(columns: FeatureColumns) -> FeatureColumns:
    return FeatureColumns(columns.key, columns.measures, {}, columns.dropped)


def _moments_of(reader: Reader, lows: Values, highs: Values, part: BlockPart) -> SegmentMoments:
    found = SegmentMoments.none(lows, highs)
    for block in reader.customers(part):
        found = found.with_block(block.raw, np.zeros(block.size, dtype=np.int32))
    return found
