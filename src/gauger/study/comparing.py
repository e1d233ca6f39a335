"""The comparisons that a plan asks for: with a known column, or with the segments of another study."""

from pathlib import Path

import pandas as pd

from gauger.columns import checked_table, refuse_bad_key
from gauger.profiling import Comparison, compare
from gauger.segmentation import Segmentation
from gauger.study.opening import open_study
from gauger.study.plan_files import from_environment, hidden_variables
from gauger.study.plan_parts import ComparePart, Plan
from gauger.study.sources import read_source


def compared(seg: Segmentation, table: pd.DataFrame, part: ComparePart, plan: Plan, beside: Path) -> Comparison:
    """Segments compared with what a part of a plan in the folder `beside` names; `table` is the study's own."""
    if part.study is not None:
        with hidden_variables(part.study):
            return compare(seg, open_study(beside / from_environment(part.study)).assignments_like(table))
    known = table if part.table is None else read_source(part.table, beside, named="compare.table")
    known = checked_table(known, [plan.key, str(part.column)])
    refuse_bad_key(known[plan.key])
    return compare(seg, known.set_index(plan.key)[part.column])
