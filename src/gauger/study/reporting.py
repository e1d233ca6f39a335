"""The report of a study, or of segments made in Python: a page and a workbook, from everything that is known."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import replace as replace_in
from os import PathLike
from pathlib import Path

import numpy as np
import pandas as pd

from gauger.campaigns import Outcome
from gauger.choosing import CountStudy, RadiusStudy, study_counts, study_radius
from gauger.errors import SettingError
from gauger.models import load_model
from gauger.monitoring import Migration
from gauger.profiling import Comparison, Profile
from gauger.profiling import profile as profile_of
from gauger.progress import task
from gauger.report import Contents, Provenance, report_page, write_sheets
from gauger.segmentation import Segmentation
from gauger.study.comparing import compared
from gauger.study.files import MODEL
from gauger.study.finding import counts_around, find_segments, tree_of
from gauger.study.movement import migration_between
from gauger.study.opening import Study, open_study
from gauger.study.plan import DensityPart, KmeansPart, LevelsPart, Plan, TreePart
from gauger.study.plan_files import PLAN_FILE, from_environment
from gauger.study.sources import shown_place
from gauger.tables import result_folder

PAGE, WORKBOOK = ".html", ".xlsx"
"""The endings that say what a report is."""


def write_report(
    study: Study | Segmentation | str | PathLike[str],
    out: str | PathLike[str],
    *,
    profile: Profile | None = None,
    counts: CountStudy | RadiusStudy | None = None,
    comparisons: Iterable[Comparison] = (),
    earlier: Sequence[str | PathLike[str]] = (),
    outcomes: Iterable[Outcome] = (),
    source: str | None = None,
    period: tuple[str, str] | None = None,
    title: str | None = None,
    with_keys: bool = False,
    sample: int = 2_000,
    seed: int = 0,
    replace: bool = False,
) -> Path:
    """Write the report as one page that needs nothing besides itself, for whoever decides and whoever defends it.

    Parameters
    ----------
    study : Study, Segmentation or path
        A study, opened or its folder: what its plan has besides, such as comparisons, is told too. Of segments made in
        Python only what is given here is known.
    out : str or path-like
        The file, ending in .html.
    profile : Profile, optional
        Of the same segments; by default it is made of the study's tables.
    counts : CountStudy or RadiusStudy, optional
        Why there are so many; by default a study's is made again as its plan says.
    comparisons : iterable of Comparison
        More of them, of the same segments.
    earlier : sequence of path
        Folders of earlier studies: who moved since.
    outcomes : iterable of Outcome
        What came of campaigns.
    source : str, optional
        What the page calls the source; a study knows its own.
    period : (first, as of), optional
        The first day that was counted, and the day as of which; a study of events knows its own.
    title : str, optional
        By default what was found.
    with_keys : bool
        Whether the page says whose figures are shown; addresses are never in it.
    sample : int
        At most about so many customers are in the explorer; of each segment 30, or all it has.
    seed : int
        For the sample.
    replace : bool
        Whether a file that is there already may be replaced.

    Returns
    -------
    pathlib.Path
        The page. The same study gives the same bytes.

    Raises
    ------
    OutputError
        When the file exists, or cannot be written.
    SettingError
        For another ending, a sample below 1, segments of nobody, or a profile of other segments.
    MissingFileError, StudyError, PlanError
        For a folder that is no study, or one of another version.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcdef"), "visits": [1, 2, 3, 9, 10, 11], "spend": [5, 6, 7, 50, 60, 70]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     page = gauger.write_report(seg, f"{folder}/report.html").read_text(encoding="utf-8")
    >>> "What was found" in page, "2 segments of 6 customers" in page, "src=\\"http" in page
    (True, True, False)
    """
    if isinstance(sample, bool) or not isinstance(sample, int) or sample < 1:
        raise SettingError(f"sample={sample!r} must be a whole number from 1 up.")
    contents = contents_of(
        study,
        profile=profile,
        counts=counts,
        comparisons=comparisons,
        earlier=earlier,
        outcomes=outcomes,
        title=title,
        with_keys=with_keys,
        sample=sample,
        seed=seed,
    )
    known = contents.provenance
    origin = replace_in(known, source=source or known.source, period=period or known.period)
    contents = replace_in(contents, provenance=origin)
    return _write_one(contents, refuse_ending(out, (PAGE,)), replace=replace)


def write_workbook(
    study: Study | Segmentation | str | PathLike[str],
    out: str | PathLike[str],
    *,
    profile: Profile | None = None,
    counts: CountStudy | RadiusStudy | None = None,
    assignments: bool = False,
    title: str | None = None,
    replace: bool = False,
) -> Path:
    """Write the report as a workbook: a sheet a table, with formats, filters and native charts.

    Parameters
    ----------
    study : Study, Segmentation or path
        As for `write_report`.
    out : str or path-like
        The file, ending in .xlsx.
    profile : Profile, optional
        As for `write_report`.
    counts : CountStudy or RadiusStudy, optional
        As for `write_report`.
    assignments : bool
        Whether a sheet has every customer's key and segment, for up to a million of them.
    title : str, optional
        By default what was found.
    replace : bool
        Whether a file that is there already may be replaced.

    Returns
    -------
    pathlib.Path
        The workbook. No text of the data is a formula in it.

    Raises
    ------
    OutputError, SettingError, MissingFileError, StudyError, PlanError
        As `write_report` does, and for more assignments than a sheet has rows.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcdef"), "visits": [1, 2, 3, 9, 10, 11], "spend": [5, 6, 7, 50, 60, 70]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     book = gauger.write_workbook(seg, f"{folder}/report.xlsx")
    ...     gauger.read_table(book, sheet="segments")["customers"].tolist()
    [3, 3, 6]
    """
    contents = contents_of(study, profile=profile, counts=counts, title=title)
    return _write_one(contents, refuse_ending(out, (WORKBOOK,)), assignments=assignments, replace=replace)


def _write_one(contents: Contents, file: Path, *, assignments: bool = False, replace: bool) -> Path:
    with write_contents([file], assignments=assignments, replace=replace) as write:
        write(contents)
    return file


@contextmanager
def write_contents(
    files: Sequence[Path], *, assignments: bool = False, replace: bool = False
) -> Iterator[Callable[[Contents], None]]:
    """What writes pages and workbooks, as the endings say, in places that were seen to be free first; they appear whole
    when the block ends well, or not at all."""
    with ExitStack() as stack:
        made = {
            file: stack.enter_context(result_folder(file.parent, [file.name], replace=replace)).path(file.name)
            for file in files
        }

        def write(contents: Contents) -> None:
            for file, place in made.items():
                with task(f"writing {file.name}"):
                    if file.suffix.lower() == PAGE:
                        place.write_text(report_page(contents), encoding="utf-8", newline="\n")
                    else:
                        write_sheets(contents, place, assignments=assignments)

        yield write


def refuse_ending(out: str | PathLike[str], endings: Sequence[str]) -> Path:
    """The file of a report; raises SettingError for an ending that says no form of it."""
    file = Path(out)
    if file.suffix.lower() not in endings:
        raise SettingError(f"{file} must end in {' or '.join(endings)}.")
    return file


def contents_of(
    study: Study | Segmentation | str | PathLike[str],
    *,
    profile: Profile | None = None,
    counts: CountStudy | RadiusStudy | None = None,
    comparisons: Iterable[Comparison] = (),
    earlier: Sequence[str | PathLike[str]] = (),
    outcomes: Iterable[Outcome] = (),
    title: str | None = None,
    with_keys: bool = False,
    sample: int = 2_000,
    seed: int = 0,
) -> Contents:
    """What a report of a study or of segments tells; what is not given is made as the study's plan says."""
    opened = study if isinstance(study, (Study, Segmentation)) else open_study(study)
    seg = opened if isinstance(opened, Segmentation) else opened.segmentation
    if not seg.count:
        raise SettingError("nobody is in a segment: there is nothing to report.")
    if profile is not None:
        _refuse_others(profile, seg)
    if isinstance(opened, Study):
        seg = _with_hierarchy(opened, seg)
    own = [*comparisons]
    migrations: dict[str, Migration] = {}
    if isinstance(opened, Study):
        profile = profile or opened.profile
        counts = counts or study_again(opened)
        own += [compared(seg, opened.table, part, opened.plan, opened.folder) for part in opened.plan.compare]
        migrations = moves_since(opened.folder, [*earlier_of(opened.plan, opened.folder), *earlier])
    elif earlier:
        raise SettingError("who moved since an earlier study is known of a study: save_study(seg, folder) keeps one.")
    return Contents(
        seg,
        profile_of(seg) if profile is None else profile,
        *parted(counts),
        tuple(own),
        migrations,
        tuple(outcomes),
        Provenance()
        if isinstance(opened, Segmentation)
        else provenance_of(opened.plan, opened.folder, len(opened.table)),
        title,
        with_keys,
        sample,
        seed,
    )


