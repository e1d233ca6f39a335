"""As many members as a test of scale asks for: their behaviour, kind by kind, as parts of Parquet files."""

import datetime
from collections.abc import Iterator
from os import PathLike
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from gauger.demo.kinds import KINDS, Kind

MEASURES = ("visits", "recency_days", "seats_a_visit", "ticket_spend", "kiosk_spend", "booked_days_ahead")
"""The measures of a member's last year."""
_BLOCK_MEMBERS = 1_000_000
"""Members made, and kept in one row group, at a time: a bound on memory, no more."""
_PART_MEMBERS = 5_000_000
"""Members of one file."""
_AREAS = ("town", "tram line", "hills")


def write_many_members(
    members: int, folder: str | PathLike[str], *, seed: int = 0, in_a_part: int = _PART_MEMBERS
) -> list[Path]:
    """Write a made-up base of members as Parquet parts, `in_a_part` members each: member_id, measures, area, joined.

    Every block of a million is drawn with a seed of its own, so the first million are the same in a base of any size.
    """
    place = Path(folder)
    place.mkdir(parents=True, exist_ok=True)
    paths = []
    for part, first in enumerate(range(0, members, in_a_part)):
        path = place / f"members-{part:04}.parquet"
        blocks = _blocks(first, min(first + in_a_part, members), seed)
        opening = next(blocks)
        with pq.ParquetWriter(path, opening.schema) as writer:
            writer.write_table(opening)
            for block in blocks:
                writer.write_table(block)
        paths.append(path)
    return paths


def _blocks(first: int, last: int, seed: int) -> Iterator[pa.Table]:
    for start in range(first, last, _BLOCK_MEMBERS):
        yield many_members(start, min(start + _BLOCK_MEMBERS, last) - start, seed=seed)


def many_members(first: int, members: int, *, seed: int = 0) -> pa.Table:
    """Members from number `first` on, in the proportions of the demo's kinds and in no order of them."""
    rng = np.random.default_rng([seed, first])
    weights = np.array([kind.members for kind in KINDS], dtype=np.float64)
    kinds = rng.choice(len(KINDS), size=members, p=weights / weights.sum())
    columns = {name: np.empty(members) for name in MEASURES}
    for number, kind in enumerate(KINDS):
        rows = np.flatnonzero(kinds == number)
        for name, values in _behaviour(rng, kind, len(rows)).items():
            columns[name][rows] = values
    areas = pa.DictionaryArray.from_arrays(rng.integers(0, len(_AREAS), members, dtype=np.int32), list(_AREAS))
    day = np.datetime64(datetime.date(2019, 1, 1)) + rng.integers(0, 2_000, members).astype("timedelta64[D]")
    return pa.table(
        {
            "member_id": np.arange(first + 1, first + members + 1, dtype=np.int64),
            "visits": columns["visits"].astype(np.int64),
            **{name: columns[name] for name in MEASURES if name != "visits"},
            "area": areas.cast(pa.string()),
            "joined": pa.array(day),
        }
    )


def _behaviour(rng: np.random.Generator, kind: Kind, n: int) -> dict[str, np.ndarray]:
    """A year of a kind's members: nobody without a visit, for who does not come is in no table of behaviour."""
    rate = kind.visits_a_year * rng.gamma(kind.evenness, size=n) / kind.evenness
    visits = np.maximum(rng.poisson(rate), 1)
    party = np.array(list(kind.party.items()))
    mean = float(party[:, 0] @ party[:, 1])
    width = float(np.sqrt(((party[:, 0] - mean) ** 2) @ party[:, 1]))
    seats = np.maximum(mean + width / np.sqrt(visits) * rng.standard_normal(n), 1.0)
    price = kind.seat_price * (1.0 + 0.1 * rng.standard_normal(n))
    return {
        "visits": visits,
        "recency_days": np.floor(rng.exponential(365.0 / (rate + 1.0))) + (kind.ended[0] if kind.ended else 0.0),
        "seats_a_visit": np.round(seats, 2),
        "ticket_spend": np.round(visits * seats * np.maximum(price, 1.0), 2),
        "kiosk_spend": np.round(visits * seats * kind.kiosk_a_seat * rng.gamma(3.0, size=n) / 3.0, 2),
        "booked_days_ahead": np.round(kind.booked_ahead * rng.gamma(4.0, size=n) / 4.0, 1),
    }
