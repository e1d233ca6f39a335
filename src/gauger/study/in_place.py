"""What is asked again of a study whose customers stay in their database."""

from collections.abc import Mapping, Sequence
from functools import partial
from pathlib import Path

from gauger.features import FeatureSet, TreatmentSettings
from gauger.models import SegmentModel
from gauger.profiling import Profile
from gauger.remarks import Remark
from gauger.study.plan import Plan
from gauger.study.sources import place_of
from gauger.tables import Results, new_name, transaction
from gauger.warehouse import Destination, nobody, profile_table, refuse_other_study, rename_segments
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
        rename_segments(session, Destination(plan.into, True, results.token), model, names)


def nobody_of(plan: Plan, model: SegmentModel, noun: Noun) -> FeatureSet:
    """The features of a study of whose customers none is at hand."""
    settings = {name: given for name, given in plan.preparation().items() if name in TreatmentSettings.__match_args__}
    recipes = TreatmentSettings(**settings).by_feature(list(plan.features), list(plan.categories))
    treatments = {one.name: one.treatments for one in model.features}
    indicators = {one.name: one.indicator for one in model.features if one.indicator is not None}
    return nobody(model.key, treatments, indicators, recipes, noun)