def _with_hierarchy(study: Study, seg: Segmentation) -> Segmentation:
    """Segments by density levels with their hierarchy, found again where it is of the same segments."""
    if not isinstance(study.plan.segments, LevelsPart) or study.plan.segments.not_repeatable is not None:
        return seg
    again = find_segments(study.features, study.plan.segments).seg
    same = np.array_equal(again.codes, seg.codes)
    return replace_in(seg, branches=again.branches, departures=again.departures) if same else seg


def parted(study: CountStudy | RadiusStudy | None) -> tuple[CountStudy | None, RadiusStudy | None]:
    """A study as one of the count or one of the radius."""
    return (study, None) if isinstance(study, CountStudy) else (None, study)


def _refuse_others(profile: Profile, seg: Segmentation) -> None:
    """Raise for a profile of other segments, or of other customers."""
    told = [int(profile.sizes["customers"].to_dict()[number]) for number in profile.numbers]
    keys = profile.exemplars[seg.features.key] if seg.features.key in profile.exemplars else pd.Series(dtype=object)
    if told != seg.sizes.tolist() or not np.isin(keys.to_numpy(), seg.features.keys).all():
        raise SettingError(
            f"the profile is of other {seg.noun.many} than these segments: make it with profile(seg, table)."
        )


def study_again(study: Study) -> CountStudy | RadiusStudy | None:
    """The study of the count or of the radius, made again as the plan says; None for methods that have none."""
    wanted, seg = study.plan.segments, study.segmentation
    if wanted.not_repeatable is not None:
        return None
    if isinstance(wanted, KmeansPart):
        asked = study.plan.counts
        return study_counts(
            study.features,
            counts=counts_around(asked, study.features, seg.count),
            starts=asked.starts,
            max_iterations=asked.max_iterations,
            seed=asked.seed,
        )
    if isinstance(wanted, TreePart):
        tree = tree_of(study.features, wanted)
        counts = counts_around(study.plan.counts, study.features, seg.count)
        tried = [count for count in counts if count <= tree.leaves]
        return study_counts(study.features, counts=tried, method="tree", tree=tree, seed=wanted.seed)
    if isinstance(wanted, DensityPart):
        return study_radius(study.features, min_points=wanted.min_points, metric=wanted.metric)
    return None


