"""What is measured to see groups: for every count how firm its k-means segments are, beside those of one cloud."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gauger.algorithms.diagnostics import DEEP, SmoothTable
from gauger.choosing.group_table import GroupTable

LEAST_SHARE, LEAST_CUSTOMERS = 0.015, 5
"""A group of fewer (a share, and a number of customers) is none, and a segment of so few worth a warning: judgement."""

Values = NDArray[np.float64]
Codes = NDArray[np.integer]


@dataclass(frozen=True, eq=False)
class Partition:
    """Segments of the customers, `codes` (n,) from 0: their silhouette, shallowest valley and smallest size."""

    count: int
    codes: Codes
    silhouette: float
    shallowest: float
    smallest: int


@dataclass(frozen=True, eq=False)
class InClouds:
    """What clouds of the same shape have at one count, each with its standard deviation.

    The mean `silhouette`; how deep the valley from a segment to the nearest is, `depth`; and the one between the two
    segments least apart, `shallowest`.
    """

    silhouette: tuple[float, float]
    depth: tuple[float, float]
    shallowest: tuple[float, float]


@dataclass(frozen=True, eq=False)
class CountSigns:
    """What speaks for one count.

    `own` are its k-means segments with the `depths` (count, count) between them, `merged` those with the two least
    apart merged again and again, `lonely` the ones with customers weighted by the space they have. `excess` is how many
    standard deviations the silhouette (with ties) is above that of clouds.
    """

    own: Partition
    merged: tuple[Partition, ...]
    lonely: Partition
    depths: Values
    excess: float
    clouds: InClouds

    @property
    def firmness(self) -> float:
        """How many standard errors valleys to the nearest are deeper than in clouds, on average over segments.

        Of segments that have no deep valley around them; infinite where all have one.
        """
        depths = (self.depths + np.diag(np.full(len(self.depths), np.inf))).min(axis=1)
        soft = depths[depths < DEEP]
        mean, error = self.clouds.depth
        return float((soft.mean() - mean) / error * np.sqrt(len(soft))) if len(soft) else np.inf


@dataclass(frozen=True, eq=False)
class Signs:
    """What was measured on customers: by count, with the table that it was measured on, and the same without ties.

    `aside` customers were isolated and left out of both. A group of fewer than `least` is none.
    """

    table: GroupTable
    smooth: SmoothTable
    by_count: dict[int, CountSigns]
    aside: int
    least: float

    def with_counts(self, more: dict[int, CountSigns]) -> "Signs":
        """The signs with those of more counts."""
        return replace(self, by_count=self.by_count | more)
