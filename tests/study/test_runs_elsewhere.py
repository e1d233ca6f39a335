"""A plan repeated on other files, without editing it; and the settings of events in a plan."""

from pathlib import Path

import pandas as pd
import pytest
from typer.testing import CliRunner

import gauger
from gauger.cli.app import app
from gauger.errors import GaugerError, SettingError

PLAN = """
key = "card"
[events]
file = "lines.csv"
when = "day"
amount = "paid"
category = "aisle"
without_customer = "drop"
window = "6 months"
on = "product"
[events.lookup]
file = "products.csv"
[source]
file = "cards.csv"
[features.visits]
[features.spend_total]
[segments]
count = 2
"""


def _lines(first: str, seed: int) -> pd.DataFrame:
    days = pd.date_range(first, periods=180, freq="D").strftime("%Y-%m-%d")
    return pd.DataFrame(
        {
            "card": [None if row % 9 == 0 else f"c{(row * seed) % 30}" for row in range(180)],
            "day": days,
            "paid": [float(5 + row % 7 + 40 * (row % 30 < 15)) for row in range(180)],
            "product": [f"p{row % 4}" for row in range(180)],
        }
    )


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "plan.toml").write_text(PLAN)
    _lines("2025-01-01", 7).to_csv(tmp_path / "lines.csv", index=False)
    _lines("2025-07-01", 11).to_csv(tmp_path / "later.csv", index=False)
    pd.DataFrame({"product": ["p0", "p1", "p2"], "aisle": ["bread", "milk", "milk"]}).to_csv(
        tmp_path / "products.csv", index=False
    )
    pd.DataFrame({"card": [f"c{row}" for row in range(30)]}).to_csv(tmp_path / "cards.csv", index=False)
    pd.DataFrame({"card": [f"c{row}" for row in range(32)]}).to_csv(tmp_path / "more-cards.csv", index=False)
    return tmp_path


def test_a_plan_runs_on_other_events_and_customers_up_to_another_day(folder: Path) -> None:
    first = gauger.run_plan(folder / "plan.toml", folder / "one")
    assert first.plan.events is not None
    assert (first.plan.events.window, first.plan.events.without_customer) == ("6 months", "drop")
    assert len(first.table) == 30
    second = gauger.run_plan(
        folder / "plan.toml",
        folder / "two",
        events=folder / "later.csv",
        source=folder / "more-cards.csv",
        as_of="2025-12-01",
    )
    assert second.plan.events is not None
    assert second.plan.events.file == "../later.csv"
    assert second.plan.events.lookup is not None
    assert second.plan.events.lookup.file == "../products.csv"
    assert second.plan.events.as_of == "2025-12-01"
    assert len(second.table) == 32
    counted = _lines("2025-07-01", 11)
    assert second.table["visits"].sum() == (counted["card"].notna() & (counted["day"] < "2025-12-01")).sum()
    assert (folder / "plan.toml").read_text() == PLAN
    again = gauger.run_plan(folder / "two" / "plan.toml", folder / "three")
    pd.testing.assert_frame_equal(again.assignments, second.assignments)


@pytest.mark.parametrize(
    ("plan", "settings", "said"),
    [
        (PLAN.replace('[source]\nfile = "cards.csv"\n', ""), {"source": "cards.csv"}, r"no part \[source\]"),
        ("key = 'card'\n[source]\nfile = 'cards.csv'\n", {"events": "lines.csv"}, r"no part \[events\]"),
        ("key = 'card'\n[source]\nfile = 'cards.csv'\n", {"as_of": "2025-01-01"}, "up to when events count"),
        (PLAN, {"as_of": "soon"}, "as_of='soon' is not a date"),
    ],
)
def test_what_the_plan_has_no_place_for_is_refused(
    plan: str, settings: dict[str, str], said: str, folder: Path
) -> None:
    (folder / "plan.toml").write_text(plan)
    with pytest.raises(SettingError, match=said):
        gauger.run_plan(folder / "plan.toml", folder / "out", **settings)
    assert not (folder / "out").exists()


def test_a_lookup_that_is_gone_is_named_by_its_part(folder: Path) -> None:
    (folder / "products.csv").unlink()
    with pytest.raises(GaugerError, match=r"events\.lookup"):
        gauger.run_plan(folder / "plan.toml", folder / "out")


def test_the_command_repeats_a_plan_on_other_files(folder: Path) -> None:
    out = ["--out", str(folder / "out"), "--events", str(folder / "later.csv"), "--as-of", "2025-12-01"]
    told = CliRunner().invoke(app, ["run", str(folder / "plan.toml"), *out])
    assert told.exit_code == 0, told.output
    assert gauger.open_study(folder / "out").plan.events.as_of == "2025-12-01"  # type: ignore[union-attr]


def _said(place: str, folder: Path) -> str:
    told = CliRunner().invoke(app, [place, str(folder / "one"), str(folder / "two")])
    assert told.exit_code == 0, told.output
    return " ".join(told.output.split())


@pytest.mark.parametrize(("window", "said"), [("3 months", True), ("6 months", False)])
def test_drift_and_migration_say_where_periods_differ(window: str, *, said: bool, folder: Path) -> None:
    gauger.run_plan(folder / "plan.toml", folder / "one")
    (folder / "other.toml").write_text(PLAN.replace("6 months", window).replace("lines.csv", "later.csv"))
    gauger.run_plan(folder / "other.toml", folder / "two")
    for command in ("drift", "migrate"):
        assert ("the earlier study counts events over" in _said(command, folder)) == said
