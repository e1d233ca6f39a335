"""What must hold before a version is tagged, one step after the other, and what is left for people.

`make release-check` takes all; `python release_check.py --quick` leaves out what takes minutes: tests, site, oldest and
newest versions.
"""

import json
import os
import re
import subprocess
import sys
import tarfile
import tempfile
import time
import venv
import zipfile
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).parent
PYTHON = sys.executable
LONGEST_IMPORT = 0.15
"""Seconds that `import gauger` may take beyond a bare interpreter."""

Check = Callable[[], str]


class NotReadyError(Exception):
    """Something does not hold; the text says what."""


def run(*words: object, folder: Path = ROOT) -> str:
    """A command that must succeed; what it says."""
    plain = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
    done = subprocess.run([str(word) for word in words], cwd=folder, capture_output=True, text=True, env=plain)
    if done.returncode:
        raise NotReadyError(f"{' '.join(map(str, words))}\n{done.stdout[-2000:]}{done.stderr[-2000:]}")
    return done.stdout


def version() -> str:
    """The version that the package says it has."""
    text = (ROOT / "src" / "gauger" / "__init__.py").read_text(encoding="utf-8")
    (found,) = re.findall(r'^__version__ = "(\d+\.\d+\.\d+)"$', text, re.M)
    return str(found)


def the_tree_is_clean() -> str:
    """Nothing is left uncommitted, and the tag is free."""
    changed = run("git", "status", "--porcelain").strip()
    if changed:
        raise NotReadyError(f"not committed:\n{changed}")
    if run("git", "tag", "--list", f"v{version()}").strip():
        raise NotReadyError(f"v{version()} is tagged already")
    return run("git", "rev-parse", "--short", "HEAD").strip()


def the_version_is_told_everywhere() -> str:
    """Changelog and citation speak of this version."""
    if f"\n## {version()}" not in (ROOT / "CHANGELOG.md").read_text(encoding="utf-8"):
        raise NotReadyError(f"CHANGELOG.md has no part for {version()}")
    if f"\nversion: {version()}\n" not in (ROOT / "CITATION.cff").read_text(encoding="utf-8"):
        raise NotReadyError(f"CITATION.cff does not say version: {version()}")
    return version()


def promised_versions_are_the_oldest_constraints() -> str:
    """Each requirement's lower bound is what the oldest constraints hold, and the newest name the same packages."""
    bounds = re.findall(
        r'"([A-Za-z0-9\-]+)(?:\[\w+\])?>=([\d.]+)"', (ROOT / "pyproject.toml").read_text(encoding="utf-8")
    )
    oldest, newest = (_pins(ROOT / f"constraints-{name}.txt") for name in ("oldest", "newest"))
    for name, bound in bounds:
        pinned = oldest.get(_plain(name))
        if pinned is not None and not (pinned == bound or pinned.startswith(f"{bound}.")):
            raise NotReadyError(f"{name}>={bound} is promised, and constraints-oldest.txt has {pinned}")
    lacking = set(newest) - set(oldest)
    if lacking:
        raise NotReadyError(f"constraints-oldest.txt lacks {', '.join(sorted(lacking))}")
    return f"{len(newest)} packages"


def _pins(file: Path) -> dict[str, str]:
    pairs = (line.split("==") for line in file.read_text(encoding="utf-8").split())
    return {_plain(name): pinned for name, pinned in pairs}


def _plain(name: str) -> str:
    return name.lower().replace("_", "-")


def importing_is_quick() -> str:
    """`import gauger` beyond a bare interpreter, the best of nine."""
    bare, own = (min(_seconds(code) for _ in range(9)) for code in ("pass", "import gauger"))
    if own - bare > LONGEST_IMPORT:
        raise NotReadyError(f"import gauger takes {own - bare:.3f} s, more than {LONGEST_IMPORT}")
    return f"{own - bare:.3f} s"


def _seconds(code: str) -> float:
    began = time.perf_counter()
    run(PYTHON, "-c", code)
    return time.perf_counter() - began


def packages_install_and_run() -> str:
    """Wheel and source distribution, each in an environment of its own and far from here: the demo runs."""
    with tempfile.TemporaryDirectory(prefix="gauger-release-") as place:
        folder = Path(place)
        run(PYTHON, "-m", "build", "--outdir", folder / "dist", ROOT)
        (wheel,), (source,) = folder.glob("dist/*.whl"), folder.glob("dist/*.tar.gz")
        _refuse_lacking(wheel, source)
        for package in (wheel, source):
            home = folder / package.name.rpartition(".")[2]
            venv.create(home, with_pip=True)
            run(home / "bin" / "python", "-m", "pip", "install", "--quiet", "-c", ROOT / "constraints.txt", package)
            run(home / "bin" / "gauger", "demo", "--out", home / "demo", folder=home)
            if not (home / "demo" / "report.html").is_file():
                raise NotReadyError(f"{package.name}: the demo wrote no report")
            told = run(home / "bin" / "gauger", "--version", folder=home).strip()
            if told != f"gauger {version()}":
                raise NotReadyError(f"{package.name} says {told}")
        return f"{wheel.stat().st_size / 1e6:.1f} MB, {source.stat().st_size / 1e6:.1f} MB"


def _refuse_lacking(wheel: Path, source: Path) -> None:
    """Everything that is no Python module and still needed is in both."""
    needed = ["py.typed", "__init__.pyi", "study/__init__.pyi", "demo/data/visits.csv", "report/templates/report.html"]
    with zipfile.ZipFile(wheel) as packed:
        inside = packed.namelist()
    lacking = [name for name in needed if f"gauger/{name}" not in inside]
    with tarfile.open(source) as packed_source:
        names = packed_source.getnames()
    lacking += [name for name in needed if not any(one.endswith(f"src/gauger/{name}") for one in names)]
    if lacking:
        raise NotReadyError(f"the packages lack {', '.join(lacking)}")


def results_are_there() -> str:
    """Every results file of the documentation can be read."""
    files = sorted((ROOT / "docs" / "results").glob("*.json"))
    for file in files:
        json.loads(file.read_text(encoding="utf-8"))
    return ", ".join(file.stem for file in files)


def make(target: str) -> Check:
    """A target of the Makefile that must succeed."""

    def made() -> str:
        began = time.perf_counter()
        run("make", target)
        return f"{(time.perf_counter() - began) / 60:.1f} min"

    made.__name__ = f"make_{target.replace('-', '_')}"
    return made


QUICK: tuple[Check, ...] = (
    the_tree_is_clean,
    the_version_is_told_everywhere,
    promised_versions_are_the_oldest_constraints,
    results_are_there,
    importing_is_quick,
    make("check"),
    packages_install_and_run,
)
LONG: tuple[Check, ...] = (make("docs"), make("test-all"), make("test-oldest"), make("test-newest"))

LEFT = """
Left for people:
  read CHANGELOG.md and the notes of what was not reached, and put the day into CITATION.cff
  make screenshots, and look at them
  git tag --sign v{version} && git push --tags
  upload dist/, and install it once more from there
"""


def main() -> None:
    """Take every step, and end with 1 where one does not hold."""
    failed = 0
    for check in QUICK if "--quick" in sys.argv else (*QUICK, *LONG):
        name = check.__name__.replace("_", " ")
        try:
            print(f"ok      {name}: {check()}", flush=True)
        except NotReadyError as error:
            failed += 1
            print(f"NOT SO  {name}: {error}", flush=True)
    print(LEFT.format(version=version()) if not failed else f"\n{failed} steps do not hold.")
    sys.exit(min(failed, 1))


if __name__ == "__main__":
    main()
