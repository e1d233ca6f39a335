"""A run of a plan whose customers stay in their database: segments, profile and report are worked out there."""

from collections.abc import Iterator
from contextlib import ExitStack
from dataclasses import replace as with_values

from gauger.engine import Wanted
from gauger.errors import SettingError
from gauger.progress import task
from gauger.report import Contents
from gauger.study.block_study import as_sampled
from gauger.study.in_database import DatabaseRequest, destination_of, segment_there, told_features
from gauger.study.opening import Study, open_study
from gauger.study.plan import KmeansPart
from gauger.study.running import PROFILE_FOLDER, Run
from gauger.study.saving import study_results
from gauger.study.sources import place_of
from gauger.study.step_files import add_profile_files
from gauger.tables import Results, Session, frame_of, new_name, sql_name
from gauger.warehouse import profile_table
from gauger.wording import Noun


class DatabaseRun(Run):
    """One run of a plan that names a table of segments (`into`)."""

    def whole(self, *, replace: bool) -> Study:
        """Do it, into the database and the folder; the study, opened."""
        if self.plan.compare:
            raise SettingError(
                "a plan in a database compares nothing: leave [[compare]] out, or read the tables and compare them."
            )
        steps = 3 + (self.plan.hand_off is not None) + (self.plan.report is not None)
        request = self._request()
        with (
            study_results(self.out, replace=replace, also=self.files(), assignments=()) as results,
            task("gauger run", steps) as advance,
            ExitStack() as self.databases,
            request.session(results, self.plan.into) as session,
        ):
            for _ in self._steps_there(results, request, session, replace=replace):
                advance(1)
        return open_study(self.out)

    def _request(self) -> DatabaseRequest:
        part, preparation = self.plan.source, self.plan.preparation()
        assert part is not None
        assert part.table is not None
        return DatabaseRequest(
            place_of(part, self.beside, writes=True), part.table, preparation.pop("key"), preparation
        )

    def _steps_there(
        self, results: Results, request: DatabaseRequest, session: Session, *, replace: bool
    ) -> Iterator[None]:
        part, into = self.plan.segments, self.plan.into
        assert isinstance(part, KmeansPart)
        assert into is not None
        wanted = request.wanted(session, starts=part.starts, max_iterations=part.max_iterations, seed=part.seed)
        count = self._count(results, request, session, wanted, part)
        yield
        made = segment_there(
            session,
            request,
            destination_of(into, results, replace=replace),
            wanted,
            count,
            part.sample,
            made_at=self.time(),
        )
        sizes = ", ".join(f"{size:,}" for size in made.sizes[:12])
        told = f"{count} of {made.customers:,} customers by k-means in table {into}: {sizes}"
        self.heed("Segments", told, made.remarks)
        request.write(results, made, base=self.moved(), figures=self.plan.figures, made_at=self.time())
        yield
        noun = Noun.given(self.plan.noun, self.plan.key)
        profile = profile_table(session, request.table, into, made.model, noun)
        add_profile_files(results, profile, None, within=PROFILE_FOLDER)
        self.heed("Profile", self.in_short(profile), profile.remarks)
        yield
        if self.plan.hand_off is not None:
            names = [self.plan.key, "segment", "segment_name"]
            rows = session.rows(f"SELECT {', '.join(map(sql_name, names))} FROM {new_name(into).sql}")
            self.hand_off(results, frame_of(names, rows), self.plan.hand_off, self.plan)
            yield
        if self.plan.report is not None:
            contents = Contents(as_sampled(made.sample, made.customers), profile)
            self.report(results, self.plan.report, contents, rows=made.customers + made.left_out, plan=self.plan)
            yield

    def _count(
        self, results: Results, request: DatabaseRequest, session: Session, wanted: Wanted, part: KmeansPart
    ) -> int:
        """How many segments: as the plan says, or as a study of a sample advises."""
        if part.count != "auto":
            return part.count
        if part.sample is None:
            raise SettingError('count = "auto" studies customers who leave the database: say sample = how many.')
        study = self.count_study(results, told_features(session, request, with_values(wanted, sample=part.sample)))
        assert study is not None
        return study.advice.count
