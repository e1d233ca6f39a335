"""Compile what a study needs after k-means in a process of its own, beside the one that compiles k-means."""

import os
import sys
from subprocess import DEVNULL, Popen

import numpy as np
from numba import config

from gauger.algorithms.compiling import wait_later_for
from gauger.algorithms.density import groups_of_levels, split_hierarchy
from gauger.algorithms.kmeans import is_compiled
from gauger.algorithms.merge_trees import merges_of_links
from gauger.algorithms.neighbours import PointNeighbours, compile_links
from gauger.algorithms.statistics import scaled_dip


def compile_in_background() -> None:
    """On the first run on a machine of several cores, let a second process compile the loops that are needed later."""
    if not config.DISABLE_JIT and (os.cpu_count() or 1) > 1 and not is_compiled():  # type: ignore[attr-defined]
        command = [sys.executable, "-m", __spec__.name]
        wait_later_for(Popen(command, stdin=DEVNULL, stdout=DEVNULL, stderr=DEVNULL))


def _compile_later() -> None:
    """Call each loop on a few points."""
    line = np.arange(12.0)
    scaled_dip(line)
    compile_links()
    near = PointNeighbours(line[None, :].copy(), city=False)
    reach = near.nth_distances(2)
    merges = merges_of_links(*near.links(reach, lambda _: None))
    groups_of_levels(split_hierarchy(merges, reach, len(line), 3, 2))


if __name__ == "__main__":
    _compile_later()
