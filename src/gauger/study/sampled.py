"""A study by blocks is looked at by a sample of its customers, treated as everyone was."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.engine import learned_features
from gauger.errors import GaugerError
from gauger.features import FeatureSet, prepare
from gauger.models import SegmentModel
from gauger.remarks import Remark, attach_remarks, remarks_of
from gauger.study.files import SAMPLE
from gauger.study.plan import Plan, SourcePart
from gauger.study.sources import place_of
from gauger.tables import Standing, files_of, read_table
from gauger.wording import Noun


def sampled_customers(there: Standing, plan: Plan) -> pd.DataFrame:
    """The sample of a study by blocks; remarks say that it is one, and whether its files are what they were."""
    table, folder = read_table(there.path(SAMPLE)), there.folder
    everyone = rows_of(plan)
    remarks = [*remarks_of(table)]
    if everyone is not None and len(table) < everyone:
        text = (
            f"a study by blocks: what follows is of a sample of {len(table):,} out of {everyone:,}, chosen by a hash "
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
    """How many customers a study by blocks read."""
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
    treatments = tuple(one.treatments for one in model.features)
    features = learned_features(guess, table, model.names, indicators, treatments, guess.recipes)
    if len(table) < (rows_of(plan) or 0):
        features = as_sample(features)
    return features, model.rule.find_segments(np.ascontiguousarray(features.values.T), {})[0]


def as_sample(features: FeatureSet) -> FeatureSet:
    """Features of a sample, whose customers are called so."""
    noun = features.noun
    return replace(features, noun=Noun(f"sampled {noun.one}", f"sampled {noun.many}"))
