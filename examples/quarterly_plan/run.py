"""A plan and two quarters, one command each: study, name, study again, and see who moved.

Run it from anywhere: `python examples/quarterly_plan/run.py [FOLDER]`.
"""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import pandas as pd

import gauger

here = Path(__file__).parent
folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="quarterly-plan-"))
spring, summer = folder / "spring.csv", folder / "summer.csv"
visits = gauger.read_table(gauger.demo_file("visits.csv"))
gauger.write_table(visits, spring, replace=True)
gauger.write_table(pd.concat([visits, gauger.read_table(gauger.demo_file("later/visits.csv"))]), summer, replace=True)


def run(*words: object, visits: Path) -> None:
    """One command, as it is typed in a terminal, with the place of the quarter's visits in the environment."""
    print(f"$ OSTREL_VISITS={visits.name} gauger {' '.join(map(str, words))}", flush=True)
    environment = {**os.environ, "OSTREL_VISITS": str(visits.resolve())}
    subprocess.run([sys.executable, "-m", "gauger", *map(str, words)], cwd=folder, env=environment, check=True)


# This quarter: the whole study, and names for its segments.
run("run", here.resolve() / "plan.toml", "--out", "spring", "--replace", visits=spring)
run("name", "spring", "--suggested", visits=spring)

# Next quarter: the plan of the study that was named, on the visits that there are by then. Names follow.
run("run", "spring", "--out", "summer", "--replace", visits=summer)
run("migrate", "spring", "summer", "--value", "spend_total", "--out", "moves", "--replace", visits=summer)
