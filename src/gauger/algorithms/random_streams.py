"""The register of random streams: everything that is drawn, by name, so that no two draws hang together by chance.

A seed and the number of a stream make a generator (`numpy.random.SeedSequence` mixes them), so that drawing more in one
place changes nothing in another. The numbers are part of every result: a new stream takes a new one, and none changes.
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
    EVIDENCE_SAMPLE = (7,)
    EMBEDDED_SAMPLE = (8,)
    LINKAGES_SAMPLE = (11,)
    METRICS_SAMPLE = (13,)
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
