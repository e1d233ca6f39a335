"""Everyone of an open table, segmented and saved in one call, as tests ask for it again and again."""

import inspect
from collections.abc import Mapping
from contextlib import nullcontext
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import pandas as pd

import gauger
from gauger.remarks import Remark
from gauger.sources import DatabaseTable
from gauger.study import Target
from gauger.tables import approve_typed

_OF_PREPARE = tuple(inspect.signature(gauger.prepare).parameters)[1:]
_OF_KMEANS = ("starts", "max_iterations", "seed")


@dataclass(frozen=True, eq=False)
class Segmented:
    """The segments of everyone, and the folder of their study, if one was written."""

    seg: gauger.Segmentation
    path: Path

    def __getattr__(self, name: str) -> Any:
        return getattr(self.seg, name)

    @property
    def left_out(self) -> int:
        assert self.seg.everyone is not None
        return self.seg.everyone.left_out

    @property
    def remarks(self) -> tuple[Remark, ...]:
        """All that is remarked, but that a sample is one."""
        return tuple(one for one in (*self.seg.features.remarks, *self.seg.remarks) if one.code != "sample-of-all")


def _made(table: Any, count: int | None, settings: dict[str, Any]) -> gauger.Segmentation:
    asked = {name: settings.pop(name) for name in _OF_PREPARE if name in settings}
    features = gauger.prepare(table, **asked)
    own = {name: settings.pop(name) for name in _OF_KMEANS if name in settings}
    advised = gauger.study_counts(features).advice.count if count is None else count
    assert not settings, settings
    return gauger.segment_by_kmeans(features, advised, **own)


def files_segmented(
    source: object,
    out: Path | str,
    *,
    count: int | None = None,
    sample: int | None = None,
    cluster: Any = None,
    workers: int | None = None,
    reading: Mapping[str, Any] | None = None,
    format: str = "parquet",  # noqa: A002
    made_at: datetime | None = None,
    replace: bool = False,
    **settings: Any,
) -> Segmented:
    """The customers of files, segmented out of core and saved."""
    execution = gauger.Execution(sample=sample, cluster=cluster, workers=workers)
    table = gauger.open_table(source, execution=execution, **(reading or {}))  # type: ignore[arg-type]
    seg = _made(table, count, settings)
    gauger.save_study(seg, out, format=format, made_at=made_at, replace=replace)
    return Segmented(seg, Path(out))


def database_segmented(
    url: str,
    *,
    table: str,
    into: str,
    count: int,
    sample: int | None = None,
    few: int | None = None,
    out: Path | None = None,
    made_at: datetime | None = None,
    replace: bool = False,
    told: Any = None,
    **settings: Any,
) -> Segmented:
    """The customers of a database's table, segmented inside it by one transaction; by sums alone, unless a few of them
    may be read. Of few starts: most tables of tests have no need of more."""
    settings.setdefault("starts", 2)
    execution = gauger.Execution(sample=sample or few or 0)
    approve_typed(url)
    there = DatabaseTable(url, table, execution, told=told)
    target = Target(there, into, replace=replace)
    folder = nullcontext() if out is None else target.results(out)
    with folder as results, target.working(results) as place:
        seg = _made(there, count, settings)
        model = target.assign(place, seg, results, made_at)
        if results is not None:
            from gauger.study import add_everyone

            add_everyone(results, seg, model, target.source(results.folder), into=into)
    return Segmented(seg, Path() if out is None else out)


def written(found: Segmented) -> pd.DataFrame:
    """The assignments of a study."""
    return gauger.open_study(found.path).assignments
