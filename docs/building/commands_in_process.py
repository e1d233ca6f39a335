"""Run `gauger …` as a child of this process that has everything loaded already, and hear all that it says."""

import os
import re
import sys
import traceback
from collections.abc import Sequence
from pathlib import Path

from tests.short_cuts import only_drawn

COLUMNS = 100
"""Letters of a terminal's line."""

_STYLES = re.compile(r"\x1b\[[0-9;]*m")
_SURROUNDINGS = {
    "COLUMNS": str(COLUMNS),
    "TERM": "xterm",
    "NO_COLOR": "1",
    "TTY_COMPATIBLE": "1",
    "TTY_INTERACTIVE": "0",
}


def warm_up() -> None:
    """Load packages and compiled loops once here, so that no child has to: all inherit them."""
    import numpy as np
    import pandas as pd

    import gauger
    from gauger.cli import app  # noqa: F401 - every command

    values = np.random.default_rng(0).normal(size=(200, 2)) + np.repeat([[0.0], [6.0]], 100, axis=0)
    table = pd.DataFrame(values, columns=["a", "b"]).assign(who=range(200))
    features = gauger.prepare(table, key="who")
    study = gauger.study_counts(features, counts=range(1, 4), starts=2, references=2, resamples=2)
    segments = study.segmentations[2]
    profile = gauger.profile(segments)
    gauger.build_model(segments).assign(table)
    gauger.study_radius(features)
    gauger.build_tree(features)
    for figure in (gauger.draw.count_study(study), gauger.draw.scatter(segments), gauger.draw.profile_bars(profile)):
        figure.draw_without_rendering()


def run(words: Sequence[str], folder: Path, shown: str | None = None) -> tuple[int, str]:
    """The exit code, and what stdout and stderr had, in their order; of the figures it writes only `shown` is drawn."""
    reading, writing = os.pipe()
    child = os.fork()
    if not child:
        os.close(reading)
        os._exit(_in_child(words, folder, writing, shown))
    os.close(writing)
    with os.fdopen(reading, "rb") as stream:
        said = stream.read().decode("utf-8", errors="replace")
    _, status = os.waitpid(child, 0)
    return os.waitstatus_to_exitcode(status), _STYLES.sub("", said)


def _in_child(words: Sequence[str], folder: Path, writing: int, shown: str | None) -> int:
    os.dup2(writing, 1)
    os.dup2(writing, 2)
    sys.stdout = os.fdopen(1, "w", buffering=1, encoding="utf-8")
    sys.stderr = os.fdopen(2, "w", buffering=1, encoding="utf-8")
    os.environ.update(_SURROUNDINGS)
    os.chdir(folder)
    try:
        from gauger.cli.app import app

        with only_drawn(shown):
            app(list(words), prog_name="gauger")
    except SystemExit as stop:
        sys.stdout.flush()
        return int(stop.code or 0)
    except BaseException:  # noqa: BLE001 - whatever a command dies of is what its page fails of
        traceback.print_exc()
        return 1
    return 0