def earlier_of(plan: Plan, beside: Path) -> list[Path]:
    """The folders of the studies that a plan in the folder `beside` compares with."""
    return [beside / from_environment(part.study) for part in plan.compare if part.study is not None]


def moves_since(folder: Path, earlier: Iterable[str | PathLike[str]]) -> dict[str, Migration]:
    """Who moved between each earlier study and the one in a folder, by the earlier one's name."""
    return {Path(before).resolve().name: migration_between(before, folder) for before in dict.fromkeys(earlier)}


def provenance_of(plan: Plan, folder: Path, rows: int) -> Provenance:
    """Where the segments of a study's folder come from, with the SHA-256 of its sources and of what its model learned
    from."""
    part = plan.events or plan.source
    prints = {
        Path(shown_place(one)).name: one.sha256
        for one in (plan.source, plan.events)
        if one is not None and one.sha256 is not None
    }
    if (folder / MODEL).is_file():
        prints["what the model learned from"] = load_model(folder / MODEL).fingerprint
    period = None if plan.events is None or plan.events.period is None else plan.events.period
    return Provenance(
        source=None if part is None else shown_place(part),
        period=None if period is None else (period[0], period[1]),
        made_at=plan.made_at,
        made_by=plan.made_by,
        fingerprints=prints,
        rows=rows,
        plan=(folder / PLAN_FILE).read_text(encoding="utf-8"),
    )
