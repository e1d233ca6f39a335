"""What another count would change, in a few words."""

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.statistics import contingency_table
from gauger.wording import listed

Codes = NDArray[np.integer]


def change_in_words(advised: Codes, other: Codes) -> str:
    """Which advised segments another count (codes from 1) merges or splits: "segments 1 and 4 become one"."""
    count, others = int(advised.max()), int(other.max())
    both = contingency_table(advised - 1, other - 1, (count, others))
    if others < count:
        homes = both.argmax(axis=1)
        together = [np.flatnonzero(homes == home) + 1 for home in range(others) if (homes == home).sum() > 1]
        parts = [f"segments {listed(map(str, numbers), most=count)} become one" for numbers in together]
    else:
        origins = both.argmax(axis=0)
        cut = [number + 1 for number in range(count) if (origins == number).sum() > 1]
        parts = [f"segment {number} is split" for number in cut]
    return listed(parts, most=count) if parts else "most customers change their segment"
