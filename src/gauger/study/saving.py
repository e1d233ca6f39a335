"""Write a study's folder: who is in which segment, centres, model, figures, and the plan that repeats it."""

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from os import PathLike
from pathlib import Path
from typing import Any

import pandas as pd

from gauger.columns import AnyTable, checked_table, is_table, whole_table
from gauger.errors import SettingError
from gauger.models import build_model, can_be_model, save_model
from gauger.segmentation import Segmentation
from gauger.sources import PlacedTable, SegmentedEveryone
from gauger.study.drawing import segments_figure
from gauger.study.finding import Found, remarks_with_method
from gauger.study.method_files import add_method_files
from gauger.study.opening import Study, open_study
from gauger.study.plan_files import PLAN_FILE, text_of
from gauger.study.plan_of_segments import plan_of
from gauger.study.plan_parts import EventsPart, FiguresPart, Plan, SourcePart
from gauger.study.results import study_results
from gauger.study.saving_everyone import Target, save_everyone
from gauger.study.sources import source_part, with_content
from gauger.study.study_files import ASSIGNED_PARTS, BEHAVIOUR, CENTRES, CUSTOMERS, MODEL, REMARKS
from gauger.tables import Results, read_table
from gauger.wording import listed, plural


@dataclass(frozen=True)
class Origin:
    """Where a study's customers came from: the parts of its plan, and the table that was read."""

    table: pd.DataFrame
    source: SourcePart | None
    events: EventsPart | None = None


def save_study(
    seg: Segmentation,
    folder: str | PathLike[str],
    *,
    source: str | PathLike[str] | AnyTable | None = None,
    reading: Mapping[str, Any] | None = None,
    into: str | None = None,
    format: str = "parquet",  # noqa: A002
    made_at: datetime | None = None,
    replace: bool = False,
) -> Study:
    """Write segments with all that it takes to go on with them, and to find them again, into one folder.

    Parameters
    ----------
    seg : Segmentation
        The segments, from any method.
    folder : str or path-like
        Where. Written are assignments.csv, centres.csv, remarks.json, figures, model.json where the segments can place
        other customers, and plan.toml. All appear together, or none. Of customers who stay where they live
        (`open_table`) assignments of everyone are written: those of files into `assignments/`, a part for each part
        that is read; profile.csv is of everyone, and figures show the sample, which sample.parquet keeps.
    source : str, path-like, pandas.DataFrame or another table, optional
        The file or database's URL that the customers were read from, to be read again when it is needed. A DataFrame
        is kept in the folder as customers.parquet; by default that has the columns which the features were made of.
    reading : mapping, optional
        The keyword arguments of `read_table` that the source needs: `{"decimal": ","}`, or a database's `{"table":
        "behaviour"}`.
    into : str, optional
        Of customers in a database: the table that is made there, perhaps with its schema: the key, segment,
        segment_name, distance. Another one with `_centres` behind its name has the centres in original units. Tables
        and folder appear together, or not at all.
    format : {"parquet", "csv"}
        Of customers in files: how assignments are written.
    made_at : datetime.datetime, optional
        The time that plan and model bear; by default now.
    replace : bool
        Whether a study that is already in the folder, and tables that Gauger made, may be replaced.

    Returns
    -------
    Study
        The folder, opened.

    Raises
    ------
    OutputError, DatabaseError
        When a study or a table is there and `replace` is not set, or writing fails.
    SettingError
        When the source lacks customers or columns of the segments.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     study = gauger.save_study(seg, f"{folder}/segments", source=table)
    ...     sorted(path.name for path in study.folder.iterdir())[:4]
    ['assignments.csv', 'centres.csv', 'customers.parquet', 'iterations.png']
    """
    place = Path(folder)
    if isinstance(seg.everyone, SegmentedEveryone):
        if source is not None or reading is not None:
            raise SettingError("an open table is its own source: leave source= and reading= out.")
        table = seg.everyone.table
        assert isinstance(table, PlacedTable)
        target = Target(table, into, format, replace)
        save_everyone(seg, place, target, made_at=made_at)
        return open_study(place)
    if into is not None:
        raise SettingError("into= is for customers who stay in a database (open_table).")
    with study_results(place, replace=replace, sources=[source]) as results:
        origin = _origin(seg, source, dict(reading or {}), place, results)
        _refuse_other_customers(seg, origin.table)
        add_study(results, Found(seg).with_caution(), origin, made_at=made_at)
    return open_study(place)


