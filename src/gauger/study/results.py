"""The folder of a study that is being made: all of its files appear together, or none."""

from collections.abc import Sequence
from contextlib import AbstractContextManager
from pathlib import Path

from gauger.study.study_files import ALWAYS, ASSIGNMENTS, CUSTOMERS, SOMETIMES, assignment_files
from gauger.tables import Results, Standing, is_url, result_folder


def study_results(
    folder: Path,
    *,
    replace: bool,
    sources: Sequence[object] = (),
    also: Sequence[str] = (),
    assignments: Sequence[str] = (ASSIGNMENTS,),
) -> AbstractContextManager[Results]:
    """The folder of a study that is being made, with `also` further files; who is where is written to `assignments`."""
    files = [one for one in sources if isinstance(one, (str, Path)) and not is_url(str(one))]
    own = [name for name in SOMETIMES if name != CUSTOMERS or not _is_among(folder / name, files)]
    own += [name for name in assignment_files(Standing(folder)) if name not in (*assignments, *also)]
    return result_folder(
        folder, (*assignments, *ALWAYS), optional=(*own, *also), replace=replace, sources=files, alone=True
    )


def _is_among(path: Path, files: Sequence[str | Path]) -> bool:
    """Whether a file is one of those that are read: a study made again of the table that it keeps, keeps it."""
    return path.exists() and any(Path(file).exists() and path.samefile(file) for file in files)
