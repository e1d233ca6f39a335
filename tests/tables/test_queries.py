"""A query is one SELECT, for the parser, for the driver, and for whoever wrote it."""

import sqlite3
from collections.abc import Callable
from pathlib import Path

import duckdb
import pandas as pd
import pytest

import gauger
from gauger.errors import DatabaseError, GaugerError, SettingError
from gauger.tables import databases, sessions
from gauger.tables.queries import refuse_other_than_select
from tests.own_segments import database_segmented

SELECTS = [
    "SELECT who, visits FROM members",
    "  -- a remark\n SELECT 1;",
    "WITH few AS (SELECT * FROM members LIMIT 2) SELECT * FROM few",
    "(SELECT 1 AS a) UNION ALL SELECT 2 INTERSECT SELECT 3",
    "SELECT COUNT(*) OVER (PARTITION BY visits), ';' AS mark FROM members WHERE who <> 'DROP TABLE x'",
    "SELECT * FROM (SELECT who FROM members) AS inner_one JOIN members USING (who)",
]
OTHERS = [
    ("", "does not begin with SELECT"),
    ("   ", "does not begin with SELECT"),
    ("DROP TABLE members", "does not begin with SELECT"),
    ("COPY members TO '/tmp/x.csv'", "does not begin with SELECT"),
    ("ATTACH '/tmp/x.db' AS x", "does not begin with SELECT"),
    ("VACUUM INTO '/tmp/x.db'", "does not begin with SELECT"),
    ("PRAGMA writable_schema = 1", "does not begin with SELECT"),
    ("EXPLAIN ANALYZE DELETE FROM members", "does not begin with SELECT"),
    ("SELECT 1; DROP TABLE members", "it has 2 statements"),
    ("SELECT 1; SELECT 2", "it has 2 statements"),
    ("WITH gone AS (DELETE FROM members RETURNING *) SELECT * FROM gone", "it holds DELETE"),
    ("WITH new AS (INSERT INTO members VALUES ('x', 1) RETURNING *) SELECT * FROM new", "it holds INSERT"),
    ("SELECT * INTO copied FROM members", "it holds INTO"),
    ("SELECT * FROM members FOR UPDATE", "it holds LOCK"),
    ("SELECT (", "cannot be read as one SELECT"),
    ("SELECT " + "(" * 3_000 + "1" + ")" * 3_000, "nested too deeply|cannot be read"),
]
REACHING = [
    ("postgresql", "SELECT pg_read_file('/etc/passwd')", "pg_read_file"),
    ("postgresql", "SELECT lo_import('/etc/passwd') FROM members", "lo_import"),
    ("postgresql", "SELECT * FROM dblink('host=elsewhere', 'SELECT 1') AS t(a int)", "dblink"),
    ("postgres", "SELECT set_config('a', 'b', false)", "set_config"),
    ("postgresql", "SELECT query_to_xml('DROP TABLE x', true, true, '')", "query_to_xml"),
    ("duckdb", "SELECT * FROM read_csv('/etc/passwd')", "read_csv"),
    ("duckdb", "SELECT * FROM members WHERE who IN (SELECT * FROM read_text('/etc/passwd'))", "read_text"),
    ("duckdb", "FROM glob('/*')", "glob"),
    ("duckdb", "SELECT * FROM sqlite_scan('x.db', 't')", "sqlite_scan"),
    ("sqlite", "SELECT load_extension('x.so')", "load_extension"),
    ("sqlite", "SELECT writefile('x', 'y')", "writefile"),
    ("mysql", "SELECT LOAD_FILE('/etc/passwd')", "load_file"),
    ("strange", "SELECT pg_read_file('/etc/passwd')", "pg_read_file"),
]


@pytest.mark.parametrize("kind", ["postgresql", "duckdb", "sqlite", "mysql", "nobody-knows"])
@pytest.mark.parametrize("query", SELECTS)
def test_one_select_is_let_through(query: str, kind: str) -> None:
    refuse_other_than_select(query, kind)


@pytest.mark.parametrize("kind", ["postgresql", "duckdb", "sqlite"])
@pytest.mark.parametrize(("query", "why"), OTHERS)
def test_anything_else_is_refused_with_the_reason(query: str, why: str, kind: str) -> None:
    with pytest.raises(SettingError, match=why):
        refuse_other_than_select(query, kind)


@pytest.mark.parametrize(("kind", "query", "named"), REACHING)
def test_functions_that_reach_out_of_the_database_are_refused_by_name(kind: str, query: str, named: str) -> None:
    with pytest.raises(SettingError, match=rf"the query calls {named}, which can reach files"):
        refuse_other_than_select(query, kind)
    if kind == "postgresql":
        refuse_other_than_select("SELECT pg_typeof(1), length('x')", kind)


