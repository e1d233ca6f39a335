"""The visits of the demo world, simulated member by member from their planted kinds."""

import datetime
from collections.abc import Sequence

import numpy as np
import pandas as pd

from gauger.demo.kinds import CHANNELS, FILM_KINDS, SLOTS, Kind

_SLOT_FACTOR = np.array([0.85, 1.0, 1.1])
"""What a seat costs by part of the day, of the usual price."""

_KIOSK_SHARE = 0.6
"""The share of visits with something from the kiosk."""

_COLUMNS = "member_id visited_on house film_kind slot seats ticket_spend kiosk_spend booked_days_ahead channel".split()


def build_visits(
    rng: np.random.Generator,
    members: pd.DataFrame,
    kinds: Sequence[Kind],
    houses: Sequence[str],
    first: datetime.date,
    weeks: int,
    prices: float = 1.0,
) -> pd.DataFrame:
    """Every visit from `first` on for `weeks` weeks, in order of date."""
    parts: list[dict[str, np.ndarray]] = []
    names = np.array(houses, dtype=object)
    for member, kind in zip(members.itertuples(index=False), kinds, strict=True):
        start = max(0, (datetime.date.fromisoformat(str(member.joined_on)) - first).days)
        end = weeks * 7 - (int(rng.integers(*kind.ended)) if kind.ended else 0)
        days = _visit_days(rng, kind, start, end)
        if days.size:
            part = _visits_on(rng, kind, days, first, prices)
            part["member_id"] = np.full(days.size, member.member_id, dtype=object)
            elsewhere = names[rng.integers(len(names), size=days.size)]
            part["house"] = np.where(rng.random(days.size) > 0.85, elsewhere, str(member.home_house))
            parts.append(part)
    table = pd.DataFrame({column: np.concatenate([part[column] for part in parts]) for column in _COLUMNS})
    return table.sort_values(["visited_on", "member_id"], kind="stable").reset_index(drop=True)


def add_visit_mess(
    rng: np.random.Generator, visits: pd.DataFrame, refunds: int, repeats: int, first_id: int = 1
) -> pd.DataFrame:
    """Number the visits, take some tickets back as rows of negative spend, and write some rows twice."""
    table = visits.copy()
    table.insert(0, "visit_id", np.arange(first_id, first_id + len(table)))
    refunded = table.iloc[np.sort(rng.choice(len(table), size=refunds, replace=False))].copy()
    refunded["ticket_spend"] = -refunded["ticket_spend"]
    refunded["kiosk_spend"] = 0.0
    refunded["seats"] = 0
    refunded["visit_id"] = first_id + len(table) + np.arange(refunds)
    repeated = table.iloc[np.sort(rng.choice(len(table), size=repeats, replace=False))]
    whole = pd.concat([table, refunded, repeated], ignore_index=True)
    return whole.sort_values(["visited_on", "visit_id"], kind="stable").reset_index(drop=True)


def _visit_days(rng: np.random.Generator, kind: Kind, start: int, end: int) -> np.ndarray:
    rate = kind.visits_a_year * rng.gamma(kind.evenness) / kind.evenness
    count = int(rng.poisson(rate * max(end - start, 0) / 365.25))
    weeks = rng.integers(start // 7, max(end // 7, start // 7 + 1), count)
    days = weeks * 7 + _choose(rng, kind.weekdays, count)
    return np.sort(days[(days >= start) & (days < end)])


def _visits_on(
    rng: np.random.Generator, kind: Kind, days: np.ndarray, first: datetime.date, prices: float
) -> dict[str, np.ndarray]:
    n = days.size
    seats = np.array(list(kind.party))[_choose(rng, tuple(kind.party.values()), n)]
    slot = _choose(rng, kind.slots, n)
    price = kind.seat_price * prices * _SLOT_FACTOR[slot] * (1.0 + 0.06 * rng.standard_normal(n))
    kiosk = seats * rng.gamma(3.0, size=n) / 3.0 * kind.kiosk_a_seat / _KIOSK_SHARE
    kiosk[rng.random(n) > _KIOSK_SHARE] = 0.0
    return {
        "visited_on": np.array([(first + datetime.timedelta(days=int(day))).isoformat() for day in days], dtype=object),
        "film_kind": np.array(FILM_KINDS, dtype=object)[_choose(rng, kind.films, n)],
        "slot": np.array(SLOTS, dtype=object)[slot],
        "seats": seats,
        "ticket_spend": np.maximum(np.round(price * seats * 2.0) / 2.0, 1.0),
        "kiosk_spend": np.round(kiosk * 2.0) / 2.0,
        "booked_days_ahead": rng.poisson(kind.booked_ahead * rng.gamma(1.5, size=n) / 1.5),
        "channel": np.array(CHANNELS, dtype=object)[_choose(rng, kind.channels, n)],
    }


def _choose(rng: np.random.Generator, weights: Sequence[float], n: int) -> np.ndarray:
    shares = np.array(weights) / sum(weights)
    return rng.choice(len(shares), size=n, p=shares)
