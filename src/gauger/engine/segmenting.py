"""k-means over customers in files: treated, seeded on a coreset, iterated over everyone, placed and described."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np
import pandas as pd

from gauger.algorithms import order_rows
from gauger.algorithms.kmeans import Iterated, iterate
from gauger.clustering import Fit, about_kmeans, about_roundness, kmeans_refit
from gauger.columns import Values
from gauger.engine.cautions import about_segments, of_sample
from gauger.engine.crews import Everyone
from gauger.engine.describing import describe, model_of, placement_of, profile_of
from gauger.engine.file_sums import FileSums
from gauger.engine.parts import Parts
from gauger.engine.rare_segments import with_rare_segments
from gauger.engine.results import PartSegments
from gauger.engine.seeding import converged_on, margin_for, stand_ins
from gauger.engine.treating import Treated, about_left_out, stamps_of
from gauger.engine.wanted import Wanted
from gauger.errors import SettingError, TableFileError
from gauger.models import SegmentModel
from gauger.remarks import Remark
from gauger.segmentation import AssignmentRule, Segmentation, order_by_size
from gauger.wording import Noun


def segment_parts(
    parts: Parts,
    features: Treated,
    wanted: Wanted,
    count: int,
    everyone: Everyone,
    outs: Sequence[Path | None],
    *,
    made_at: datetime | None = None,
) -> PartSegments:
    """Segment everyone in some parts by what was learned of them, and write who is where into a file for each part that
    has one."""
    customers = features.survey.kept
    refuse_count(count, customers)
    fit, found, sizes = _iterated(features, wanted, count, everyone)
    centres = np.empty_like(found.centres)
    centres[:, list(features.working.order)] = found.centres[order_by_size(sizes, found.centres)]
    placement = placement_of(features, centres)
    described = describe(placement, features, everyone, outs)
    features = with_rare_segments(features, placement, described.placed.sizes.tolist(), everyone)
    if stamps_of(parts) != features.stamps:
        raise TableFileError(f"{parts.called()} changed while it was read. Segment it again once nobody writes to it.")
    history = pd.DataFrame(found.history, columns=["wcss", "moved", "shift"])
    history = history.set_index(pd.RangeIndex(1, len(history) + 1, name="iteration"))
    model = model_of(described, placement, features, wanted.seed, made_at)
    sample = replace(_sample_segments(features, model, history, fit, found.moved), settings=_settings(wanted, count))
    numbers = pd.RangeIndex(1, count + 1, name="segment")
    by_number = pd.Series(described.placed.sizes, index=numbers, name="customers")
    return PartSegments(
        model,
        by_number,
        history,
        found.moved == 0,
        float(described.placed.moments.square_sums()[:, described.distance].sum()),
        profile_of(described, features),
        sample,
        features.sample_table,
        customers,
        features.survey.rows - customers,
        everyone.passes,
        _said(_remarks(features, wanted, by_number, history, sample), sample.noun),
    )


def refuse_count(count: object, customers: int) -> None:
    """Raise SettingError for a count that is none, or more than there are customers."""
    if isinstance(count, bool) or not isinstance(count, (int, np.integer)) or count < 1:
        raise SettingError(f"count={count!r} must be a whole number from 1 up.")
    if count > customers:
        raise SettingError(f"{count} segments asked for, but there are only {customers:,} customers.")


def _iterated(features: Treated, wanted: Wanted, count: int, everyone: Everyone) -> tuple[Fit, Iterated, Values]:
    """Centres, converged on the coreset, then over everyone, and the sizes there; features are by name."""
    working, order = features.working, list(features.working.order)
    stands = stand_ins(features.columns, features.weights, count, features.reader, working, everyone)
    fit = converged_on(stands, count, wanted.starts, wanted.max_iterations, wanted.seed)
    sums = FileSums(
        features.reader,
        working,
        everyone,
        largest=np.abs(features.ends).max(axis=1)[order],
        spread=(features.means[order], features.survey.kept * float((features.deviations**2).sum())),
        margin=margin_for(stands, fit.best.centres, features.survey.kept),
    )
    found = iterate(sums, fit.best.centres, wanted.max_iterations)
    return fit, found, sums.sums_at(found.centres).weight


def _settings(wanted: Wanted, count: int) -> dict[str, object]:
    return {
        "method": "kmeans",
        "count": int(count),
        "starts": int(wanted.starts),
        "max_iterations": int(wanted.max_iterations),
        "seed": int(wanted.seed),
        "by_blocks": True,
        "sample": int(wanted.sample),
    }


def _sample_segments(
    features: Treated, model: SegmentModel, history: pd.DataFrame, fit: Fit, moved: int
) -> Segmentation:
    """The sample's segments, as those of everyone."""
    prepared = features.sample
    codes, distances = model.rule.find_segments(np.ascontiguousarray(prepared.values.T), {})
    for made in (codes, distances):
        made.flags.writeable = False
    return Segmentation(
        prepared,
        codes,
        model.centres,
        distances,
        model.method,
        iterations=len(history),
        converged=moved == 0,
        history=history,
        starts=fit.starts,
        refit=kmeans_refit(len(model.centres)),
        assignment_rule=AssignmentRule("centre"),
    )


def _remarks(
    features: Treated, wanted: Wanted, sizes: pd.Series, history: pd.DataFrame, sample: Segmentation
) -> Iterator[Remark]:
    """What is known of everyone, then what the sample shows."""
    yield from about_left_out(features.survey, features.reader.dropped)
    yield from about_segments(sizes, history, wanted.max_iterations)
    yield from about_sample(sample, features.survey.kept, wanted.max_iterations)


def about_sample(sample: Segmentation, customers: int, max_iterations: int) -> Iterator[Remark]:
    """What some of the customers show, saying so."""
    seen: list[Remark] = list(sample.features.remarks)
    if len(np.unique(sample.codes)) == sample.count:
        arranged = order_rows(sample.features.values.T + 0.0, np.arange(len(sample.features.names)))
        seen += [*about_kmeans(sample, len(sample.codes), max_iterations, None), *about_roundness(arranged, sample)]
    yield from of_sample(seen, len(sample.codes), customers, sample.noun)


def _said(remarks: Iterator[Remark], noun: Noun) -> tuple[Remark, ...]:
    """Remarks in the word for whoever is segmented."""
    return tuple(replace(one, text=noun.said(one.text, one.features)) for one in remarks)
