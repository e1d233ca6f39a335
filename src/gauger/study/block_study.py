"""A study by blocks on its way: what is asked for, what is learned and found, and the files it is written to."""

import json
import shutil
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pandas as pd

from gauger.choosing import study_counts
from gauger.draw import iteration_history, segment_spread
from gauger.engine import (
    Everyone,
    Parts,
    PartSegments,
    Treated,
    Wanted,
    crew_for,
    first_block,
    parts_of,
    refuse_output_among,
    segment_parts,
    treat_parts,
)
from gauger.errors import SettingError
from gauger.features import FeatureSet, numeric_columns
from gauger.models import save_model
from gauger.remarks import Remark
from gauger.segmentation import Segmentation
from gauger.study.describing import plan_of
from gauger.study.drawing import segments_figure
from gauger.study.files import ASSIGNED_PARTS, ASSIGNMENTS, CENTRES, MODEL, PROFILE, REMARKS, SAMPLE
from gauger.study.plan import EventsPart, FiguresPart, Plan, SourcePart
from gauger.study.plan_files import PLAN_FILE, text_of
from gauger.study.sampled import as_sample
from gauger.study.saving import study_results
from gauger.study.sources import source_part
from gauger.tables import ReadingRules, Results, Source, join_pieces

if TYPE_CHECKING:
    from distributed import Client

FORMATS = ("parquet", "csv")


@dataclass(frozen=True, eq=False)
class BlockRequest:
    """Customers in files that are to be segmented: where they are, how they are read and prepared."""

    source: Source
    parts: Parts
    key: str
    preparation: Mapping[str, Any]
    reading: Mapping[str, Any]
    format: str

    @classmethod
    def of(
        cls,
        source: Source,
        key: str,
        preparation: Mapping[str, Any],
        reading: Mapping[str, Any],
        format: str,  # noqa: A002
    ) -> "BlockRequest":
        """A request whose files have been found to have what it asks for."""
        if format not in FORMATS:
            raise SettingError.not_one_of("format", format, FORMATS)
        for setting in ("features", "categories", "flag_missing"):
            given = preparation.get(setting)
            if isinstance(given, str):
                raise SettingError(f"{setting}={given!r} must be a list of names: {setting}=[{given!r}].")
        rules = ReadingRules(**reading)
        if preparation.get("features") is None:
            head = first_block(source, rules)
            chosen = numeric_columns(head, key)
            categories = preparation.get("categories") or ()
            preparation = {**preparation, "features": [name for name in chosen if name not in categories]}
            if not preparation["features"] and not categories:
                raise SettingError(f"the files have no numeric column besides {key!r}: there is nothing to segment by.")
        needed = [key, *preparation["features"], *(preparation.get("categories") or ())]
        return cls(source, parts_of(source, needed, rules), key, preparation, dict(reading), format)

    def wanted(self, **settings: Any) -> Wanted:
        """The same with the settings of k-means."""
        return Wanted(self.key, self.preparation, **settings)

    @property
    def assigned_parts(self) -> list[str]:
        """The files of assignments, one for each part that is read; a part without customers has none."""
        return [f"{ASSIGNED_PARTS}/{name}" for name in self.parts.names_of_pieces(".parquet")]

    @contextmanager
    def results(self, folder: Path, *, replace: bool, also: Sequence[str] = ()) -> Iterator[Results]:
        """The folder of the study that is being made."""
        refuse_output_among(self.source, folder)
        whole, parts = ([ASSIGNMENTS], []) if self.format == "csv" else ([], self.assigned_parts)
        with study_results(
            folder, replace=replace, sources=self.parts.files, also=(*also, *parts), assignments=whole
        ) as results:
            yield results


@contextmanager
def working_on(
    request: BlockRequest, cluster: "str | Client | None" = None, workers: int | None = None
) -> Iterator[Everyone]:
    """Everyone in the files of a request, and the crew that works on them."""
    with crew_for(cluster, workers) as crew:
        yield Everyone(request.parts.parts, crew)


