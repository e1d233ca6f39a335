"""What is asked again of a study whose customers stay where they live: in their database, or by a sample."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.errors import GaugerError
from gauger.features import FeatureSet, Preparation, prepare
from gauger.models import SegmentModel
from gauger.profiling import Profile
from gauger.remarks import Remark, attach_remarks, remarks_of
from gauger.sources import (
    TableTarget,
    as_sample,
    nobody,
    profile_table,
    refuse_other_study,
    rename_segments,
    treated_alike,
)
from gauger.study.plan_parts import Plan, SourcePart
from gauger.study.sources import place_of
from gauger.study.study_files import SAMPLE
from gauger.tables import Results, Standing, files_of, new_name, read_table, transaction
from gauger.wording import Noun


def profile_in_place(plan: Plan, folder: Path, model: SegmentModel, noun: Noun, remarks: Sequence[Remark]) -> Profile:
    """What each segment is like, worked out in the database."""
    source = plan.source
    assert source is not None
    assert source.table is not None
    assert plan.into is not None
    with transaction(place_of(source, folder)) as session:
        refuse_other_study(session, new_name(plan.into), model)
        return profile_table(session, source.table, plan.into, model, noun, remarks)


def rename_in_place(plan: Plan, results: Results, model: SegmentModel, names: Mapping[int, str]) -> None:
    """Write names into a study's tables of segments and centres, together with the files of its folder."""
    source = plan.source
    assert source is not None
    assert plan.into is not None
    url = place_of(source, results.folder, writes=True)
    with transaction(url, ready=partial(results.seal, url, plan.into)) as session:
        rename_segments(session, TableTarget(plan.into, True, results.token), model, names)


def nobody_of(plan: Plan, model: SegmentModel, noun: Noun) -> FeatureSet:
    """The features of a study of whose customers none is at hand."""
    recipes = Preparation(**plan.preparation()).recipes()
    treatments = {one.name: one.treatments for one in model.features}
    indicators = {one.name: one.indicator for one in model.features if one.indicator is not None}
    return nobody(model.key, treatments, indicators, recipes, noun)


def sampled_customers(there: Standing, plan: Plan, everyone: int) -> pd.DataFrame:
    """The sample of a study of customers who stay where they live; remarks say that it is one, and whether its files
    are what they were."""
    table, folder = read_table(there.path(SAMPLE)), there.folder
    remarks = [*remarks_of(table)]
    if len(table) < everyone:
        text = (
            f"a study out of core: what follows is of a sample of {len(table):,} out of {everyone:,}, chosen by a hash "
            "of the key. profile.csv has means and quartiles of everyone, centres.csv the sizes."
        )
        remarks.append(Remark("sample-of-all", text))
    if plan.source is not None and plan.source.bytes not in (None, _bytes_of(plan.source, folder)):
        text = (
            f"{plan.source.file} has changed since the study was made: what follows is of the customers as they were. "
            "Segment them again if the segments shall be of those that are there now."
        )
        remarks.append(Remark("source-changed", text))
    attach_remarks(table, remarks)
    return table


def rows_of(plan: Plan) -> int | None:
    """How many customers a study out of core read."""
    part = plan.events or plan.source
    return None if part is None else part.rows


def _bytes_of(source: SourcePart, folder: Path) -> int | None:
    try:
        return sum(file.stat().st_size for file in files_of(place_of(source, folder)))
    except (GaugerError, OSError):
        return None


def sampled_features(table: pd.DataFrame, plan: Plan, model: SegmentModel) -> tuple[FeatureSet, NDArray[np.int32]]:
    """The sample on the scale that everyone was treated to, and its segments (n,) by the model."""
    guess = prepare(table, **plan.preparation())
    indicators = {one.name: one.indicator for one in model.features if one.indicator is not None}
    features = treated_alike(guess, table, {one.name: one.treatments for one in model.features}, indicators)
    features = replace(features, recipes=guess.recipes)
    if len(table) < model.customers:
        features = as_sample(features)
    return features, model.rule.find_segments(np.ascontiguousarray(features.values.T), {})[0]
