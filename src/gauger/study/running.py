"""A run of a plan: read, prepare, study the count, segment, name, profile, compare, hand over; all of it or nothing."""

from collections.abc import Callable, Iterable, Iterator
from contextlib import ExitStack
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path

import pandas as pd

from gauger.campaigns import HandOffRules, database_of, holds_only_a_hand_off, write_hand_off
from gauger.choosing import CountStudy, study_counts
from gauger.errors import OutputError, SettingError
from gauger.features import FeatureSet, prepare
from gauger.models import load_model
from gauger.profiling import Comparison, Profile
from gauger.profiling import profile as profile_of
from gauger.progress import task
from gauger.remarks import Remark, remarks_of
from gauger.report import Contents, hand_off_page, report_page, write_sheets
from gauger.segmentation import Segmentation
from gauger.study.carrying import with_earlier_names
from gauger.study.comparing import compared
from gauger.study.finding import Found, advised, counts_asked, find_segments, remarks_with_method
from gauger.study.gathering import earlier_of, moves_since, parted, provenance_of
from gauger.study.opening import Study, open_study
from gauger.study.plan_parts import ComparePart, HandOffPart, KmeansPart, Plan, ReportPart, TreePart
from gauger.study.refusing import refuse_remarks
from gauger.study.results import study_results
from gauger.study.saving import Origin, add_study
from gauger.study.sources import (
    moved_part,
    moved_plan,
    parts_of,
    place_of,
    read_customers,
    read_source,
    shown_place,
)
from gauger.study.step_files import (
    add_comparison_files,
    add_count_files,
    add_profile_files,
)
from gauger.study.study_files import (
    COMPARE_FILES,
    COMPARE_FILES_OF_SOME,
    COUNT_FILES,
    MODEL,
    PROFILE_FILES,
    PROFILE_FILES_OF_SOME,
)
from gauger.tables import Results

_COUNTS, PROFILE_FOLDER, COMPARE_FOLDER, _HAND_OFF = "counts/", "profile/", "compare/", "hand-off/"
"""The folders of a run's steps, within the study's."""

REPORT, REPORT_BOOK = "report.html", "report.xlsx"
"""The files of a run's report."""

Told = Callable[[str, str], None]
Caution = Callable[[Iterable[Remark]], None]


