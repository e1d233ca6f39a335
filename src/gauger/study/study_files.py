"""What stands in a study's folder, and how it gets there."""

from os import PathLike
from pathlib import Path

import pandas as pd
from pandas.api import types

from gauger.errors import MissingFileError, StudyError
from gauger.study.plan_files import PLAN_FILE
from gauger.tables import Standing, read_table, standing_in

ASSIGNMENTS, CENTRES, MODEL, REMARKS = "assignments.csv", "centres.csv", "model.json", "remarks.json"
CUSTOMERS, BEHAVIOUR = "customers.parquet", "behaviour.parquet"

ASSIGNMENTS_PARQUET, ASSIGNED_PARTS = "assignments.parquet", "assignments"
SAMPLE, PROFILE = "sample.parquet", "profile.csv"
"""Of a study out of core: the customers it is looked at by, and what its segments are like."""

ASSIGNMENT_FILES = {"csv": ASSIGNMENTS, "parquet": ASSIGNMENTS_PARQUET}
"""The file of assignments by its format."""

ALWAYS = (CENTRES, REMARKS, PLAN_FILE)
SOMETIMES = (
    *(MODEL, CUSTOMERS, BEHAVIOUR, "segments.png", "spread.png", "iterations.png", "branches.csv", "levels.png"),
    *("radii.csv", "radii.png", "neighbours.png", "merges.csv", "tree.png", "jumps.png", "series.png"),
    *(SAMPLE, PROFILE),
)
"""Files of every study, and of those whose method has them; those of an earlier study in the folder then go."""

COUNT_FILES = ("counts.csv", "counts.png", "silhouettes.png", "splits.png", "features.png")

_TABLES = (
    *("sizes", "means", "medians", "lower_quartiles", "upper_quartiles", "standard_deviations", "index", "scores"),
    *("measures", "categories", "category_index", "known", "drivers", "associations", "rules", "names"),
)
_TABLES_OF_SOME = ("overlap", "exemplars", "dates", "differences")
PROFILE_FILES = tuple(f"{name}.csv" for name in _TABLES)
PROFILE_FILES_OF_SOME = (
    *(f"{name}.csv" for name in _TABLES_OF_SOME),
    *("profile.png", "heat.png", "lines.png", "bubbles.png", "categories.png", "boxes.png", "pairs.png"),
    "components.png",
)
COMPARE_FILES = ("crossing.csv", "matches.csv", "customers.csv", "flow.png")
COMPARE_FILES_OF_SOME = ("worth.csv", "side-by-side.png")
"""Files of a step of a study: of each, and of those that have enough for them."""


def read_assignments(folder: Path, *, keys_as_text: str | None = None) -> pd.DataFrame:
    """Who is in which segment, of everyone in a study; a key that is to be text is named."""
    there = standing_in(folder)
    names = assignment_files(there)
    if names in ([], [ASSIGNMENTS]):
        return read_table(there.path(ASSIGNMENTS), as_text=[] if keys_as_text is None else [keys_as_text])
    table = pd.concat([read_table(there.path(name)) for name in names if name != ASSIGNMENTS], ignore_index=True)
    if keys_as_text is not None and not types.is_string_dtype(table[keys_as_text]):
        table[keys_as_text] = table[keys_as_text].astype("str")
    return table


def assignment_files(there: Standing) -> list[str]:
    """Every file of assignments in a study's folder, whatever its form."""
    parts = [name for name in there.names(ASSIGNED_PARTS) if name.endswith(".parquet")]
    return [*(name for name in (ASSIGNMENTS, ASSIGNMENTS_PARQUET) if there.path(name).exists()), *parts]


def study_folder(path: str | PathLike[str]) -> Path:
    """The folder of a study; raises MissingFileError, or StudyError for a folder that is none."""
    folder = Path(path)
    if not folder.exists():
        raise MissingFileError.at(folder)
    if not folder.is_dir():
        raise StudyError(f"{folder} is a file, not the folder of a study (what `gauger segment` wrote with --out).")
    if not is_study(folder):
        raise StudyError(
            f"{folder} is a folder without {PLAN_FILE}: no study. Name one that `gauger segment`, `gauger tree` or "
            "save_study wrote, or the file that is meant; of a folder of files say the key (--key)."
        )
    return folder


def is_study(path: str | PathLike[str]) -> bool:
    """Whether a path is the folder of a study."""
    return (Path(path) / PLAN_FILE).is_file() or standing_in(Path(path)).path(PLAN_FILE).is_file()
