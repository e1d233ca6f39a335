"""What kills and Ctrl-C at random moments leave of commands that write: nothing half-written, nothing for long.

`python -m benchmarks.kills [SEED] [KILLS] [INTERRUPTS]` prints what was found; it ends with 1 if anything was.
"""

import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pandas as pd

import gauger
from gauger.tables.staging import PREFIX

_COMMANDS = {
    "segment": ("segment", "t.csv", "--key", "who", "--count", "3", "--out", "s"),
    "tree": ("tree", "t.csv", "--key", "who", "--features", "a,b", "--out", "t"),
    "profile": ("profile", "t.csv", "--key", "who", "--assignments", "given.csv", "--out", "p"),
    "assign": ("assign", "model.json", "t.csv", "--out", "o/assigned.csv"),
    "handoff": ("handoff", "given.csv", "people.csv", "--key", "who", "--campaign", "x", "--out", "h"),
}
_WHOLE = {"segment": 4, "tree": 3, "profile": 10, "assign": 1, "handoff": 6}
"""At least so many files make a whole result."""


def _made(folder: Path) -> None:
    rng = np.random.default_rng(0)
    n = 3_000
    table = pd.DataFrame(rng.gamma(2.0, 10.0, (n, 4)), columns=list("abcd")).round(2)
    table.insert(0, "who", [f"c{at:05d}" for at in range(n)])
    gauger.write_table(table, folder / "t.csv")
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 3)
    gauger.write_table(seg.assignments, folder / "given.csv")
    gauger.build_model(seg).save(folder / "model.json")
    people = table[["who"]].assign(consent_email=1, email=[f"c{at}@example.org" for at in range(n)])
    gauger.write_table(people, folder / "people.csv")


def _started(folder: Path, words: tuple[str, ...]) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", "gauger", *words],
        cwd=folder,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )


def _remains(folder: Path) -> list[str]:
    return [str(path.relative_to(folder)) for path in folder.rglob(f"{PREFIX}*")]


def _seconds(folder: Path, words: tuple[str, ...]) -> float:
    began = time.perf_counter()
    _started(folder, words).communicate()
    return time.perf_counter() - began


def run(seed: int, kills: int, interrupts: int) -> list[str]:
    """Every finding."""
    rng, findings = np.random.default_rng(seed), []
    folder = Path(tempfile.mkdtemp(prefix="kills-"))
    _made(folder)
    usual = {name: _seconds(folder, (*words[:-1], f"{words[-1]}")) for name, words in _COMMANDS.items()}
    inputs = {path.name for path in folder.iterdir() if path.is_file()}
    for number in range(kills + interrupts):
        name = list(_COMMANDS)[number % len(_COMMANDS)]
        words, target = _COMMANDS[name], folder / f"{number}"
        target.mkdir()
        out = target / words[-1]
        process = _started(folder, (*words[:-1], str(out)))
        time.sleep(float(rng.uniform(0.2, 1.05)) * usual[name])
        how = signal.SIGKILL if number < kills else signal.SIGINT
        process.send_signal(how)
        _, errors = process.communicate(timeout=120)
        there = [path for path in out.rglob("*") if path.is_file() and PREFIX not in str(path)] if out.is_dir() else []
        there += [out] if out.is_file() else []
        if there and len(there) < _WHOLE[name]:
            findings.append(f"{name} {number} {how.name}: only {[path.name for path in there]}")
        if b"Traceback" in errors:
            findings.append(f"{name} {number} {how.name}: {errors.decode()[-800:]}")
        if how == signal.SIGINT and _remains(target):
            findings.append(f"{name} {number}: Ctrl-C left {_remains(target)}")
        _started(folder, (*words[:-1], str(out), "--replace")).communicate(timeout=120)
        if _remains(target):
            findings.append(f"{name} {number} {how.name}: the next run left {_remains(target)}")
    if {path.name for path in folder.iterdir() if path.is_file()} != inputs:
        findings.append("inputs changed")
    return findings


def main() -> None:
    """Run and print."""
    seed, kills, interrupts = (int(word) for word in [*sys.argv[1:], *("1", "60", "40")[len(sys.argv) - 1 :]])
    findings = run(seed, kills, interrupts)
    print(f"{kills} SIGKILLs and {interrupts} Ctrl-Cs: {len(findings)} findings")
    for finding in findings:
        print(finding)
    sys.exit(bool(findings))


if __name__ == "__main__":
    main()
