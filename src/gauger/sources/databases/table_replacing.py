"""What results may replace in a database: a table that Gauger made, and never one that is read, under any name."""

from collections.abc import Sequence

from gauger.errors import DatabaseError
from gauger.models import LearnedModel
from gauger.sources.databases.relations import Relation, kinds_of
from gauger.tables import Session, TableName, mark_and_words, mark_of, sql_text

_FOLLOWED_IN_POSTGRES = """
WITH RECURSIVE followed(oid) AS (
    SELECT to_regclass({name})::oid
    UNION
    SELECT further.oid FROM followed JOIN LATERAL (
        SELECT d.refobjid AS oid FROM pg_rewrite r JOIN pg_depend d
            ON d.classid = 'pg_rewrite'::regclass AND d.objid = r.oid AND d.refclassid = 'pg_class'::regclass
            WHERE r.ev_class = followed.oid
        UNION ALL SELECT inhrelid FROM pg_inherits WHERE inhparent = followed.oid
        UNION ALL SELECT inhparent FROM pg_inherits WHERE inhrelid = followed.oid
    ) AS further ON TRUE
) SELECT oid FROM followed
"""
"""A relation and all that it is made of: what its views read, and its partitions."""


def refuse_taken(session: Session, names: Sequence[TableName], sources: Sequence[Relation], *, replace: bool) -> None:
    """Raise DatabaseError where tables to be written are read, are there already, or were not made by Gauger.

    Names are looked up in the database's catalogue and views are followed, so that no other spelling or view of a
    table that is read gets past.
    """
    there = [name for name in names if kinds_of(session, name)]
    if not there:
        return
    read = {identity for source in sources for identity in _followed(session, source.name)}
    for name in there:
        if _identity(session, name) in read:
            raise DatabaseError(
                f"table {name.typed} is read by this command, perhaps through a view. Nothing was written: name "
                "another table for the results (into=, --into)."
            )
        if not replace:
            raise DatabaseError(
                f"{session.shown}: table {name.typed} already exists; add --replace to overwrite it (in Python: "
                "replace=True), or name another table (--into, into=)."
            )
        if mark_of(session, name) is None:
            raise DatabaseError(
                f"{session.shown}: table {name.typed} was not made by Gauger, so it is not overwritten. Name another "
                "table (--into, into=), or drop it yourself if nobody needs it."
            )


def refuse_other_study(session: Session, name: TableName, model: LearnedModel) -> None:
    """Raise DatabaseError unless a table holds the segments of a model."""
    found = mark_and_words(session, name)
    if found is not None and found[0].study == model.identity:
        return
    if found is None:
        what = "was not made by Gauger" if kinds_of(session, name) else "is not there any more"
    else:
        what = f'belongs to another study ("{found[1]}")'
    raise DatabaseError(
        f"{session.shown}: table {name.typed} {what}, and this study's segments were written there on {model.made_at}. "
        "Nothing was changed: segment again into another table (gauger segment … --into TABLE)."
    )


def _identity(session: Session, name: TableName) -> object:
    """What a relation is in the database's catalogue, however it is spelled; None if it does not exist."""
    if session.dialect == "postgres":
        return session.row(f"SELECT to_regclass({sql_text(name.sql)})::oid")[0]
    if session.dialect == "sqlite":
        return name.name.lower()
    schema = "current_schema()" if name.schema is None else sql_text(name.schema)
    rows = session.rows(
        "SELECT table_schema, table_name FROM information_schema.tables WHERE table_catalog = current_database() AND "
        f"lower(table_schema) = lower({schema}) AND lower(table_name) = lower({sql_text(name.name)})"
    )
    return tuple(rows[0]) if rows else None


def _followed(session: Session, name: TableName) -> set[object]:
    """The identities of a relation and of all that it reads, if it is a view."""
    if session.dialect == "postgres":
        return {row[0] for row in session.rows(_FOLLOWED_IN_POSTGRES.format(name=sql_text(name.sql)))}
    found: set[object] = set()
    waiting = [name]
    while waiting:
        one = waiting.pop()
        identity = _identity(session, one)
        if identity is not None and identity not in found:
            found.add(identity)
            waiting += _read_by_view(session, one)
    return found


def _read_by_view(session: Session, name: TableName) -> list[TableName]:
    """The tables that the definition of a view names; none for a table."""
    import sqlglot

    own = sql_text(name.name)
    if session.dialect == "sqlite":
        rows = session.rows(f"SELECT sql FROM sqlite_master WHERE type = 'view' AND name = {own} COLLATE NOCASE")
    else:
        schema = "current_schema()" if name.schema is None else sql_text(name.schema)
        rows = session.rows(
            "SELECT sql FROM duckdb_views() WHERE database_name = current_database() AND "
            f"lower(schema_name) = lower({schema}) AND lower(view_name) = lower({own})"
        )
    if not rows:
        return []
    try:
        statement = sqlglot.parse_one(str(rows[0][0]), read=session.dialect)
    except sqlglot.errors.SqlglotError as error:
        raise DatabaseError(
            f"{session.shown}: which tables the view {name.typed} reads is unknown, so no existing table is "
            "overwritten. Read the table itself, or write into a new one (--into)."
        ) from error
    return [TableName(one.db or None, one.name) for one in statement.find_all(sqlglot.exp.Table)]
