"""Where the shipped files of the demo world are."""

from pathlib import Path

from gauger.errors import MissingFileError

DATA_FOLDER = Path(__file__).parent / "data"


def demo_file(name: str) -> Path:
    """Give the path of a shipped demo table: members.csv, visits.csv, houses.csv, panel.csv and others.

    Parameters
    ----------
    name : str
        The file's name.

    Returns
    -------
    pathlib.Path
        Where it is.

    Raises
    ------
    MissingFileError
        When there is no such table; with the nearest names.

    Examples
    --------
    >>> import gauger
    >>> gauger.demo_file("members.csv").name
    'members.csv'
    """
    path = DATA_FOLDER / name
    if not path.is_file():
        raise MissingFileError.at(path)
    return path
