"""Queries that others wrote: one SELECT and nothing else, before it is sent anywhere."""

import logging
import re
from collections.abc import Iterator
from contextlib import contextmanager

from gauger.errors import SettingError
from gauger.wording import listed

_DIALECTS = {"postgresql": "postgres", "postgres": "postgres", "mariadb": "mysql", "mssql": "tsql"}
"""What sqlglot calls a database, where it is not what the URL begins with."""

_BEGINNINGS = ("SELECT", "WITH", "FROM", "L_PAREN")
"""The words, or the bracket, that a SELECT begins with; in DuckDB also FROM."""

_REACHING_OUT = {
    "postgres": r"pg_(?!typeof$)\w+|lo_\w+|dblink\w*|set_config|\w+_to_xml(?:schema|_and_xmlschema)?|nextval|setval",
    "duckdb": r"read_\w+|\w+_scan|glob|sniff_\w+|parquet_\w+|st_read\w*|getenv|query|query_table|\w+_attach",
    "sqlite": r"load_extension|readfile|writefile|edit|fsdir|fts3_tokenizer|zipfile|sqlar_\w+",
    "mysql": r"load_file|sys_exec|sys_eval|get_lock|sleep|benchmark",
    "tsql": r"openrowset|opendatasource|openquery|xp_\w+",
}
"""Functions that read or write files, open connections, run text as SQL, or change a server's state, by dialect."""


def refuse_other_than_select(query: str, kind: str) -> None:
    """Raise SettingError unless a query is exactly one SELECT that stays inside its database.

    `kind` is what the database's URL begins with, such as "postgresql". WITH and set operations are allowed; statements
    that change anything are not, wherever in the query they are, nor are functions that reach files or other servers.
    """
    import sqlglot
    from sqlglot import exp

    dialect = _DIALECTS.get(kind, kind)
    known = dialect if dialect in sqlglot.Dialects._value2member_map_ else None
    try:
        tokens = sqlglot.tokenize(query, read=known)
        if not tokens or tokens[0].token_type.name not in _BEGINNINGS:
            raise _not_a_select("it does not begin with SELECT or WITH")
        with _quietly():
            found = [one for one in sqlglot.parse(query, read=known) if one is not None]
    except sqlglot.errors.SqlglotError as error:
        where = (getattr(error, "errors", None) or [{}])[0]
        line = f" (line {where['line']}, column {where['col']})" if where.get("line") else ""
        raise SettingError(
            f"the query cannot be read as one SELECT{line}, so it is not sent. Correct it; or put it into a view of "
            "the database, and name that with table= (--table)."
        ) from error
    except RecursionError as error:
        raise _not_a_select("it is nested too deeply to be checked") from error
    if len(found) != 1:
        raise _not_a_select(f"it has {len(found)} statements")
    (statement,) = found
    if not isinstance(statement, exp.Query) or isinstance(statement, (exp.DML, exp.DDL)):
        raise _not_a_select("it is another kind of statement")
    changing = [one.key.upper() for one in statement.find_all(exp.DML, exp.DDL, exp.Command, exp.Into, exp.Lock)]
    if changing:
        raise _not_a_select(f"it holds {listed(dict.fromkeys(changing))}")
    reaching = re.compile(_REACHING_OUT.get(dialect, "|".join(_REACHING_OUT.values())), re.IGNORECASE)
    names = [one.name if isinstance(one, exp.Anonymous) else one.sql_name() for one in statement.find_all(exp.Func)]
    outside = [name.lower() for name in names if reaching.fullmatch(name)]
    if outside:
        raise SettingError(
            f"the query calls {listed(dict.fromkeys(outside))}, which can reach files, other servers or the server's "
            "own state, so it is not sent. Read files by their paths; put anything else into a view of the database, "
            "and name that with table= (--table)."
        )


@contextmanager
def _quietly() -> Iterator[None]:
    """Let the parser not warn about what is refused anyway."""
    log = logging.getLogger("sqlglot")
    before, log.disabled = log.disabled, True
    try:
        yield
    finally:
        log.disabled = before


def _not_a_select(why: str) -> SettingError:
    return SettingError(
        f"a query must be exactly one SELECT (WITH and UNION are allowed), and {why}. Nothing was sent to the database."
    )
