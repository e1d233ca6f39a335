"""The study of customers who stay where they live: everyone is assigned there, and a sample is looked at."""

import json
import shutil
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from functools import partial
from os import PathLike
from pathlib import Path
from typing import Any

from gauger.draw import iteration_history, segment_spread
from gauger.errors import SettingError
from gauger.models import SegmentModel, save_model
from gauger.segmentation import Segmentation
from gauger.sources import BlockTable, DatabaseTable, FileTable, Place, PlacedTable, SegmentedEveryone, TableTarget
from gauger.study.drawing import segments_figure
from gauger.study.plan_files import PLAN_FILE, text_of
from gauger.study.plan_of_segments import plan_of
from gauger.study.plan_parts import EventsPart, FiguresPart, Plan, SourcePart
from gauger.study.results import study_results
from gauger.study.sources import source_part
from gauger.study.study_files import ASSIGNED_PARTS, ASSIGNMENTS, CENTRES, MODEL, PROFILE, REMARKS, SAMPLE
from gauger.tables import Results, join_pieces

FORMATS = ("parquet", "csv")
"""How assignments of files are written."""


@dataclass(frozen=True)
class Target:
    """Where the assignments of an open table go: into a table of its database, or into files of a format."""

    table: PlacedTable
    into: str | None = None
    format: str = FORMATS[0]
    replace: bool = False

    def __post_init__(self) -> None:
        if self.format not in FORMATS:
            raise SettingError.not_one_of("format", self.format, FORMATS)
        if isinstance(self.table, DatabaseTable) and self.into is None:
            raise SettingError("say which table of the database says who is in which segment: into=…, --into.")
        if not isinstance(self.table, DatabaseTable) and self.into is not None:
            raise SettingError("into= names a table of a database: leave it out with files.")

    @property
    def pieces(self) -> list[str]:
        """The files of assignments, one for each part that is read; a part without customers has none."""
        if not isinstance(self.table, BlockTable):
            return []
        return self.table.parts_with(()).names_of_pieces(f".{self.format}")

    @contextmanager
    def results(self, folder: Path, *, also: Sequence[str] = ()) -> Iterator[Results]:
        """The folder of the study that is being made."""
        self._refuse_unnamed()
        if isinstance(self.table, BlockTable):
            self.table.refuse_output_among(folder)
        whole = (ASSIGNMENTS,) if self.format == "csv" and self.into is None else ()
        parts = () if whole or self.into is not None else [f"{ASSIGNED_PARTS}/{name}" for name in self.pieces]
        files = self.table.files if isinstance(self.table, FileTable) else ()
        with study_results(
            folder, replace=self.replace, sources=files, also=(*also, *parts), assignments=whole
        ) as results:
            yield results

    def _refuse_unnamed(self) -> None:
        """Raise SettingError for a table that a plan cannot name, so that nobody could open its study again."""
        if not isinstance(self.table, (DatabaseTable, FileTable)):
            raise SettingError(
                f"{self.table.called}: a study reads its customers again from files or a database, and these are "
                "elsewhere. Keep the model (save_model) and who is where (assignments.to_arrow()) instead."
            )
        if isinstance(self.table, FileTable) and not isinstance(self.table.source, (str, PathLike)):
            raise SettingError(
                "a study names one source: give a folder or a pattern such as base/*.parquet, not a list."
            )

    @contextmanager
    def working(self, results: Results | None) -> Iterator[Place]:
        """The place, while work is done there that is kept together with some results."""
        if isinstance(self.table, DatabaseTable):
            with self.table.writing(results, self.into) as place:
                place.refuse_taken(TableTarget(str(self.into), self.replace))
                yield place
            return
        with self.table.working() as place:
            yield place

    def assign(self, place: Any, seg: Segmentation, results: Results | None, made_at: datetime | None) -> SegmentModel:
        """Write who is in which segment; the model of what was seen."""
        everyone = seg.everyone
        assert isinstance(everyone, SegmentedEveryone)
        described = partial(everyone.described, place, seg.names)
        if self.into is not None:
            target = TableTarget(self.into, self.replace, **({} if results is None else {"token": results.token}))
            described(target)
            model = everyone.model(seg.names, made_at)
            place.finish(model, seg.centres, seg.noun, target)
            return model
        assert results is not None
        if self.format == "parquet":
            described([results.path(f"{ASSIGNED_PARTS}/{name}") for name in self.pieces])
        else:
            pieces = Path(tempfile.mkdtemp(dir=results.stage.parent))
            outs = [pieces / name.replace("/", "-") for name in self.pieces]
            described(outs)
            join_pieces(outs, results.path(ASSIGNMENTS))
            shutil.rmtree(pieces)
        return everyone.model(seg.names, made_at)

    def source(self, folder: Path) -> SourcePart:
        """Where the customers are, as the plan of a study in a folder says it."""
        if isinstance(self.table, DatabaseTable):
            return source_part(self.table.url, folder, {"table": self.table.table})
        assert isinstance(self.table, FileTable)
        part = source_part(str(self.table.source), folder, dict(vars(self.table.rules)))
        return part.model_copy(update={"bytes": self.table.bytes})


def add_everyone(
    results: Results,
    seg: Segmentation,
    model: SegmentModel,
    source: SourcePart | None,
    *,
    events: EventsPart | None = None,
    base: Plan | None = None,
    figures: FiguresPart | None = None,
    into: str | None = None,
) -> Plan:
    """Write what a study of everyone has next to its assignments; what shows customers, if there is a sample of
    them."""
    everyone = seg.everyone
    assert isinstance(everyone, SegmentedEveryone)
    rows = {"rows": seg.customers + everyone.left_out}
    if events is not None:
        events = events.model_copy(update=rows)
    elif source is not None:
        source = source.model_copy(update=rows)
    own = {"into": into, "out_of_core": None if into is not None else True}
    plan = plan_of(seg, source, events, base=base, figures=figures, made_at=_time(model), also=own)
    results.add_table(CENTRES, seg.overview().reset_index())
    results.add_table(PROFILE, seg.profile.table())
    save_model(model, results.path(MODEL))
    results.path(PLAN_FILE).write_text(text_of(plan), encoding="utf-8")
    content = [asdict(one) for one in (*seg.features.remarks, *seg.remarks)]
    results.path(REMARKS).write_text(json.dumps(content, ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
    results.add_figure("iterations.png", iteration_history(seg))
    if len(everyone.sample_table):
        results.add_table(SAMPLE, everyone.sample_table)
        results.add_figure("segments.png", segments_figure(seg.sample, plan.figures))
        results.add_figure("spread.png", segment_spread(seg))
    return plan


def _time(model: SegmentModel) -> datetime:
    return datetime.fromisoformat(model.made_at).astimezone(UTC)


def save_everyone(seg: Segmentation, folder: Path | None, target: Target, *, made_at: datetime | None = None) -> None:
    """Assign everyone where they live, and write the study of them."""
    with _maybe(target, folder) as results, target.working(results) as place:
        model = target.assign(place, seg, results, made_at)
        if results is not None:
            add_everyone(results, seg, model, target.source(results.folder), into=target.into)


@contextmanager
def _maybe(target: Target, folder: Path | None) -> Iterator[Results | None]:
    if folder is None:
        yield None
        return
    with target.results(folder) as results:
        yield results
