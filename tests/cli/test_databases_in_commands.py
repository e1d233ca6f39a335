"""Commands on a database whose customers stay there."""

from pathlib import Path

import duckdb
import pytest

import gauger
from tests.conftest import Run

URL = "duckdb:///shop.duckdb"
PREPARATION = ("--key", "member_id", "--features", "recency_days,visits,spend_mean", "--cap", "0,0.99")


@pytest.fixture
def shop(tmp_path: Path) -> Path:
    """A DuckDB with the demo's members and visits, and their behaviour."""
    file = tmp_path / "shop.duckdb"
    with duckdb.connect(str(file)) as database:
        for name in ("members", "visits"):
            database.register("given", gauger.read_table(gauger.demo_file(f"{name}.csv")))
            database.execute(f"CREATE TABLE {name} AS SELECT * FROM given")
    gauger.summarise_events(
        gauger.open_table(f"duckdb:///{file}", table="visits"),
        into="behaviour",
        customer="member_id",
        when="visited_on",
        amount="ticket_spend",
        event_key="visit_id",
    )
    return file


@pytest.mark.slow
def test_all_the_way_inside_a_database(command: Run, shop: Path, tmp_path: Path) -> None:
    words = ("--customer", "member_id", "--when", "visited_on", "--amount", "ticket_spend", "--event-key", "visit_id")
    made = command("features", URL, "--table", "visits", *words, "--in-database", "--into", "again")
    assert made.returncode == 0, made.stderr
    assert "36,795 events of 2,355 members" in made.stdout
    assert "Made table again in the database. No row of an event left it." in made.stdout
    looked = command("look", URL, "--table", "behaviour", "--key", "member_id", "--in-database", "--out", "look")
    assert looked.returncode == 0, looked.stderr
    assert "2,355 rows, 8 columns" in looked.stdout
    assert (tmp_path / "look" / "columns.csv").exists()
    counted = command(
        "counts", URL, "--table", "behaviour", *PREPARATION, "--in-database", "--sample", "300", "--to", "3"
    )
    assert counted.returncode == 0, counted.stderr
    assert "300 sampled members left the database, with their keys." in counted.stdout
    assert f"{URL} --table behaviour --key member_id" in counted.stdout
    done = command(
        "segment",
        URL,
        "--table",
        "behaviour",
        *PREPARATION,
        "--count",
        "4",
        "--in-database",
        "--into",
        "segments",
        "--out",
        "study",
    )
    assert done.returncode == 0, done.stderr
    assert "4 segments of 2,355 members by k-means" in done.stdout
    assert "over everyone. Their features, without keys, were read into memory" in " ".join(done.stdout.split())
    assert "Made tables segments and segments_centres in the database." in done.stdout
    profiled = command("profile", "study", "--all", "--out", "profile")
    assert profiled.returncode == 0, profiled.stderr
    assert "no row of a customer left it" in profiled.stdout
    assert "rule" not in profiled.stdout.split("Sizes")[0].replace("rules", "")
    assert command("name", "study", "1=regulars").returncode == 0
    drifted = command("drift", "study")
    assert drifted.returncode == 0, drifted.stderr
    assert drifted.stdout.startswith("Advice: keep.")
    assigned = command("assign", "study", URL, "--table", "again", "--in-database", "--into", "placed")
    assert assigned.returncode == 0, assigned.stderr
    assert "regulars" in assigned.stdout
    reported = command("report", "study", "--out", "report.html", "--workbook", "report.xlsx")
    assert reported.returncode == 0, reported.stderr
    ran = command("run", "study/plan.toml", "--out", "ran", "--replace")
    assert ran.returncode == 0, ran.stderr
    again = command("segment", "study", "--out", "third", "--replace")
    assert again.returncode == 0, again.stderr
    assert shop.exists()


def test_statements_are_shown(command: Run, shop: Path) -> None:
    words = ("--table", "behaviour", *PREPARATION, "--count", "2", "--in-database", "--into", "segments", "--show-sql")
    shown = command("segment", URL, *words, "--out", "study")
    assert shown.returncode == 0, shown.stderr
    assert 'CREATE TABLE "segments" AS SELECT' in shown.stderr
    other = command("segment", "mysql://user@host/shop", *words, "--out", "other")
    assert other.returncode == 0, other.stderr
    assert "Nothing was sent. These statements in the words of mysql are untested." in other.stdout
    assert "CREATE TABLE `segments` AS" in other.stdout
    assert "GROUP BY" in other.stdout
    strange = command("segment", "dbase://host/shop", *words, "--out", "other")
    assert strange.returncode == 1
    assert "unsupported database; statements can be shown for" in " ".join(strange.stderr.split())
    assert shop.exists()


@pytest.mark.parametrize(
    ("words", "code", "told"),
    [
        (("segment", "base.csv", "--key", "k", "--count", "2", "--in-database", "--into", "x"), 2, "database's URL"),
        (("segment", URL, "--key", "k", "--count", "2", "--in-database", "--into", "x"), 2, "table or view"),
        (
            ("segment", URL, "--table", "behaviour", *PREPARATION, "--count", "2", "--in-database"),
            2,
            "which table is made",
        ),
        (("segment", URL, "--table", "behaviour", *PREPARATION, "--count", "auto", "--into", "x"), 2, "say --sample N"),
        (
            ("segment", URL, "--table", "behaviour", *PREPARATION, "--method", "bands", "--into", "x"),
            2,
            "k-means alone",
        ),
        (("segment", URL, "--table", "behavior", *PREPARATION, "--count", "2", "--into", "x"), 1, "did you mean"),
        (
            ("segment", "duckdb:///gone.duckdb", "--table", "t", *PREPARATION, "--count", "2", "--into", "x"),
            1,
            "no file",
        ),
        (
            ("segment", "oracle://h/x", "--table", "t", *PREPARATION, "--count", "2", "--into", "x"),
            1,
            "PostgreSQL, DuckDB",
        ),
    ],
)
def test_wrong_words_are_told(command: Run, shop: Path, words: tuple[str, ...], code: int, told: str) -> None:
    shown = command(*words, *(() if "--out" in words else ("--out", "study")))
    assert shown.returncode == code, shown.stderr
    assert told in " ".join(shown.stderr.replace("│", " ").split())
    assert "Traceback" not in shown.stderr
    assert not (shop.parent / "study").exists()
