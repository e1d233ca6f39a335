"""The register of random streams: what a study draws besides the starts of k-means, which take the seed itself.

A seed and the number of a stream make a generator (`numpy.random.SeedSequence` mixes them), so that drawing more in one
place changes nothing in another. The numbers are part of every result: a new stream takes a new one, and none changes.
A new one does not end in 0, for numpy fills up with zeros: GAP_REFERENCES is the seed itself, and LEARNERS begins as
PREDICTION_SPLITS does, whose splits come from its children only.
"""

from enum import Enum

import numpy as np


class Stream(Enum):
    """What is drawn with a seed that the analyst gives."""

    GAP_REFERENCES = (0,)
    PREDICTION_SPLITS = (1,)
    STABILITY_RESAMPLES = (2,)
    CRITERIA_FITS = (3,)
    CRITERIA_SAMPLE = (4,)
    EMBEDDED_SAMPLE = (8,)
    LINKAGES_SAMPLE = (11,)
    METRICS_SAMPLE = (13,)
    EXPLORED_SAMPLE = (15,)
    STARTS_IN_A_DATABASE = (16,)
    LEARNERS = (1, 0)
    OTHER_LEARNERS = (1, 1)

    def seed(self, seed: int) -> tuple[int, ...]:
        """What `numpy.random.SeedSequence` is to mix."""
        return (seed, *self.value)

    def generator(self, seed: int) -> np.random.Generator:
        """The generator of this stream for a seed."""
        return np.random.default_rng(self.seed(seed))


def fixed_generator() -> np.random.Generator:
    """For draws that no seed is to change: the same in every run, such as the sample that a remark looks at."""
    return np.random.default_rng(0)
