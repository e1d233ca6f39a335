"""The made-up region of Ostrel Picture Houses: its areas, its 48 houses and where members live."""

from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

Kilometres = NDArray[np.float64]

AREAS = ("Ostrel", "Kelmere", "Tramside", "Brackholt", "Saltfen", "Upper Wend", "Harrowick", "Dunsey", "Fallowby")
LONELY_AREA = "Gullrock"
TOWNS = ((14.0, 22.0), (41.0, 31.0))
"""The two towns, in km east and north."""

TRAM_LINE = ((14.0, 22.0), (24.0, 12.0), (34.0, 14.0), (41.0, 31.0))
"""The stops of the tram, in km."""

ISLAND = (63.0, 47.0)
"""The island, in km."""

_FIRST = ("Ard", "Bel", "Cor", "Dun", "Esk", "Fen", "Gar", "Hol")
_LAST = ("ick", "mer", "ow", "ath", "und", "ess")


@dataclass(frozen=True)
class Region:
    """The houses with their places; coordinates in km east and north of the region's south-west corner."""

    houses: pd.DataFrame

    def nearest_house(self, east: Kilometres, north: Kilometres) -> NDArray[np.object_]:
        """Names of the houses nearest to the given places."""
        gaps = np.hypot(
            east[:, None] - self.houses["east_km"].to_numpy(),
            north[:, None] - self.houses["north_km"].to_numpy(),
        )
        names: NDArray[np.object_] = self.houses["house"].to_numpy(dtype=object)
        return np.asarray(names[gaps.argmin(axis=1)], dtype=object)


def build_region(rng: np.random.Generator) -> Region:
    """Lay out the 48 houses: a third around each town, the rest along the tram line."""
    names = [first + last for first in _FIRST for last in _LAST]
    east, north = scatter_homes(rng, len(names), town=0.6)
    return Region(pd.DataFrame({"house": names, "east_km": east.round(1), "north_km": north.round(1)}))


def scatter_homes(rng: np.random.Generator, n: int, town: float) -> tuple[Kilometres, Kilometres]:
    """Homes around the two towns (the smaller one a ring about its lake) or along the tram line, in km."""
    in_town = rng.random(n) < town
    in_second = rng.random(n) < 0.4
    spread = rng.standard_normal((n, 2))
    angle = rng.random(n) * 2.0 * np.pi
    radius = 4.0 + 0.7 * rng.standard_normal(n)
    ring = np.column_stack((radius * np.cos(angle), radius * np.sin(angle))) + TOWNS[1]
    centre = 2.6 * spread + TOWNS[0]
    homes = np.where(in_second[:, None], ring, centre)
    homes = np.where(in_town[:, None], homes, _along_tram(rng.random(n)) + 1.1 * spread)
    return homes[:, 0], homes[:, 1]


def area_of(east: Kilometres, north: Kilometres) -> NDArray[np.object_]:
    """The named area of each home: the two towns by their circles, the rest by stripes from west to east."""
    stripe = np.clip((east - 5.0) / 6.5, 0, len(AREAS) - 3).astype(int)
    names: NDArray[np.object_] = np.array(AREAS[2:], dtype=object)[np.minimum(stripe, len(AREAS) - 3)]
    for town, name in zip(TOWNS, AREAS[:2], strict=True):
        names[np.hypot(east - town[0], north - town[1]) < 6.0] = name
    return names


def _along_tram(position: Kilometres) -> Kilometres:
    stops = np.array(TRAM_LINE)
    at = np.linspace(0.0, 1.0, len(stops))
    return np.column_stack([np.interp(position, at, stops[:, axis]) for axis in (0, 1)])