def add_study(
    results: Results,
    found: Found,
    origin: Origin,
    *,
    base: Plan | None = None,
    figures: FiguresPart | None = None,
    made_at: datetime | None = None,
) -> Plan:
    """Write what every study has; the plan that was written."""
    time, seg = made_at or datetime.now(UTC), found.seg
    source, events = origin.source, origin.events
    if events is not None:
        results.add_table(BEHAVIOUR, origin.table)
        events = with_content(events, results.folder, origin.table) if events.file is not None else events
        events = events.model_copy(update={"period": _period(origin.table)})
    elif source is not None:
        kept = (results.stage / CUSTOMERS).exists()
        source = with_content(source, results.stage if kept else results.folder, origin.table)
    plan = plan_of(seg, source, events, base=base, figures=figures, made_at=time)
    _add_segments(results, seg, plan, time)
    add_method_files(results, found, plan.figures)
    of_the_method = remarks_with_method(plan.segments.method)
    content = [asdict(one) for one in (*seg.features.remarks, *seg.remarks) if one.code not in of_the_method]
    results.path(REMARKS).write_text(json.dumps(content, ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
    return plan


def _period(behaviour: pd.DataFrame) -> list[str] | None:
    """The first day and the day as of which behaviour was counted, where the table tells."""
    known = [behaviour.attrs.get(name) for name in ("first", "as_of")]
    return [str(one) for one in known] if all(known) else None


def _add_segments(results: Results, seg: Segmentation, plan: Plan, time: datetime) -> None:
    """Write who is in which segment, and what that is good for: the centres, the model, the figure, the plan."""
    results.add_assignments(next(name for name in results.names if name.startswith(ASSIGNED_PARTS)), seg.assignments)
    results.add_table(CENTRES, seg.overview().reset_index())
    if can_be_model(seg):
        model = build_model(seg, seed=getattr(plan.segments, "seed", None), made_at=time)
        save_model(model, results.path(MODEL))
    results.add_figure("segments.png", segments_figure(seg, plan.figures))
    results.path(PLAN_FILE).write_text(text_of(plan), encoding="utf-8")


def _origin(
    seg: Segmentation,
    source: str | PathLike[str] | AnyTable | None,
    reading: dict[str, Any],
    folder: Path,
    results: Results,
) -> Origin:
    if isinstance(source, (str, PathLike)):
        return Origin(read_table(source, **reading), source_part(source, folder, reading))
    if source is not None and not is_table(source):
        raise SettingError(f"source= is a path, a database's URL or a table, not {type(source).__name__}.")
    table = _columns_of(seg) if source is None else whole_table(source)
    results.add_table(CUSTOMERS, table)
    return Origin(table, SourcePart(file=CUSTOMERS))


def _columns_of(seg: Segmentation) -> pd.DataFrame:
    """The key and the measures that the features were made of, gaps and all."""
    features = seg.features
    levels = sorted({one.column for one in features.indicators.values() if one.level is not None})
    if levels:
        raise SettingError(
            f"the features do not hold the {plural(len(levels), 'category', 'categories')} {listed(levels)} as "
            f"{plural(len(levels), 'it was', 'they were')}: give the table that they came from, as source=."
        )
    measures = [name for name in features.names if name not in features.indicators]
    return features.original[measures].reset_index()


def _refuse_other_customers(seg: Segmentation, table: pd.DataFrame) -> None:
    """Raise SettingError where a source is not that of the segments."""
    key = seg.features.key
    needed = [name for name in seg.features.names if name not in seg.features.indicators]
    table = checked_table(table, [key, *needed])
    lacking = ~pd.Index(seg.features.keys).isin(pd.Index(table[key]))
    if lacking.any():
        raise SettingError(
            f"{int(lacking.sum()):,} of {len(lacking):,} segmented customers are not in the source by {key}: is it the "
            "table that the features were made of?"
        )