def learn(results: Results, request: BlockRequest, wanted: Wanted, everyone: Everyone) -> Treated:
    """What is learned of the features; hashes of keys go into a folder that is gone with the results' stage."""
    scratch = Path(tempfile.mkdtemp(dir=results.stage.parent))
    return treat_parts(request.parts, wanted, everyone, scratch)


def count_advised(learned: Treated, wanted: Wanted) -> int:
    """The count that a study of the sample advises."""
    return study_counts(learned.sample, starts=wanted.starts, seed=wanted.seed).advice.count


def segment(
    results: Results,
    request: BlockRequest,
    wanted: Wanted,
    learned: Treated,
    count: int,
    everyone: Everyone,
    *,
    made_at: datetime | None = None,
) -> PartSegments:
    """Segment everyone, and write who is where."""
    if request.format == "parquet":
        outs = [results.path(name) for name in request.assigned_parts]
        return segment_parts(request.parts, learned, wanted, count, everyone, outs, made_at=made_at)
    pieces = Path(tempfile.mkdtemp(dir=results.stage.parent))
    outs = [pieces / name.replace("/", "-") for name in request.parts.names_of_pieces(".csv")]
    found = segment_parts(request.parts, learned, wanted, count, everyone, outs, made_at=made_at)
    join_pieces(outs, results.path(ASSIGNMENTS))
    shutil.rmtree(pieces)
    return found


def source_of(request: BlockRequest, folder: Path) -> SourcePart:
    """The source of a study in a folder, as its plan says it."""
    if not isinstance(request.source, (str, PathLike)):
        raise SettingError("a study names one source: give a folder or a pattern such as base/*.parquet, not a list.")
    part = source_part(request.source, folder, dict(request.reading))
    return part.model_copy(update={"bytes": request.parts.bytes})


def write_block_study(
    results: Results,
    found: PartSegments,
    source: SourcePart | None,
    *,
    events: EventsPart | None = None,
    base: Plan | None = None,
    figures: FiguresPart | None = None,
    made_at: datetime | None = None,
) -> Plan:
    """Write what a study of everyone has beside its assignments; what shows customers, if there is a sample of them."""
    sample, time = found.sample, made_at or datetime.now(UTC)
    rows = {"rows": found.customers + found.left_out}
    if events is not None:
        events = events.model_copy(update=rows)
    elif source is not None:
        source = source.model_copy(update=rows)
    plan = plan_of(sample, source, events, base=base, figures=figures, made_at=time)
    results.add_table(CENTRES, overview_of(sample, found.sizes).reset_index())
    results.add_table(PROFILE, found.profile.table())
    save_model(found.model, results.path(MODEL))
    results.path(PLAN_FILE).write_text(text_of(plan), encoding="utf-8")
    content = [asdict(one) for one in found.remarks]
    results.path(REMARKS).write_text(json.dumps(content, ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
    results.add_figure("iterations.png", iteration_history(sample))  # of everyone
    if len(found.sample_table):
        shown = as_sampled(sample, found.customers)
        results.add_table(SAMPLE, found.sample_table)
        results.add_figure("segments.png", segments_figure(shown, plan.figures))
        results.add_figure("spread.png", segment_spread(shown))
    return plan


def as_sampled(sample: Segmentation, customers: int) -> Segmentation:
    """A sample that says it is one, unless it is everyone."""
    if len(sample.codes) == customers:
        return sample
    return replace(sample, features=as_sample(sample.features))


def overview_of(sample: Segmentation, sizes: pd.Series) -> pd.DataFrame:
    """The segments of everyone: name, customers and centre."""
    return sample.overview().assign(customers=sizes.to_numpy())


def told_sample(learned: Treated) -> FeatureSet:
    """The sample of what was learned, with a remark that says how large it is."""
    sampled, customers = len(learned.sample.keys), learned.survey.kept
    if sampled == customers:
        return learned.sample
    text = f"what follows is of a sample of {sampled:,} out of {customers:,}, chosen by a hash of {learned.sample.key}."
    remarks = (Remark("sample-of-all", text), *learned.sample.remarks)
    return as_sample(replace(learned.sample, remarks=remarks))
