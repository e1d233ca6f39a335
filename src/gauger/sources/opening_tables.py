"""Open a table where it lives: files, or a table of a database."""

from collections.abc import Mapping, Sequence
from os import PathLike

from gauger.columns import OpenTable
from gauger.errors import SettingError
from gauger.sources.databases import DatabaseTable
from gauger.sources.execution import Execution
from gauger.sources.files import FileTable
from gauger.tables import ReadingRules, approve_typed, is_url

Source = str | PathLike[str] | Sequence[str | PathLike[str]]


def open_table(
    source: Source,
    *,
    table: str | None = None,
    execution: Execution | None = None,
    decimal: str = ".",
    thousands: str | None = None,
    dates: str | Mapping[str, str] | None = None,
    as_text: Sequence[str] = (),
    as_missing: Mapping[str, object] | None = None,
    header: bool | None = None,
    encoding: str | None = None,
) -> OpenTable:
    """Open a table where it lives: files of any number and size, or a table of a database.

    Nothing is read before it is needed. `look`, `summarise_events`, `prepare`, `SegmentModel.assign` and `drift` take
    what is returned as they take a DataFrame. Files are read block by block, in constant memory; in a database all work
    is SQL, so that customers stay there.

    Parameters
    ----------
    source : str, path-like or sequence of them
        A file (.parquet, .csv, .tsv, .jsonl), a folder of such files, a pattern such as `base/*.parquet`, a list; or
        the URL of a database: `postgresql://user@host/shop`, `duckdb:///shop.duckdb` or `sqlite:///shop.db`. PostgreSQL
        needs the extra `sql`; passwords are best left to the environment (PGPASSWORD) or the driver's own files.
    table : str, optional
        Of a database: the table or view with one row per customer, perhaps with its schema before a point; either in
        double quotes where it holds a point itself.
    execution : Execution, optional
        Where and how the work runs: the size of the sample, a Dask cluster, memory.
    decimal, thousands, dates, as_text, as_missing, header, encoding : optional
        How text files are read, as for `read_table`.

    Returns
    -------
    OpenTable
        The table; printing it says what is known of it.

    Raises
    ------
    MissingFileError, TableFileError
        For files that are not there, or that cannot be read.
    SettingError
        For a database without `table`, and for settings that do not fit the source.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     for name, part in {"one": table[:2], "two": table[2:]}.items():
    ...         _ = gauger.write_table(part, f"{folder}/{name}.parquet")
    ...     features = gauger.prepare(gauger.open_table(f"{folder}/*.parquet"), key="who")
    ...     gauger.segment_by_kmeans(features, 2).sizes.to_dict()
    {1: 3, 2: 2}
    """
    reading = {
        "decimal": decimal,
        "thousands": thousands,
        "dates": dates,
        "as_text": tuple(as_text),
        "as_missing": dict(as_missing or {}),
        "header": header,
        "encoding": encoding,
    }
    rules = ReadingRules(**reading)  # type: ignore[arg-type]
    if not (isinstance(source, str) and is_url(source)):
        if table is not None:
            raise SettingError("table= names a table of a database: leave it out with files.")
        return FileTable(source, rules, execution)
    if table is None:
        raise SettingError("say which table or view of the database: table='…'.")
    if rules != ReadingRules():
        raise SettingError("a database's table is read as it is: how text is read is for files.")
    approve_typed(source)
    return DatabaseTable(source, table, execution)
