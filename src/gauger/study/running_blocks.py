"""A run of a plan by blocks: what takes everyone is done over the files, what is looked at is a sample."""

import shutil
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from gauger.engine import Everyone
from gauger.errors import SettingError
from gauger.features import summarise_to_file
from gauger.progress import task
from gauger.report import Contents
from gauger.study.block_study import (
    FORMATS,
    BlockRequest,
    as_sampled,
    learn,
    segment,
    told_sample,
    working_on,
    write_block_study,
)
from gauger.study.files import BEHAVIOUR, read_assignments
from gauger.study.finding import Found
from gauger.study.gathering import parted
from gauger.study.opening import Study, open_study
from gauger.study.plan import EventsPart, KmeansPart, SourcePart
from gauger.study.running import COMPARE_FOLDER, Run
from gauger.study.sources import EVENT_SETTINGS, moved_part, place_of, read_source
from gauger.tables import Results


class BlockRun(Run):
    """One run of a plan whose customers memory need not hold."""

    def whole(self, *, replace: bool) -> Study:
        """Do it, into the folder; the study, opened."""
        steps = 5 + len(self.plan.compare) + (self.plan.hand_off is not None) + (self.plan.report is not None)
        with (
            self._request() as request,
            task("gauger run", steps) as advance,
            request.results(self.out, replace=replace, also=self.files()) as results,
            ExitStack() as self.databases,
            working_on(request) as everyone,
        ):
            for _ in self._block_steps(results, request, everyone):
                advance(1)
        return open_study(self.out)

    @contextmanager
    def _request(self) -> Iterator[BlockRequest]:
        """The customers' files: the plan's source, or the behaviour that its events come to."""
        preparation = self.plan.preparation()
        key = preparation.pop("key")
        if self.plan.events is None:
            assert self.plan.source is not None
            part = self.plan.source
            reading = part.reading()
            reading = {name: tuple(value) if name == "as_text" else value for name, value in reading.items()}
            yield BlockRequest.of(place_of(part, self.beside), key, preparation, reading, FORMATS[0])
            return
        with TemporaryDirectory(prefix="gauger-") as scratch:
            behaviour = Path(scratch) / BEHAVIOUR
            events, settings = self.plan.events, {name: getattr(self.plan.events, name) for name in EVENT_SETTINGS}
            everyone = None if self.plan.source is None else read_source(self.plan.source, self.beside, named="source")
            told = summarise_to_file(
                place_of(events, self.beside), behaviour, customers=everyone, **{**settings, "customer": key}
            )
            self.heed("Summarised", f"{told.facts['events']:,} events, as of {told.facts['as_of']}", told.remarks)
            yield BlockRequest.of(behaviour, key, preparation, {}, FORMATS[0])

    def _block_steps(self, results: Results, request: BlockRequest, everyone: Everyone) -> Iterator[None]:
        segments = self.plan.segments
        assert isinstance(segments, KmeansPart)
        sample = {} if segments.sample is None else {"sample": segments.sample}
        wanted = request.wanted(
            starts=segments.starts, max_iterations=segments.max_iterations, seed=segments.seed, **sample
        )
        learned = learn(results, request, wanted, everyone)
        features = told_sample(learned)
        read = f"{learned.survey.rows:,} customers by blocks from {self.place()}"
        self.heed("Read", f"{read}; {', '.join(features.names)}", (*request.parts.remarks, *features.remarks))
        yield
        study = self.count_study(results, features)
        yield
        count = segments.count if study is None or segments.count != "auto" else study.advice.count
        if not isinstance(count, int):
            raise SettingError('the plan does not say how many segments: [segments] count = a number, or "auto".')
        made = segment(results, request, wanted, learned, count, everyone, made_at=self.time())
        sizes = ", ".join(f"{size:,}" for size in made.sizes[:12])
        self.heed("Segments", f"{count} of {made.customers:,} customers by k-means: {sizes}", made.remarks)
        yield
        source, events = self._sources_of_study(results, request)
        plan = write_block_study(
            results, made, source, events=events, base=self.moved(), figures=self.plan.figures, made_at=self.time()
        )
        yield
        found, table = Found(as_sampled(made.sample, made.customers)), learned.sample_table
        profile = self.profile(results, found, table)
        yield
        comparisons = []
        for number, part in enumerate(self.plan.compare, 1):
            comparisons.append(self.compare(results, found, table, part, f"{COMPARE_FOLDER}{number}/"))
            yield
        if self.plan.hand_off is not None:
            self.hand_off(results, read_assignments(results.stage), self.plan.hand_off, plan)
            yield
        if self.plan.report is not None:
            contents = Contents(found.seg, profile, *parted(study), tuple(comparisons))
            self.report(results, self.plan.report, contents, rows=made.customers, plan=plan)
            yield

    def _sources_of_study(self, results: Results, request: BlockRequest) -> tuple[SourcePart | None, EventsPart | None]:
        """Where the customers come from, as the study's folder sees it; behaviour is kept there."""
        if self.plan.events is None:
            assert self.plan.source is not None
            return moved_part(self.plan.source, self.beside, self.out).model_copy(
                update={"bytes": request.parts.bytes}
            ), None
        shutil.copyfile(Path(str(request.source)), results.path(BEHAVIOUR))
        source = None if self.plan.source is None else moved_part(self.plan.source, self.beside, self.out)
        return source, moved_part(self.plan.events, self.beside, self.out)
