"""How many small mistakes the tests catch: `python -m benchmarks.mutants PACKAGE --sample 200 --seed 1`.

Each mutant is the package with one thing changed: a bound, a sign, a constant, a condition, two arguments, a guard. The
tests that run the changed line are run, the quickest first, until one fails. What no test fails for is printed. Loops
that Numba compiles are tried interpreted.
"""

import argparse
import hashlib
import json
import sys
import tomllib
from pathlib import Path
from typing import Any

from benchmarks.mutants.contexts import SOURCES
from benchmarks.mutants.operators import Mutant, mutants_of
from benchmarks.mutants.traces import ROOT
from benchmarks.mutants.trying import try_all

EQUIVALENT = Path(__file__).with_name("equivalent.toml")
RESULTS = Path(__file__).parents[2] / "docs" / "results" / "mutants.json"


def sample_of(package: str, size: int, seed: int) -> list[Mutant]:
    """Mutants of a package at random; most stay the same when the code changes a little."""
    files = sorted((SOURCES / "gauger" / package).rglob("*.py"))
    found = [one for path in files for one in mutants_of(path.relative_to(SOURCES), SOURCES)]
    left_out = equivalent()
    found = [one for one in found if one.key not in left_out]
    return sorted(found, key=lambda one: hashlib.sha256(f"{seed}:{one.key}".encode()).digest())[:size]


def equivalent() -> dict[str, str]:
    """The mutants that no test could catch, by key, with the reason."""
    listed = tomllib.loads(EQUIVALENT.read_text(encoding="utf-8"))["mutant"]
    return {one["key"]: one["why"] for one in listed}


def main() -> None:
    """Try a sample and print its survivors."""
    parser = argparse.ArgumentParser(prog="python -m benchmarks.mutants", description=__doc__)
    parser.add_argument("package")
    parser.add_argument("--sample", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", nargs="*", metavar="KEY", help="these mutants alone, by their keys")
    parser.add_argument("--again", action="store_true", help="only what survived last time: tests were written since")
    parser.add_argument("--seconds", type=float, default=40.0, help="of tests that a mutant has to survive")
    everything = [ROOT / "tests"]
    parser.add_argument("--tests", nargs="*", type=Path, default=everything, help="folders of tests; all by default")
    asked = parser.parse_args()
    before = kept().get(asked.package, {"survivors": {}})
    only = before["survivors"] if asked.again else asked.only
    chosen = sample_of(asked.package, asked.sample if only is None else 10**9, asked.seed)
    if only is not None:
        chosen = [one for one in chosen if one.key in only]
    if not chosen:
        parser.error(f"gauger/{asked.package} does not have such a mutant")
    verdicts = []
    for number, verdict in enumerate(try_all(chosen, [path.resolve() for path in asked.tests], asked.seconds), 1):
        verdicts.append(verdict)
        if not verdict.caught:
            print(f"{verdict.mutant.key} {verdict.mutant} [{verdict.why}]", flush=True)
        print(f"\r{number} of {len(chosen)}", end="", file=sys.stderr, flush=True)
    print(file=sys.stderr)
    caught = sum(one.caught for one in verdicts)
    print(f"{asked.package}: {caught} of {len(verdicts)} caught ({caught / len(verdicts):.1%}), seed {asked.seed}")
    if asked.tests != everything:
        return
    survivors = {one.mutant.key: str(one.mutant) for one in verdicts if not one.caught}
    if asked.again:  # those that the code or the list of the equivalent has no more are of the sample no more
        sample = before["sample"] - len(before["survivors"]) + len(chosen)
        _keep(asked.package, before | {"sample": sample, "survivors": survivors})
    elif asked.only is None:
        of = {"seed": asked.seed, "seconds": asked.seconds, "sample": len(verdicts)}
        _keep(asked.package, of | {"survivors": survivors})


def kept() -> dict[str, dict[str, Any]]:
    """The results of the last run of each package."""
    found: dict[str, dict[str, Any]] = json.loads(RESULTS.read_text(encoding="utf-8")) if RESULTS.exists() else {}
    return found


def _keep(package: str, result: dict[str, Any]) -> None:
    result["caught"] = result["sample"] - len(result["survivors"])
    RESULTS.write_text(json.dumps(kept() | {package: result}, indent=2, sort_keys=True) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
