"""Where the printed programme goes: homes in shapes that no round segment fits."""

import numpy as np
import pandas as pd

from gauger.demo.region import TOWNS, TRAM_LINE, Kilometres

QUARTERS = {"old town": 420, "ring road": 340, "lakeside": 330, "tram line": 400, "farms": 90}
"""Homes of each quarter."""

_ON_THE_LINE = (0.25, 0.84)
"""Between which shares of the tram line people live."""

_REGION = ((4.0, 50.0), (4.0, 40.0))
"""The region that farms are spread over, in km."""


def build_homes(rng: np.random.Generator) -> tuple[pd.DataFrame, pd.Series]:
    """The homes that get the printed programme, and beside it each one's planted quarter (indexed by home_id).

    Ostrel's old town, the estates along its ring road, the ring of houses around Kelmere's lake, the terraces along the
    tram line between the two, and farms anywhere.
    """
    made = {
        "old town": rng.normal(scale=0.8, size=(QUARTERS["old town"], 2)) + TOWNS[0],
        "ring road": _ring(rng, QUARTERS["ring road"], 5.0, 0.25) + TOWNS[0],
        "lakeside": _ring(rng, QUARTERS["lakeside"], 3.6, 0.28) + TOWNS[1],
        "tram line": _terraces(rng, QUARTERS["tram line"]),
        "farms": np.column_stack([rng.uniform(*side, size=QUARTERS["farms"]) for side in _REGION]),
    }
    places = np.vstack(list(made.values()))
    quarters = np.repeat(list(made), [len(part) for part in made.values()])
    order = rng.permutation(len(places))
    ids = [f"H{number:04d}" for number in range(1, len(places) + 1)]
    east, north = places[order].T.round(2)
    table = pd.DataFrame({"home_id": ids, "east_km": east, "north_km": north})
    return table, pd.Series(quarters[order], index=pd.Index(ids, name="home_id"), name="quarter")


def _ring(rng: np.random.Generator, n: int, radius: float, width: float) -> Kilometres:
    angle = rng.random(n) * 2.0 * np.pi
    way = radius + width * rng.standard_normal(n)
    return np.column_stack((way * np.cos(angle), way * np.sin(angle)))


def _terraces(rng: np.random.Generator, n: int) -> Kilometres:
    """Homes along the part of the tram line that lies between the towns, evenly by its length."""
    stops = np.array(TRAM_LINE)
    lengths = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(stops, axis=0).T))])
    at = rng.uniform(*_ON_THE_LINE, size=n) * lengths[-1]
    along = np.column_stack([np.interp(at, lengths, stops[:, axis]) for axis in (0, 1)])
    return np.asarray(along + rng.normal(scale=0.3, size=(n, 2)))
