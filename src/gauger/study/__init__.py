"""The study folder and its plan: what was done, kept so that it is never asked or typed again."""

from gauger.study.block_study import (
    FORMATS,
    BlockRequest,
    learn,
    overview_of,
    segment,
    source_of,
    told_sample,
    working_on,
    write_block_study,
)
from gauger.study.by_blocks import FileSegments, prepare_files, segment_files
from gauger.study.carrying import with_earlier_names
from gauger.study.drafting import PlanDraft, draft_plan
from gauger.study.faults import told_faults
from gauger.study.files import ALWAYS, ASSIGNMENT_FILES, ASSIGNMENTS, MODEL, is_study
from gauger.study.finding import Found, cut_tree, find_segments, remarks_beside
from gauger.study.gathering import contents_of
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
from gauger.study.plan_files import PLAN_FILE, plan_file, read_plan
from gauger.study.plan_runs import run_plan
from gauger.study.refusing import refuse_remarks
from gauger.study.reporting import refuse_ending, write_contents, write_report, write_workbook
from gauger.study.sampled import as_sample
from gauger.study.saving import Origin, add_study, save_study, study_results
from gauger.study.sources import moved_part, moved_plan, place_of, read_customers, source_part
from gauger.study.step_files import (
    COMPARE_FILES,
    COMPARE_FILES_OF_SOME,
    COUNT_FILES,
    PROFILE_FILES,
    PROFILE_FILES_OF_SOME,
    add_comparison_files,
    add_count_files,
    add_profile_files,
)

__all__ = [
    "ALWAYS",
    "ASSIGNMENTS",
    "ASSIGNMENT_FILES",
    "COMPARE_FILES",
    "COMPARE_FILES_OF_SOME",
    "COUNT_FILES",
    "FORMATS",
    "MODEL",
    "PLAN_FILE",
    "PROFILE_FILES",
    "PROFILE_FILES_OF_SOME",
    "BandsPart",
    "BlockRequest",
    "CountsPart",
    "DensityPart",
    "FiguresPart",
    "FileSegments",
    "Found",
    "KmeansPart",
    "LevelsPart",
    "Origin",
    "Plan",
    "PlanDraft",
    "SegmentsPart",
    "Study",
    "TreePart",
    "add_comparison_files",
    "add_count_files",
    "add_profile_files",
    "add_radius_files",
    "add_study",
    "as_sample",
    "contents_of",
    "cut_tree",
    "draft_plan",
    "find_segments",
    "is_study",
    "learn",
    "migration_between",
    "moved_part",
    "moved_plan",
    "name_study",
    "open_study",
    "overview_of",
    "place_of",
    "plan_file",
    "prepare_files",
    "read_customers",
    "read_plan",
    "readable_merges",
    "refuse_ending",
    "refuse_remarks",
    "remarks_beside",
    "run_plan",
    "save_study",
    "segment",
    "segment_files",
    "source_of",
    "source_part",
    "study_results",
    "told_faults",
    "told_sample",
    "with_earlier_names",
    "working_on",
    "write_block_study",
    "write_contents",
    "write_report",
    "write_workbook",
]