@pytest.fixture
def shops(tmp_path: Path) -> dict[str, str]:
    """An SQLite and a DuckDB file with the same small table."""
    rows = pd.DataFrame({"who": ["a", "b"], "visits": [1, 2]})
    with sqlite3.connect(tmp_path / "shop.db") as lite:
        rows.to_sql("members", lite, index=False)
    with duckdb.connect(str(tmp_path / "shop.duckdb")) as duck:
        duck.sql("CREATE TABLE members AS SELECT * FROM rows")
    return {"sqlite": f"sqlite:///{tmp_path}/shop.db", "duckdb": f"duckdb:///{tmp_path}/shop.duckdb"}


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["sqlite", "duckdb"])
def test_a_query_is_answered_and_changes_nothing(kind: str, shops: dict[str, str], tmp_path: Path) -> None:
    before = {path.name: path.read_bytes() for path in tmp_path.iterdir()}
    found = gauger.read_table(shops[kind], query="SELECT who, visits * 2 AS twice FROM members ORDER BY who")
    assert found["twice"].tolist() == [2, 4]
    for query, _ in OTHERS:
        with pytest.raises(GaugerError):
            gauger.read_table(shops[kind], query=query.replace("/tmp/", f"{tmp_path}/"))
    assert {path.name: path.read_bytes() for path in tmp_path.iterdir()} == before


@pytest.mark.parametrize(
    ("kind", "query", "told"),
    [
        ("sqlite", "DROP TABLE members", "not authorized|denied"),
        ("sqlite", "ATTACH 'FOLDER/new.db' AS new", "not authorized|denied"),
        ("sqlite", "VACUUM INTO 'FOLDER/new.db'", "not authorized|denied"),
        ("duckdb", "DROP TABLE members", "must be exactly one SELECT"),
        ("duckdb", "COPY members TO 'FOLDER/new.csv'", "must be exactly one SELECT"),
        ("duckdb", "SELECT * FROM read_csv('FOLDER/secret.csv')", "Nothing outside the database's own file is read"),
        ("duckdb", "SELECT * FROM members; DROP TABLE members", "must be exactly one SELECT"),
    ],
)
def test_the_driver_refuses_too_what_a_parser_might_miss(
    kind: str, query: str, told: str, shops: dict[str, str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for module in (databases, sessions):
        monkeypatch.setattr(module, "refuse_other_than_select", lambda *_: None)
    (tmp_path / "secret.csv").write_text("a\n1\n")
    before = sorted(tmp_path.iterdir())
    with pytest.raises((DatabaseError, SettingError), match=told):
        gauger.read_table(shops[kind], query=query.replace("FOLDER", str(tmp_path)))
    assert sorted(tmp_path.iterdir()) == before
    assert len(gauger.read_table(shops[kind], table="members")) == 2


@pytest.mark.slow
def test_a_view_in_a_database_that_somebody_sent_reads_no_file(shops: dict[str, str], tmp_path: Path) -> None:
    (tmp_path / "secret.csv").write_text("who,visits\nx,1\ny,2\nz,9\n")
    with duckdb.connect(str(tmp_path / "shop.duckdb")) as duck:
        duck.sql(f"CREATE VIEW looking AS SELECT * FROM read_csv('{tmp_path}/secret.csv')")
    told = "Nothing outside the database's own file is read: give Gauger the other files by their paths"
    tries: list[Callable[[], object]] = [
        lambda: gauger.read_table(shops["duckdb"], table="looking"),
        lambda: gauger.look(gauger.open_table(shops["duckdb"], table="looking")),
        lambda: database_segmented(shops["duckdb"], table="looking", into="s", key="who", count=2),
    ]
    for work in tries:
        with pytest.raises(DatabaseError, match=told):
            work()


@pytest.mark.slow
def test_postgres_keeps_a_query_from_writing(postgres: str, monkeypatch: pytest.MonkeyPatch) -> None:
    assert gauger.read_table(postgres, query="SELECT COUNT(*) AS n FROM members")["n"].tolist() == [2400]
    with pytest.raises(SettingError, match="it holds DELETE"):
        gauger.read_table(postgres, query="WITH gone AS (DELETE FROM members RETURNING *) SELECT * FROM gone")
    monkeypatch.setattr(databases, "refuse_other_than_select", lambda *_: None)
    for query, told in (
        (
            "WITH gone AS (DELETE FROM members RETURNING *) SELECT * FROM gone",
            "DECLARE CURSOR must not contain|read-only",
        ),
        ("SELECT 1; COMMIT; DROP TABLE members", "cannot insert multiple commands"),
        ("SELECT nextval('no_such')", "does not exist|read-only"),
    ):
        with pytest.raises(DatabaseError, match=told):
            gauger.read_table(postgres, query=query)
    assert gauger.read_table(postgres, query="SELECT COUNT(*) AS n FROM members")["n"].tolist() == [2400]
