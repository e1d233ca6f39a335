"""What comes of damaged files: one clear message or a true result; never a traceback, a hang, or a silent other value.

`python -m benchmarks.fuzz [SEED] [FILES] [COMMANDS]` prints what was done; it ends with 1 if anything failed.
"""

import json
import subprocess
import sys
import tempfile
import time
import traceback
import warnings
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pandas as pd

import gauger
from benchmarks.mutations import FORMATS, damaged, whole_files

_PATIENCE = 20.0
"""A file of a few kilobytes that takes longer hangs."""

Command = Callable[[list[str], Path], tuple[int, bytes]]


def attempts(path: Path, folder: Path) -> Iterator[tuple[str, Callable[[], object]]]:
    """What can be tried with a damaged file: a name and the work."""
    if path.name == "model.json":
        yield "load a model", lambda: gauger.load_model(path)
        yield "assign by a model", lambda: gauger.load_model(path).assign(gauger.read_table(folder / "good.csv"))
        yield "a model as SQL", lambda: gauger.load_model(path).sql("members")
        yield "drift of a model", lambda: gauger.drift(gauger.load_model(path), gauger.read_table(folder / "good.csv"))
        return
    if path.name == "manifest.json":
        outcomes = pd.DataFrame({"who": ["c001"], "responded": [1], "spend": [2.0]})
        yield "measure", lambda: gauger.measure(path, outcomes, value="spend")
        return
    yield "read", lambda: _same_twice(path)
    yield "look", lambda: repr(gauger.look(gauger.read_table(path), key=None))
    yield "prepare", lambda: gauger.prepare(gauger.read_table(path), key="who", missing="median")
    yield (
        "events",
        lambda: gauger.summarise_events(path, customer="who", when="joined", amount="spend", category="area"),
    )
    yield "assign a file", lambda: _assigned_as_in_memory(path, folder)


def _same_twice(path: Path) -> None:
    """Reading is the same every time, and every value can be shown."""
    table = gauger.read_table(path)
    pd.testing.assert_frame_equal(table, gauger.read_table(path))
    repr(table)


def _assigned_as_in_memory(path: Path, folder: Path) -> None:
    """A file is assigned in blocks as its table is at once."""
    model = gauger.load_model(folder / "good.json")
    out = folder / "assigned.csv"
    model.assign(gauger.open_table(path), into=out, replace=True)
    at_once = model.assign(gauger.read_table(path))
    again = gauger.read_table(out)
    assert again["segment"].tolist() == at_once["segment"].tolist(), "another segment in blocks than at once"


def try_all(path: Path, folder: Path) -> Iterator[tuple[str, str]]:
    """Each attempt and how it ended: "done", "told", or what went wrong."""
    for name, work in attempts(path, folder):
        began = time.perf_counter()
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("error")
                work()
            ended = "done"
        except gauger.GaugerError as error:
            ended = "told" if str(error) and len(str(error)) < 4_000 else "a message of no use"
        except Exception:  # noqa: BLE001 - the finding
            ended = traceback.format_exc(limit=-4)
        if time.perf_counter() - began > _PATIENCE:
            ended = f"hangs: {time.perf_counter() - began:.0f} s"
        yield name, ended


def prepare_folder(folder: Path) -> dict[str, object]:
    """The whole files, with a good table and a good model beside them; returned by name."""
    files = whole_files(folder)
    (folder / "good.csv").write_bytes(files["t.csv"].data)
    (folder / "good.json").write_bytes(files["model.json"].data)
    (folder / "arms.csv").write_bytes((folder / "campaign" / "arms.csv").read_bytes())
    return dict(files)


def run(seed: int, count: int, folder: Path) -> tuple[Counter[str], list[str]]:
    """Damage files and try everything with each; how attempts ended, and every finding."""
    files, rng = prepare_folder(folder), np.random.default_rng(seed)
    ends: Counter[str] = Counter()
    findings = []
    for number in range(count):
        name = FORMATS[number % len(FORMATS)]
        path = folder / name
        path.write_bytes(damaged(files[name], rng))
        for attempt, ended in try_all(path, folder):
            ends[ended if ended in ("done", "told") else "failed"] += 1
            if ended not in ("done", "told"):
                kept = folder / f"finding-{number}-{name}"
                kept.write_bytes(path.read_bytes())
                findings.append(f"file {number} ({kept}), {attempt}:\n{ended}")
    return ends, findings


def as_a_process(words: list[str], folder: Path) -> tuple[int, bytes]:
    """The command as users have it: its exit code, and all that it prints."""
    command = [sys.executable, "-m", "gauger", *words]
    done = subprocess.run(command, cwd=folder, capture_output=True, timeout=120, check=False)
    return done.returncode, done.stdout + done.stderr


def run_commands(seed: int, count: int, folder: Path, command: Command = as_a_process) -> list[str]:
    """The real command on damaged files: exit code 0 or 1, one message, no traceback."""
    files, rng = prepare_folder(folder), np.random.default_rng(seed)
    findings = []
    for number in range(count):
        name = FORMATS[number % len(FORMATS)]
        path = folder / name
        path.write_bytes(damaged(files[name], rng))
        words = {
            "model.json": ["assign", name, "good.csv", "--out", "o.csv", "--replace"],
            "manifest.json": ["measure", name, "good.csv", "--responded", "consent_email"],
        }.get(
            name,
            [
                *(["look", name], ["segment", name, "--key", "who", "--count", "3", "--out", "s", "--replace"])[
                    number % 2
                ]
            ],
        )
        try:
            code, told = command(words, folder)
        except subprocess.TimeoutExpired:
            findings.append(f"{name}: hangs: {' '.join(words)}")
            continue
        if code not in (0, 1) or b"Traceback" in told or b"\x1b" in told or b"\x9b" in told:
            (folder / f"command-{number}-{name}").write_bytes(path.read_bytes())
            findings.append(f"{name} ({code}): {' '.join(words)}\n{told[-1500:].decode(errors='replace')}")
    return findings


def main() -> None:
    """Run and print."""
    seed, count, commands = (int(word) for word in [*sys.argv[1:], *("1", "5000", "100")[len(sys.argv) - 1 :]])
    folder = Path(tempfile.mkdtemp(prefix="fuzz-"))
    ends, findings = run(seed, count, folder)
    print(f"{count:,} damaged files, {sum(ends.values()):,} attempts: {json.dumps(dict(ends))}")
    findings += run_commands(seed + 1, commands, Path(tempfile.mkdtemp(prefix="fuzz-commands-")))
    print(f"{commands:,} damaged files through the command")
    for finding in findings[:40]:
        print(finding, end="\n\n")
    print(f"{len(findings):,} findings")
    sys.exit(bool(findings))


if __name__ == "__main__":
    main()
