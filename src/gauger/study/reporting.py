"""The report of a study, or of segments made in Python: a page and a workbook, from everything that is known."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from os import PathLike
from pathlib import Path

from gauger.campaigns import Outcome
from gauger.choosing import CountStudy, RadiusStudy
from gauger.columns import refuse_no_whole_number
from gauger.errors import SettingError
from gauger.profiling import Comparison, Profile
from gauger.progress import task
from gauger.report import Contents, Provenance, report_page, write_sheets
from gauger.segmentation import Segmentation
from gauger.study.gathering import contents_of
from gauger.study.opening import Study
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
    provenance: Provenance | None = None,
    title: str | None = None,
    with_keys: bool = False,
    sample: int = 2_000,
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
    provenance : Provenance, optional
        What the page calls the source, and the period that was counted; a study knows its own.
    title : str, optional
        By default what was found.
    with_keys : bool
        Whether the page says whose figures are shown; addresses are never in it.
    sample : int
        At most about so many customers are in the explorer; of each segment 30, or all it has.
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
    refuse_no_whole_number("sample", sample, 1)
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
        provenance=provenance,
    )
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
