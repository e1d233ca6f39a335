"""What stands in a study's folder, and how it gets there."""

from os import PathLike
from pathlib import Path

from gauger.errors import MissingFileError, StudyError
from gauger.study.plan_files import PLAN_FILE

ASSIGNMENTS, CENTRES, MODEL, REMARKS = "assignments.csv", "centres.csv", "model.json", "remarks.json"
CUSTOMERS, BEHAVIOUR = "customers.parquet", "behaviour.parquet"

ALWAYS = (ASSIGNMENTS, CENTRES, REMARKS, PLAN_FILE)
SOMETIMES = (
    *(MODEL, CUSTOMERS, BEHAVIOUR, "segments.png", "spread.png", "iterations.png", "branches.csv", "levels.png"),
    *("radii.csv", "radii.png", "neighbours.png", "merges.csv", "tree.png", "jumps.png", "series.png"),
)
"""Files of every study, and of those whose method has them; those of an earlier study in the folder then go."""


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
            "save_study wrote, or the file that is meant."
        )
    return folder


def is_study(path: str | PathLike[str]) -> bool:
    """Whether a path is the folder of a study."""
    return (Path(path) / PLAN_FILE).is_file()
