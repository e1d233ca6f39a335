"""The demo world as folders in which commands run: the shipped tables, and for the reference a study of them."""

import shutil
from pathlib import Path

import duckdb

import gauger
from building.commands_in_process import run

DATA = Path(gauger.demo_file("members.csv")).parent
BEHAVIOUR = (
    "features visits.csv --customer member_id --when visited_on --amount ticket_spend --quantity seats "
    "--event-key visit_id --out behaviour.csv"
)
PREPARATION = "--key member_id --features recency_days,visits,spend_mean,seats_mean --cap 0,0.99"
STUDIES = (
    f"segment behaviour.csv {PREPARATION} --count 6 --out segments",
    f"segment behaviour.csv {PREPARATION} --count 5 --seed 1 --out next",
    "plan members.csv --key member_id --events visits.csv --amount ticket_spend --quantity seats --event-key visit_id "
    "--out plan.toml",
    "handoff segments members.csv --campaign spring --suppress suppression.csv --holdout 0.3 --out spring",
)


def make(folder: Path) -> None:
    """Make both worlds anew below a folder: `tables`, and `studies` which has results too."""
    shutil.rmtree(folder, ignore_errors=True)
    tables = folder / "tables"
    shutil.copytree(DATA, tables, ignore=shutil.ignore_patterns("__pycache__", "*.py"))
    _done(BEHAVIOUR, tables)
    behaviour = gauger.read_table(tables / "behaviour.csv")
    for part in range(3):
        gauger.write_table(behaviour.iloc[part::3], tables / "base" / f"part-{part}.parquet")
    with duckdb.connect(str(tables / "ostrel.duckdb")) as shop:
        shop.execute("CREATE TABLE behaviour AS SELECT * FROM read_csv(?)", [str(tables / "behaviour.csv")])
    studies = folder / "studies"
    shutil.copytree(tables, studies)
    for words in STUDIES:
        _done(words, studies)
    arms = gauger.read_table(studies / "spring" / "arms.csv")
    outcomes = arms[["member_id"]].assign(responded=[int(row % 3 == 0) for row in range(len(arms))])
    gauger.write_table(outcomes, studies / "outcomes.csv")


def enter(folder: Path, page: str, *, studies: bool) -> Path:
    """The folder in which a page's commands run, one after the other."""
    place = folder / "pages" / page.replace("/", "-")
    if not place.exists():
        shutil.copytree(folder / ("studies" if studies else "tables"), place)
    return place


def leave(folder: Path, page: str) -> None:
    """Let a page begin anew."""
    shutil.rmtree(folder / "pages" / page.replace("/", "-"), ignore_errors=True)


def _done(words: str, folder: Path) -> None:
    code, said = run(words.split(), folder)
    if code:
        raise RuntimeError(f"gauger {words}\n{said}")