@dataclass
class Run:
    """One run of a plan that stands in the folder `beside`."""

    plan: Plan
    beside: Path
    out: Path
    tell: Told
    caution: Caution
    databases: ExitStack = field(default_factory=ExitStack, init=False)

    def whole(self, *, replace: bool) -> Study:
        """Do it, into the folder; the study, opened."""
        steps = 6 + len(self.plan.compare) + (self.plan.hand_off is not None) + (self.plan.report is not None)
        with (
            study_results(self.out, replace=replace, sources=self.sources(), also=self.files()) as results,
            ExitStack() as self.databases,
            task("gauger run", steps) as advance,
        ):
            for _ in self._steps(results):
                advance(1)
        return open_study(self.out)

    def _steps(self, results: Results) -> Iterator[None]:
        table = read_customers(self.plan, self.beside, named=True)
        self.heed("Read", f"{len(table):,} customers from {self.place()}", remarks_of(table))
        yield
        features = prepare(table, **self.plan.preparation())
        of_the_method = remarks_with_method(self.plan.segments.method)
        remarks = [remark for remark in features.remarks if remark.code not in of_the_method]
        self.heed("Prepared", f"{features.headline()}: {', '.join(features.names)}", remarks)
        yield
        study = self.count_study(results, features)
        yield
        found = self.segments(features, study)
        yield
        found = self.names(found)
        plan = self._write_study(results, found, table)
        yield
        profile = self.profile(results, found, table)
        yield
        comparisons = []
        for number, part in enumerate(self.plan.compare, 1):
            comparisons.append(self.compare(results, found, table, part, f"{COMPARE_FOLDER}{number}/"))
            yield
        if self.plan.hand_off is not None:
            self.hand_off(results, found.seg, self.plan.hand_off, plan)
            yield
        if self.plan.report is not None:
            told = parted(found.count_study or found.radius_study)
            contents = Contents(found.seg, profile, *told, tuple(comparisons))
            self.report(results, self.plan.report, contents, rows=len(table), plan=plan)
            yield

    def heed(self, step: str, text: str, remarks: Iterable[Remark]) -> None:
        """Say what a step found; raises RefusedRemarkError for a remark that the plan does not accept."""
        told = tuple(remarks)
        self.tell(step, text)
        self.caution(told)
        refuse_remarks(self.plan, told)

    def count_study(self, results: Results, features: FeatureSet) -> CountStudy | None:
        """The study of the count, for methods that have one to choose."""
        if not isinstance(self.plan.segments, (KmeansPart, TreePart)):
            self.tell("Counts", f"not studied: {self.plan.segments.method} finds the count by itself")
            return None
        if isinstance(self.plan.segments, TreePart):
            self.tell("Counts", "studied on the tree, below")
            return None
        wanted = self.plan.counts
        study = study_counts(
            features,
            counts=counts_asked(wanted, features),
            starts=wanted.starts,
            max_iterations=wanted.max_iterations,
            seed=wanted.seed,
        )
        add_count_files(results, study, features, within=_COUNTS)
        advice = study.advice
        self.heed("Counts", f"{advice.headline()} {' '.join(advice.reasons[:2])}", study.remarks)
        return study

    def segments(self, features: FeatureSet, study: CountStudy | None) -> Found:
        """The segments that the plan wants, of as many as were advised where it leaves that open."""
        wanted = self.plan.segments
        if study is not None and isinstance(wanted, KmeansPart) and wanted.count == "auto":
            wanted = wanted.model_copy(update={"count": advised(study.advice)})
        found = find_segments(features, wanted)
        if not found.seg.count:
            raise SettingError("nobody is in a segment, so there is nothing to profile: change the plan's [segments].")
        sizes = ", ".join(f"{size:,}" for size in found.seg.sizes[:12])
        self.heed("Segments", f"{found.seg.headline()}: {sizes}", found.seg.remarks)
        return replace(found, count_study=found.count_study or study)

    def names(self, found: Found) -> Found:
        named = with_earlier_names(found, self.plan, self.beside, self.out)
        given = named.seg.given_names
        told = ", ".join(f"{number} {name}" for number, name in sorted(given.items())) or "none given yet"
        self.heed("Names", told, named.seg.remarks[len(found.seg.remarks) :])
        return named

    def _write_study(self, results: Results, found: Found, table: pd.DataFrame) -> Plan:
        parts = [
            None if part is None else moved_part(part, self.beside, self.out)
            for part in (self.plan.source, self.plan.events)
        ]
        origin = Origin(table, *parts)  # type: ignore[arg-type]
        return add_study(results, found, origin, base=self.moved(), made_at=self.time())

    def report(self, results: Results, part: ReportPart, contents: Contents, *, rows: int, plan: Plan) -> None:
        """The page and the workbook, with what the study's folder says of itself by now."""
        whole = replace(
            contents,
            migrations=moves_since(results.stage, earlier_of(self.plan, self.beside)),
            provenance=provenance_of(plan, results.stage, rows, with_keys=part.with_keys),
            title=part.title,
            with_keys=part.with_keys,
        )
        results.path(REPORT).write_text(report_page(whole), encoding="utf-8", newline="\n")
        if part.workbook:
            write_sheets(whole, results.path(REPORT_BOOK), assignments=False)
        self.heed("Reported", f"{REPORT}{f' and {REPORT_BOOK}' if part.workbook else ''}", ())

    def profile(self, results: Results, found: Found, table: pd.DataFrame) -> Profile:
        part = self.plan.profile.table
        other = [] if part is None else [read_source(part, self.beside, named="profile.table")]
        profile = profile_of(found.seg, [table, *other])
        add_profile_files(results, profile, found.seg, within=PROFILE_FOLDER)
        self.heed("Profile", self.in_short(profile), profile.remarks)
        return profile

    def in_short(self, profile: Profile) -> str:
        """What each segment may be called."""
        names = profile.suggested_names
        return "; ".join(f"{number} {names[number]}" for number in profile.numbers if number in names)

    def compare(
        self, results: Results, found: Found, table: pd.DataFrame, part: ComparePart, within: str
    ) -> Comparison:
        comparison = compared(found.seg, table, part, self.plan, self.beside)
        add_comparison_files(results, comparison, within=within)
        self.heed("Compared", comparison.answer or comparison.headline(), comparison.remarks)
        return comparison

    def hand_off(self, results: Results, who: Segmentation | pd.DataFrame, part: HandOffPart, plan: Plan) -> None:
        own = part.model_dump(exclude={"contacts", "suppress", "consent", "address"})
        settings = HandOffRules(
            **own,
            key=self.plan.key,
            suppress=None
            if part.suppress is None
            else read_source(part.suppress, self.beside, named="hand_off.suppress"),
            consent=None if part.consent == "none" else part.consent,
            address=None if part.address == "none" else part.address,
        )
        done = write_hand_off(
            who,
            read_source(part.contacts, self.beside, named="hand_off.contacts"),
            results.stage / _HAND_OFF,
            settings,
            page=hand_off_page,
            connection=self.databases.enter_context(database_of(part.format, part.campaign, results)),
            model=load_model(results.stage / MODEL) if (results.stage / MODEL).is_file() else None,
            made_at=datetime.fromisoformat(plan.made_at) if plan.made_at is not None else None,
        )
        self.heed("Handed off", done.headline(), done.remarks)

    def place(self) -> str:
        part = self.plan.events or self.plan.source
        assert part is not None
        return shown_place(part)

    def time(self) -> datetime | None:
        return None if self.plan.made_at is None else datetime.fromisoformat(self.plan.made_at)

    def moved(self) -> Plan:
        """The plan with the places of its other tables as seen from the study's folder."""
        return moved_plan(self.plan, self.beside, self.out)

    def sources(self) -> list[str]:
        return [place_of(part, self.beside) for part in parts_of(self.plan)]

    def files(self) -> list[str]:
        """The files of the steps, and those of an earlier hand-off, which go."""
        found = [f"{_COUNTS}{name}" for name in COUNT_FILES]
        found += [REPORT, REPORT_BOOK]
        found += [f"{PROFILE_FOLDER}{name}" for name in (*PROFILE_FILES, *PROFILE_FILES_OF_SOME)]
        for number in range(1, max(len(self.plan.compare), _earlier(self.out / COMPARE_FOLDER)) + 1):
            found += [f"{COMPARE_FOLDER}{number}/{name}" for name in (*COMPARE_FILES, *COMPARE_FILES_OF_SOME)]
        earlier = self.out / _HAND_OFF
        if earlier.is_dir() and any(earlier.iterdir()) and not holds_only_a_hand_off(earlier):
            raise OutputError(
                f"{earlier} holds other things than a hand-off, and they are not for replacing. Nothing was written: "
                "choose another place."
            )
        return [*found, *(f"{_HAND_OFF}{path.name}" for path in earlier.glob("*"))]


def _earlier(folder: Path) -> int:
    """How many comparisons an earlier run has left."""
    return max((int(path.name) for path in folder.glob("[0-9]*") if path.name.isdigit()), default=0)
