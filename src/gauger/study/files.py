"""What stands in a study's folder, and how it gets there."""

from os import PathLike
from pathlib import Path

import pandas as pd
from pandas.api import types

from gauger.errors import MissingFileError, StudyError
from gauger.study.plan_files import PLAN_FILE
from gauger.tables import read_table

ASSIGNMENTS, CENTRES, MODEL, REMARKS = "assignments.csv", "centres.csv", "model.json", "remarks.json"
CUSTOMERS, BEHAVIOUR = "customers.parquet", "behaviour.parquet"

ASSIGNMENTS_PARQUET, ASSIGNED_PARTS = "assignments.parquet", "assignments"
SAMPLE, PROFILE = "sample.parquet", "profile.csv"
"""Of a study by blocks: the customers it is looked at by, and what its segments are like."""

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


def assignments_of(folder: Path) -> Path:
    """Where a study has who is in which segment: a file, or a folder of parts."""
    known = (folder / name for name in (ASSIGNMENTS_PARQUET, ASSIGNED_PARTS))
    return next((path for path in known if path.exists()), folder / ASSIGNMENTS)


def read_assignments(folder: Path, *, keys_as_text: str | None = None) -> pd.DataFrame:
    """Who is in which segment, of everyone in a study; a key that is to be text is named."""
    place = assignments_of(folder)
    if place.name == ASSIGNMENTS:
        return read_table(place, as_text=[] if keys_as_text is None else [keys_as_text])
    paths = sorted(place.glob("**/*.parquet")) if place.is_dir() else [place]
    table = pd.concat([read_table(path) for path in paths], ignore_index=True)
    if keys_as_text is not None and not types.is_string_dtype(table[keys_as_text]):
        table[keys_as_text] = table[keys_as_text].astype("str")
    return table


def assignment_files(folder: Path) -> list[str]:
    """Every file of assignments that stands in a folder, whatever its form."""
    parts = sorted((folder / ASSIGNED_PARTS).glob("**/*.parquet"))
    names = [path.relative_to(folder).as_posix() for path in parts]
    return [*(name for name in (ASSIGNMENTS, ASSIGNMENTS_PARQUET) if (folder / name).exists()), *names]


def study_folder(path: str | PathLike[str]) -> Path:
    """The folder of a study; raises MissingFileError, or StudyError for a folder that is none."""
    folder = Path(path)
    if not folder.exists():
        raise MissingFileError.at(folder)
    if not folder.is_dir():
        raise StudyError(f"{folder} is a file, not the folder of a study (what `gauger segment` wrote with --out).")
    if not (folder / PLAN_FILE).is_file():
        raise StudyError(
            f"{folder} is a folder without {PLAN_FILE}: no study. Name one that `gauger segment`, `gauger tree` or "
            "save_study wrote, or the file that is meant; of a folder of files say the key (--key)."
        )
    return folder


def is_study(path: str | PathLike[str]) -> bool:
    """Whether a path is the folder of a study."""
    return (Path(path) / PLAN_FILE).is_file()
