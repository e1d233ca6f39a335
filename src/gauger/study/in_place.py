"""What is asked again of a study whose customers stay in their database."""

from collections.abc import Sequence
from pathlib import Path

from gauger.models import SegmentModel
from gauger.profiling import Profile
from gauger.remarks import Remark
from gauger.study.plan import Plan
from gauger.study.sources import place_of
from gauger.tables import transaction
from gauger.warehouse import profile_table
from gauger.wording import Noun


def profile_in_place(plan: Plan, folder: Path, model: SegmentModel, noun: Noun, remarks: Sequence[Remark]) -> Profile:
    """What each segment is like, worked out in the database."""
    source = plan.source
    assert source is not None
    assert source.table is not None
    assert plan.into is not None
    with transaction(place_of(source, folder)) as session:
        return profile_table(session, source.table, plan.into, model, noun, remarks)
