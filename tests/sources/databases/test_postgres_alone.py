"""What only a server can do: refuse a user, change under way, cut a connection, cancel a statement."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any
from urllib.parse import unquote_plus

import pandas as pd
import pytest
from own_databases import Shop, planted, segmented

import gauger
from gauger.sources.databases import database_place
from gauger.tables import Session

PLAIN: dict[str, Any] = {"key": "who", "features": ["visits", "spend"]}


@pytest.mark.slow
def test_a_plain_user_makes_tables_in_a_schema_of_their_own(postgres: str) -> None:
    shop = Shop(postgres)
    shop.write("base", planted(1, 60))
    shop.run(
        "DROP SCHEMA IF EXISTS lab CASCADE",
        "DROP OWNED BY guest" if _has_role(shop, "guest") else "SELECT 1",
        "DROP ROLE IF EXISTS guest",
        "CREATE ROLE guest LOGIN PASSWORD 'guest'",
        "CREATE SCHEMA lab",
        "GRANT USAGE, CREATE ON SCHEMA lab TO guest",
        "GRANT SELECT ON base TO guest",
    )
    _, _, rest = postgres.partition("@")
    url = f"postgresql://guest:guest@{rest}"
    with pytest.raises(gauger.errors.DatabaseError, match="permission denied"):
        segmented(url, table="base", into="segments_of_guest", count=2, **PLAIN)
    found = segmented(url, table="base", into="lab.segments", count=2, **PLAIN)
    assert shop.run("SELECT COUNT(*) FROM lab.segments") == [(found.customers,)]
    shop.run("REVOKE SELECT ON base FROM guest")
    with pytest.raises(gauger.errors.DatabaseError, match="permission denied"):
        segmented(url, table="base", into="lab.other", count=2, **PLAIN)


def _has_role(shop: Shop, name: str) -> bool:
    return bool(shop.run(f"SELECT 1 FROM pg_roles WHERE rolname = '{name}'"))


def _meanwhile(monkeypatch: pytest.MonkeyPatch, act: Any) -> None:
    """Do something once, while everyone is iterated over."""
    plain, done = database_place.start_in, []

    def watched(customers: Any, scaling: Any, asked: Any) -> Any:
        if not done:
            done.append(True)
            act(customers.session)
        return plain(customers, scaling, asked)

    monkeypatch.setattr(database_place, "start_in", watched)


def test_a_table_that_changes_under_way_is_told(postgres: str, monkeypatch: pytest.MonkeyPatch) -> None:
    shop = Shop(postgres)
    shop.write("base", planted(2, 60))
    _meanwhile(monkeypatch, lambda _: shop.run("INSERT INTO base VALUES ('new', 1, 2, 3)"))
    found = segmented(postgres, table="base", into="segments", count=2, replace=True, **PLAIN)
    assert found.customers == 60
    assert [one.code for one in found.remarks] == ["source-changed"]
    assert shop.run("SELECT COUNT(*) FROM segments") == [(60,)]


def test_a_connection_that_is_cut_is_one_error_and_leaves_nothing(
    postgres: str, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    shop = Shop(postgres)
    shop.write("base", planted(2, 60))
    shop.run("DROP TABLE IF EXISTS cut", "DROP TABLE IF EXISTS cut_centres")

    def cut(session: Session) -> None:
        (process,) = session.row("SELECT pg_backend_pid()")
        shop.run(f"SELECT pg_terminate_backend({process})")

    _meanwhile(monkeypatch, cut)
    with pytest.raises(gauger.errors.DatabaseError) as told:
        segmented(postgres, table="base", into="cut", count=2, out=tmp_path / "study", **PLAIN)
    assert "pear" not in str(told.value)
    assert shop.run("SELECT to_regclass('cut'), to_regclass('cut_centres')") == [(None, None)]
    assert not (tmp_path / "study").exists()


def test_the_time_limit_of_statements_is_heeded(postgres: str) -> None:
    shop = Shop(postgres)
    rows = pd.DataFrame({"who": ["a", "b", "c"], "visits": [1, 2, 9], "spend": [1, 2, 9]})
    shop.run("DROP VIEW IF EXISTS slow")
    shop.write("three", rows)
    shop.run("CREATE OR REPLACE VIEW slow AS SELECT *, pg_sleep(0.4) IS NULL AS nap FROM three")
    separator = "&" if "?" in postgres else "?"
    url = f"{postgres}{separator}options=-c%20statement_timeout%3D300"
    with pytest.raises(gauger.errors.DatabaseError, match="statement timeout"):
        segmented(
            url,
            table="slow",
            into="segments",
            count=2,
            replace=True,
            key="who",
            categories=["nap"],
            features=["visits"],
        )


@pytest.mark.slow
def test_ctrl_c_cancels_the_statement_on_the_server(postgres: str, tmp_path: Path) -> None:
    shop = Shop(postgres)
    shop.run(
        "CREATE OR REPLACE VIEW endless AS SELECT 'a' || g AS who, g AS visits, pg_sleep(60) IS NULL AS late FROM "
        "generate_series(1, 9) AS t(g)"
    )
    url = postgres.replace("postgresql+psycopg", "postgresql")
    head, _, rest = url.partition("://analyst:")
    secret, _, where = rest.partition("@")
    password = unquote_plus(secret)
    command = [
        sys.executable,
        "-m",
        "gauger",
        "segment",
        f"{head}://analyst@{where}",
        "--table",
        "endless",
        "--key",
        "who",
        "--features",
        "visits,late",
        "--count",
        "2",
        "--in-database",
        "--into",
        "never",
        "--out",
        "study",
    ]
    process = subprocess.Popen(
        command,
        cwd=tmp_path,
        env={**os.environ, "PGPASSWORD": password},
        stderr=subprocess.PIPE,
        text=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler),
    )
    active = "query LIKE '%endless%' AND state = 'active' AND pid <> pg_backend_pid()"
    busy = f"SELECT COUNT(*) FROM pg_stat_activity WHERE {active}"
    _until(lambda: shop.run(busy)[0][0] > 0)
    process.send_signal(signal.SIGINT)
    _, told = process.communicate(timeout=30)
    assert process.returncode == 130
    assert told.strip().endswith("stopped by Ctrl-C. Nothing was written.")
    assert password not in told
    _until(lambda: shop.run(busy)[0][0] == 0)
    assert not (tmp_path / "study").exists()


def _until(holds: Any) -> None:
    end = time.monotonic() + 30.0
    while not holds():
        assert time.monotonic() < end
        time.sleep(0.05)


def test_a_key_that_the_database_keeps_unique_is_not_counted(postgres: str) -> None:
    shop = Shop(postgres)
    shop.write("keyed", planted(3, 40))
    shop.run("ALTER TABLE keyed ADD PRIMARY KEY (who)")
    told: list[str] = []
    segmented(
        postgres,
        table="keyed",
        into="segments",
        count=2,
        key="who",
        features=["visits"],
        replace=True,
        told=told.append,
    )
    assert not any("HAVING" in one for one in told)
