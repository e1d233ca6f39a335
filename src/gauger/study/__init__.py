"""The study folder and its plan: what was done, kept so that it is never asked or typed again."""

from gauger.study.carrying import with_earlier_names
from gauger.study.faults import told_faults
from gauger.study.files import ALWAYS, ASSIGNMENTS, MODEL, SOMETIMES, is_study, study_folder
from gauger.study.finding import Found, cut_tree, find_segments
from gauger.study.method_files import add_radius_files, readable_merges
from gauger.study.movement import migration_between
from gauger.study.naming import name_study
from gauger.study.opening import Study, open_study
from gauger.study.plan import (
    BandsPart,
    CountsPart,
    DensityPart,
    FiguresPart,
    KmeansPart,
    LevelsPart,
    Plan,
    SegmentsPart,
    TreePart,
)
from gauger.study.plan_files import PLAN_FILE, read_plan
from gauger.study.saving import Origin, add_study, save_study, study_results
from gauger.study.sources import moved_part, read_customers, read_source, source_part

__all__ = [
    "ALWAYS",
    "ASSIGNMENTS",
    "MODEL",
    "PLAN_FILE",
    "SOMETIMES",
    "BandsPart",
    "CountsPart",
    "DensityPart",
    "FiguresPart",
    "Found",
    "KmeansPart",
    "LevelsPart",
    "Origin",
    "Plan",
    "SegmentsPart",
    "Study",
    "TreePart",
    "add_radius_files",
    "add_study",
    "cut_tree",
    "find_segments",
    "is_study",
    "migration_between",
    "moved_part",
    "name_study",
    "open_study",
    "read_customers",
    "read_plan",
    "read_source",
    "readable_merges",
    "save_study",
    "source_part",
    "study_folder",
    "study_results",
    "told_faults",
    "with_earlier_names",
]
