"""What kills and Ctrl-C leave of commands that write: nothing half-written, nothing lost, and the next command works.

`python -m benchmarks.kills [SEED] [KILLS] [INTERRUPTS]` prints what was found and how late the kills came; it ends with
1 if anything was found. Each command finishes once, so that it is known how long it takes; kills are then placed evenly
over that time, most of them in its last third, where results are written.
"""

import contextlib
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from dataclasses import dataclass
from pathlib import Path

import duckdb
import numpy as np
import pandas as pd

import gauger
from gauger.tables.journals import PREFIX

_LATE = 0.75
"""The share of kills that come in the last third."""
_STARTED = 0.25
"""The share of a command's time that Python itself takes to start: no kill comes before."""
_WHOLE = {
    "segment": 4, "run": 20, "name": 4, "report": 1, "handoff": 6, "segment there": 4, "name there": 4, "assign": 1,
}  # fmt: skip
"""At least so many files make a whole result."""


@dataclass(frozen=True)
class Job:
    """A command, what it writes into, and what has to be there before."""

    words: tuple[str, ...]
    out: str
    needs: str | None = None
    there: bool = False

    @property
    def replacing(self) -> tuple[str, ...]:
        """The command as it is given again."""
        return self.words if self.words[0] == "name" else (*self.words, "--replace")


_SEGMENT = ("t.csv", "--key", "who", "--features", "a,b", "--count", "3", "--out", "s")
_THERE = (
    "duckdb:///shop.duckdb",
    "--table",
    "base",
    "--key",
    "who",
    "--features",
    "a,b",
    "--count",
    "3",
    "--into",
    "made",
    "--out",
    "s",
)
JOBS = {
    "segment": Job(("segment", *_SEGMENT), "s"),
    "name": Job(("name", "s", "1=regulars", "2=others"), "s", "segment"),
    "run": Job(("run", "plan.toml", "--out", "r"), "r"),
    "report": Job(("report", "s", "--out", "report.html"), "report.html", "segment"),
    "handoff": Job(("handoff", "given.csv", "people.csv", "--key", "who", "--campaign", "x", "--out", "h"), "h"),
    "assign": Job(("assign", "model.json", "t.csv", "--out", "o.csv"), "o.csv"),
    "segment there": Job(("segment", *_THERE), "s", there=True),
    "name there": Job(("name", "s", "1=regulars"), "s", "segment there", there=True),
}


def make_world(folder: Path) -> None:
    """The tables, the plan, the model and the database that commands read."""
    rng = np.random.default_rng(0)
    n = 2_000
    table = pd.DataFrame(rng.gamma(2.0, 10.0, (n, 4)), columns=list("abcd")).round(2)
    table.insert(0, "who", [f"c{at:05d}" for at in range(n)])
    gauger.write_table(table, folder / "t.csv")
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 3)
    gauger.write_table(seg.assignments, folder / "given.csv")
    gauger.build_model(seg).save(folder / "model.json")
    people = table[["who"]].assign(consent_email=1, email=[f"c{at}@example.org" for at in range(n)])
    gauger.write_table(people, folder / "people.csv")
    parts = '[features.a]\n[features.b]\n[segments]\ncount = 3\nstarts = 2\n[report]\ntitle = "x"\n'
    hand = '[hand_off]\ncampaign = "x"\n[hand_off.contacts]\nfile = "people.csv"\n'
    (folder / "plan.toml").write_text(f'key = "who"\n[source]\nfile = "t.csv"\n{parts}{hand}')
    with duckdb.connect(str(folder / "shop.duckdb")) as shop:
        shop.register("given", table)
        shop.execute("CREATE TABLE base AS SELECT * FROM given")


def started(folder: Path, words: tuple[str, ...]) -> subprocess.Popen[bytes]:
    """The command as users have it."""
    return subprocess.Popen(
        [sys.executable, "-m", "gauger", *words],
        cwd=folder,
        env={**os.environ, "GAUGER_TRUST_PLANS": "1"},  # the database of each copy is another one
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )


def finished(folder: Path, words: tuple[str, ...]) -> tuple[float, int, str]:
    """How long a command takes that nobody stops, its exit code, and what it says on stderr."""
    began, process = time.perf_counter(), started(folder, words)
    _, errors = process.communicate(timeout=300)
    return time.perf_counter() - began, process.returncode, errors.decode()


