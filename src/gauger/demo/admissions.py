"""Weekly admissions of the 48 houses: five shapes of season and trend, with the gaps of a real record."""

import datetime

import numpy as np
import pandas as pd

COURSES = ("flat", "rising", "falling", "summer", "winter")


def build_admissions(rng: np.random.Generator, houses: list[str], first: datetime.date, weeks: int) -> pd.DataFrame:
    """One row a house and week; a few weeks are missing, one house opened late and one was closed for repairs."""
    week = np.arange(weeks)
    rows = []
    for number, house in enumerate(houses):
        level = 250.0 + 900.0 * rng.random()
        course = level * _course(COURSES[number % len(COURSES)], week, weeks)
        noise = 1.0 + 0.08 * rng.standard_normal(weeks)
        admissions = np.maximum(np.rint(course * noise), 0).astype(int)
        kept = rng.random(weeks) > 0.012
        if number == 17:
            kept &= week >= 12
        if number == 31:
            kept &= (week < 60) | (week >= 67)
        rows += [(house, (first + datetime.timedelta(weeks=int(w))).isoformat(), admissions[w]) for w in week[kept]]
    return pd.DataFrame(rows, columns=["house", "week", "admissions"])


def _course(shape: str, week: np.ndarray, weeks: int) -> np.ndarray:
    season = np.cos(2.0 * np.pi * (week - 29.0) / 52.0)
    along = week / (weeks - 1)
    return {
        "flat": np.ones(weeks),
        "rising": 0.7 + 0.7 * along,
        "falling": 1.35 - 0.7 * along,
        "summer": 1.0 + 0.45 * season,
        "winter": 1.0 - 0.40 * season,
    }[shape]
