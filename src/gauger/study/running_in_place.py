"""A run of a plan whose customers stay where they live: in files that memory need not hold, or in their database."""

import shutil
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pandas as pd

from gauger.choosing import CountStudy
from gauger.errors import SettingError
from gauger.features import EventSummary, FeatureSet, Preparation, behaviour_of_files
from gauger.progress import task
from gauger.report import Contents
from gauger.sources import DatabaseTable, FileTable, PlacedTable, SegmentedEveryone, profile_table
from gauger.study.finding import Found
from gauger.study.gathering import parted
from gauger.study.opening import Study, open_study
from gauger.study.plan_parts import EventsPart, KmeansPart, SourcePart
from gauger.study.running import COMPARE_FOLDER, PROFILE_FOLDER, Run
from gauger.study.saving_everyone import Target, add_everyone
from gauger.study.sources import event_settings, moved_part, place_of, read_source
from gauger.study.step_files import add_profile_files
from gauger.study.study_files import BEHAVIOUR, read_assignments
from gauger.tables import ReadingRules, Results, frame_of, new_name, sql_name


class InPlaceRun(Run):
    """One run of a plan whose customers are not all read into memory."""

    def whole(self, *, replace: bool) -> Study:
        """Do it; the study, opened."""
        if self.plan.into is not None and self.plan.compare:
            raise SettingError(
                "a plan in a database compares nothing: leave [[compare]] out, or read the tables and compare them."
            )
        steps = 4 + len(self.plan.compare) + (self.plan.hand_off is not None) + (self.plan.report is not None)
        with self._table() as table:
            target = Target(table, self.plan.into, replace=replace)
            with (
                target.results(self.out, also=self.files()) as results,
                task("gauger run", steps) as advance,
                ExitStack() as self.databases,
                target.working(results) as place,
            ):
                for _ in self._steps_there(results, target, place):
                    advance(1)
        return open_study(self.out)

    @contextmanager
    def _table(self) -> Iterator[PlacedTable]:
        """Where the customers are: the plan's source, or the behaviour that its events come to."""
        part, events = self.plan.source, self.plan.events
        if self.plan.into is not None:
            assert part is not None
            assert part.table is not None
            yield DatabaseTable(place_of(part, self.beside, writes=True), part.table)
        elif events is None:
            assert part is not None
            reading: dict[str, Any] = part.reading()
            reading |= {"as_text": tuple(reading.get("as_text", ()))}
            yield FileTable(place_of(part, self.beside), ReadingRules(**reading))
        else:
            with TemporaryDirectory(prefix="gauger-") as scratch:
                behaviour = Path(scratch) / BEHAVIOUR
                self._summarise(events, behaviour)
                yield FileTable(str(behaviour))

    def _summarise(self, events: EventsPart, behaviour: Path) -> None:
        settings = event_settings(self.plan, self.beside)
        measures, as_of = settings.pop("measures"), settings.pop("as_of")
        everyone = None if self.plan.source is None else read_source(self.plan.source, self.beside, named="source")
        asked = EventSummary.given(None, settings, measures, everyone, as_of)
        told = behaviour_of_files(place_of(events, self.beside), behaviour, asked)
        self.heed("Summarised", f"{told.facts['events']:,} events, as of {told.facts['as_of']}", told.remarks)

    def _steps_there(self, results: Results, target: Target, place: Any) -> Iterator[None]:
        features = self._features(target.table)
        remarks = (*target.table.about_source(), *features.remarks)
        self.heed("Read", f"{features.customers:,} customers from {self.place()}: {', '.join(features.names)}", remarks)
        yield
        found = self.segments(features, self._counted(results, features))
        yield
        seg = found.seg
        model = target.assign(place, seg, results, self.time())
        source, events = self._sources_of_study(results, target)
        plan = add_everyone(
            results,
            seg,
            model,
            source,
            events=events,
            base=self.moved(),
            figures=self.plan.figures,
            into=self.plan.into,
        )
        yield
        shown, everyone = Found(seg.sample), seg.everyone
        assert isinstance(everyone, SegmentedEveryone)
        if isinstance(target.table, DatabaseTable):
            profile = profile_table(place.session, target.table.table, str(self.plan.into), model, seg.noun)
            add_profile_files(results, profile, None, within=PROFILE_FOLDER)
            self.heed("Profile", self.in_short(profile), profile.remarks)
        else:
            profile = self.profile(results, shown, everyone.sample_table)
        yield
        comparisons = []
        for number, part in enumerate(self.plan.compare, 1):
            comparisons.append(self.compare(results, shown, everyone.sample_table, part, f"{COMPARE_FOLDER}{number}/"))
            yield
        if self.plan.hand_off is not None:
            self.hand_off(results, self._assigned(results, target, place), self.plan.hand_off, plan)
            yield
        if self.plan.report is not None:
            contents = Contents(
                shown.seg, profile, *parted(found.count_study), tuple(comparisons), everyone=seg.customers
            )
            rows = seg.customers + everyone.left_out
            self.report(results, self.plan.report, contents, rows=rows, plan=plan)
            yield

    def _features(self, table: PlacedTable) -> FeatureSet:
        """The features, learned from everyone. No row leaves a database unless the plan says how many may, but for the
        features, without keys, of few customers."""
        segments = self.plan.segments
        assert isinstance(segments, KmeansPart)
        return table.learned(Preparation(**self.plan.preparation()), segments.sample, studied=False)

    def _counted(self, results: Results, features: FeatureSet) -> CountStudy | None:
        segments = self.plan.segments
        assert isinstance(segments, KmeansPart)
        if self.plan.into is not None and segments.count != "auto":
            self.tell("Counts", f"not studied: the plan says {segments.count}")
            return None
        if not len(features.keys):
            raise SettingError('count = "auto" studies customers who leave the database: say sample = how many.')
        return self.count_study(results, features)

    def _sources_of_study(self, results: Results, target: Target) -> tuple[SourcePart | None, EventsPart | None]:
        """Where the customers come from, as the study's folder sees it; behaviour is kept there."""
        own = self.plan.source
        source = None if own is None else moved_part(own, self.beside, self.out)
        if self.plan.events is not None:
            assert isinstance(target.table, FileTable)
            shutil.copyfile(Path(str(target.table.source)), results.path(BEHAVIOUR))
            return source, moved_part(self.plan.events, self.beside, self.out)
        if source is not None and isinstance(target.table, FileTable):
            source = source.model_copy(update={"bytes": target.table.bytes})
        return source, None

    def _assigned(self, results: Results, target: Target, place: Any) -> pd.DataFrame:
        """Who is in which segment, of everyone."""
        if target.into is None:
            return read_assignments(results.stage)
        names = [self.plan.key, "segment", "segment_name"]
        rows = place.session.rows(f"SELECT {', '.join(map(sql_name, names))} FROM {new_name(target.into).sql}")
        return frame_of(names, rows)