def files_of(out: Path) -> dict[str, bytes]:
    """Everything in a place of results, what is hidden left out."""
    if out.is_file():
        return {out.name: out.read_bytes()}
    paths = (
        sorted(path for path in out.rglob("*") if path.is_file() and PREFIX not in str(path)) if out.is_dir() else []
    )
    return {path.relative_to(out).as_posix(): path.read_bytes() for path in paths}


def remains(folder: Path) -> list[str]:
    """What is hidden and should be gone."""
    return [str(path.relative_to(folder)) for path in folder.rglob(f"{PREFIX}*")]


def _names_there(folder: Path) -> set[str]:
    with contextlib.suppress(duckdb.Error), duckdb.connect(str(folder / "shop.duckdb"), read_only=True) as shop:
        return {str(row[0]) for row in shop.execute("SELECT DISTINCT segment_name FROM made").fetchall()}
    return set()


def check(name: str, job: Job, folder: Path, before: dict[str, bytes], usual: int) -> list[str]:
    """What is wrong after a command was stopped, and after the next ones."""
    found = []
    after = files_of(folder / job.out)
    if after not in ({}, before) and len(after) < _WHOLE[name] and not remains(folder):
        found.append(f"only {sorted(after)}")
    if job.words[0] in ("segment", "name") and (folder / job.out / "plan.toml").exists():
        _, code, told = finished(folder, ("profile", "s"))
        if code:
            found.append(f"the study cannot be read: {told[-300:]}")
    if job.words[0] == "name":
        study = gauger.open_study(folder / "s")
        kept = set(study.names.values()) - {"unassigned"}
        if len(kept & {"regulars", "others"}) not in (0, len(job.words) - 2):
            found.append(f"half of the names: {kept}")
        if job.there and (_names_there(folder) != kept):
            found.append(f"the database has {_names_there(folder)}, the study {kept}")
    _, code, told = finished(folder, job.replacing)
    if code:
        found.append(f"the next command ends with {code}: {told[-300:]}")
    if remains(folder):
        found.append(f"the next command left {remains(folder)}")
    if len(files_of(folder / job.out)) < usual:
        found.append(f"the next command made {len(files_of(folder / job.out))} files, not {usual}")
    return found


def run(seed: int, kills: int, interrupts: int, folder: Path) -> tuple[Counter[str], list[str]]:
    """How many stops came early, late or not at all; and every finding."""
    rng, findings, ends = np.random.default_rng(seed), [], Counter()
    clean = folder / "clean"
    clean.mkdir()
    make_world(clean)
    worlds, usual, sizes = {}, {}, {}
    for name, job in JOBS.items():
        own = Path(shutil.copytree(worlds[job.needs] if job.needs else clean, folder / f"whole {name}"))
        usual[name], code, told = finished(own, job.words)
        assert code == 0, told
        worlds[name], sizes[name] = own, len(files_of(own / job.out))
    for number in range(kills + interrupts):
        name = list(JOBS)[number % len(JOBS)]
        job = JOBS[name]
        own = Path(shutil.copytree(worlds[job.needs] if job.needs else clean, folder / str(number)))
        before = files_of(own / job.out)
        late = rng.random() < _LATE
        share = float(rng.uniform(0.67, 1.02) if late else rng.uniform(_STARTED, 0.67))
        process = started(own, job.words)
        time.sleep(share * usual[name])
        how = signal.SIGKILL if number < kills else signal.SIGINT
        done = process.poll() is not None
        process.send_signal(how)
        _, errors = process.communicate(timeout=120)
        ends["after the end" if done else "late" if late else "early"] += 1
        if remains(own):
            ends["left something to settle"] += 1
        told = [
            f"{name} {number} {how.name} at {share:.0%}: {one}" for one in check(name, job, own, before, sizes[name])
        ]
        if b"Traceback" in errors:
            told.append(f"{name} {number} {how.name}: {errors.decode()[-800:]}")
        findings += told
        shutil.rmtree(own)
    return ends, findings


def main() -> None:
    """Run and print."""
    seed, kills, interrupts = (int(word) for word in [*sys.argv[1:], *("1", "80", "24")[len(sys.argv) - 1 :]])
    with tempfile.TemporaryDirectory() as state, tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_STATE_HOME"] = state
        ends, findings = run(seed, kills, interrupts, Path(folder))
    print(f"{kills} SIGKILLs and {interrupts} Ctrl-Cs: {dict(ends)}; {len(findings)} findings")
    for finding in findings:
        print(finding)
    sys.exit(bool(findings))


if __name__ == "__main__":
    main()
