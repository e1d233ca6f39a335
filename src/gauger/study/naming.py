"""Names of segments, put into everything that a study's folder holds, at once."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from os import PathLike

from gauger.clustering import build_tree, segment_again
from gauger.draw import dendrogram, density_levels, segment_spread
from gauger.errors import SettingError
from gauger.models import load_model, save_model
from gauger.segmentation import UNASSIGNED, Segmentation
from gauger.study.drawing import segments_figure
from gauger.study.method_files import series_figure
from gauger.study.opening import Study, open_study
from gauger.study.plan_files import PLAN_FILE, text_of
from gauger.study.plan_of_segments import names_of
from gauger.study.plan_parts import TreePart
from gauger.study.studies_in_place import rename_in_place
from gauger.study.study_files import CENTRES, MODEL, assignment_files, study_folder
from gauger.tables import Results, locked, read_table, recover, result_folder

_NAMED_FIGURES = ("segments.png", "spread.png", "levels.png", "tree.png", "series.png")
"""Figures that show the segments' names."""


def name_study(
    folder: str | PathLike[str],
    names: Mapping[int, str] | None = None,
    *,
    suggested: bool = False,
    source: str | PathLike[str] | None = None,
    trust: bool = False,
) -> Study:
    """Name segments of a study, in everything that its folder holds: all at once, or nothing.

    Parameters
    ----------
    folder : str or path-like
        The study's folder.
    names : mapping, optional
        Names by number: `{1: "regulars"}`. A segment's plain name, such as "segment 1", takes its name away.
    suggested : bool
        Give the names that its profile suggests to the segments that `names` does not speak of.
    source : str or path-like, optional
        Where its customers are now, when the source that its plan names is gone: figures are drawn again.
    trust : bool
        As for `open_study`.

    Returns
    -------
    Study
        The folder, opened: assignments, centres, model, figures and plan bear the names, and so do profiles,
        audiences and SQL that are made of them.

    Raises
    ------
    SettingError
        For a segment that does not exist, a name that is empty, a number, more than one line, or another segment's.
    StudyError, MissingFileError
        When the folder is no study, or its source is gone.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     _ = gauger.save_study(seg, f"{folder}/segments")
    ...     gauger.name_study(f"{folder}/segments", {1: "regulars"}).model.segment_names
    {0: 'unassigned', 1: 'regulars', 2: 'segment 2'}
    """
    if not names and not suggested:
        raise SettingError("say which names: a number and a name, such as 1=regulars; or suggested=True (--suggested).")
    place = study_folder(folder)
    with locked(place):
        recover(place)
        _name(open_study(folder, source=source, trust=trust), names or {}, suggested=suggested)
    return open_study(folder, source=source)


def _name(study: Study, names: Mapping[int, str], *, suggested: bool) -> None:
    """Name segments of a study that nobody else writes into."""
    seg = study.segmentation
    wanted = {**(_suggested(study) if suggested else {}), **names}
    plain = [number for number, name in wanted.items() if name == f"segment {number}"]
    _refuse_bad_names(name for number, name in wanted.items() if number not in plain)
    kept = {number: name for number, name in seg.given_names.items() if number not in wanted}
    named = replace(seg, given_names=kept).rename({at: name for at, name in wanted.items() if at not in plain})
    there = [name for name in _NAMED_FIGURES if (study.folder / name).exists()]
    files = [name for name in (CENTRES, MODEL, PLAN_FILE) if (study.folder / name).exists()]
    files += assignment_files(study.files)
    with result_folder(study.folder, files, optional=there, replace=True) as results:
        _rename_tables(study, named.names, results)
        if MODEL in files:
            _rename_model(study, named.names, results)
        _draw_again(study, named, there, results)
        plan = study.plan.model_copy(update={"names": names_of(named)})
        results.path(PLAN_FILE).write_text(text_of(plan), encoding="utf-8")
        if study.in_database:
            rename_in_place(study.plan, results, study.model, named.names)


def _suggested(study: Study) -> dict[int, str]:
    return {number: name for number, name in study.profile.suggested_names.items() if number != UNASSIGNED}


def _refuse_bad_names(names: Iterable[str]) -> None:
    for name in names:
        if not isinstance(name, str) or not name.strip() or not name.isprintable():
            raise SettingError(f"{name!r} is no name: it must be text on one line, and not empty.")
        if name.strip().isdigit():
            raise SettingError(f"{name!r} is no name: it would be taken for the number of a segment.")


def _rename_tables(study: Study, names: Mapping[int, str], results: Results) -> None:
    for name in assignment_files(study.files):
        assignments = read_table(study.folder / name, as_text=[study.plan.key])
        results.add_assignments(name, assignments.assign(segment_name=assignments["segment"].map(names)))
    centres = read_table(study.folder / CENTRES)
    results.add_table(CENTRES, centres.assign(name=centres["segment"].map(names)))


def _rename_model(study: Study, names: Mapping[int, str], results: Results) -> None:
    model = load_model(study.folder / MODEL)
    segments = tuple(replace(one, name=names[one.number]) for one in model.segments)
    save_model(replace(model, segments=segments), results.path(MODEL))


def _draw_again(study: Study, named: Segmentation, there: Sequence[str], results: Results) -> None:
    """Draw the figures that show names; what needs the method's own result is found again, as it was."""
    if "segments.png" in there:
        results.add_figure("segments.png", segments_figure(named, study.plan.figures))
    if "spread.png" in there:
        results.add_figure("spread.png", segment_spread(named))
    if "levels.png" in there:
        again = segment_again(named.features, named.settings).aligned_to(named)
        results.add_figure("levels.png", density_levels(replace(again, given_names=named.given_names)))
    method = study.plan.segments
    if "tree.png" in there and isinstance(method, TreePart):
        own = method.model_dump(exclude={"method", "count", "height", "not_repeatable"})
        tree = build_tree(named.features, **own)
        results.add_figure("tree.png", dendrogram(tree, segments=named, also=study.plan.figures.also))
    if "series.png" in there:
        results.add_figure("series.png", series_figure(named, str(getattr(method, "metric", ""))))
