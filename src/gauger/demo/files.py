"""Where the shipped files of the demo world are."""

from pathlib import Path

from gauger.errors import MissingFileError

DATA_FOLDER = Path(__file__).parent / "data"


def demo_file(name: str) -> Path:
    """The path of a shipped demo table: members.csv, visits.csv, houses.csv, panel.csv and others.

    Raises MissingFileError with the nearest names when there is no such table.

    >>> import gauger
    >>> gauger.demo_file("members.csv").name
    'members.csv'
    """
    path = DATA_FOLDER / name
    if not path.is_file():
        raise MissingFileError.at(path)
    return path
