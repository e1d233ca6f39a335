"""What segments in a database are like, and the model that places others: sums, counts and quantiles by segment."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from gauger.columns import Values
from gauger.engine import QUARTILES, Moments, PartProfile
from gauger.errors import SettingError
from gauger.features import sql_number
from gauger.models import GATE_SHARE, LearnedFeature, SegmentModel, bins_of
from gauger.progress import task
from gauger.tables import TableName
from gauger.warehouse.beside import Beside
from gauger.warehouse.customers import Customers
from gauger.warehouse.learning import Learned, moments_in, moments_of
from gauger.warehouse.order_statistics import grouped_quantiles

_GRID, _COARSE, _FEW = 200, 20, 2_000
"""Quantiles of a feature between which bins for later comparison are looked for, twenty for each bin, and of fewer
customers than the last two for each, so that no table's column leaves the database by them: judgement."""


@dataclass(frozen=True, eq=False)
class Described:
    """By segment (k,): customers, gates and mean distances; moments and quartiles (d, k + 1, 3) of each feature,
    everyone last; and of everyone a grid of quantiles of each (d, g)."""

    sizes: Values
    gates: Values
    mean_distances: Values
    squares: float
    moments: Moments
    quartiles: Values
    grid: Values


def describe(learned: Learned, into: TableName, count: int) -> Described:
    """Look at the segments that were written."""
    session, names = learned.customers.session, learned.names
    columns = [f"f{at}" for at in range(1, len(names) + 1)]
    segmented = Beside(learned.customers, into).source(dict(zip(columns, learned.customers.raw.values(), strict=True)))
    with task("describing segments", 4) as advance:
        (farthest,) = session.row(f"SELECT MAX(distance) FROM {into.sql}")
        reach = np.array([[0.0, float(farthest)]])
        asked = moments_in(learned.customers, into.sql, ["distance"], reach, "segment")
        distances = moments_of(learned.customers, [row[1:] for row in session.rows(f"{asked} ORDER BY 1")], reach)
        if len(distances.known) < count:
            raise SettingError(
                f"only {len(distances.known)} of {count} segments have customers when iterations end: raise "
                "max_iterations (--max-iterations), or ask for fewer segments."
            )
        gates = grouped_quantiles(learned.customers, into.sql, ["distance"], (GATE_SHARE,), "segment")
        advance(1)
        ends = original_ends(learned)
        found = session.rows(f"{moments_in(learned.customers, segmented, columns, ends, 'segment')} ORDER BY 1")
        moments = moments_of(learned.customers, [row[1:] for row in found], ends)
        advance(1)
        own = grouped_quantiles(learned.customers, segmented, columns, QUARTILES, "segment")
        advance(1)
        everyone = learned.customers.treated(dict.fromkeys(names, ()))
        steps = _GRID if learned.survey.kept >= _FEW else _COARSE
        grid = grouped_quantiles(learned.customers, everyone, columns, [at / steps for at in range(steps + 1)])[None]
        advance(1)
    whole = grid[:, [steps // 4, steps // 2, 3 * steps // 4]]
    quartiles = np.stack([*(own[number] for number in range(1, count + 1)), whole], axis=1)
    by_number = np.array([gates[number][0, 0] for number in range(1, count + 1)])
    sizes, squares = distances.known[:, 0].astype(np.float64), float(distances.square_sums().sum())
    return Described(sizes, by_number, distances.means()[:, 0], squares, moments, quartiles, grid)


def original_ends(learned: Learned) -> Values:
    """The smallest and largest value of each feature in original units (d, 2)."""
    seen, indicators = learned.survey, len(learned.customers.indicators)
    return np.vstack([np.column_stack([seen.lows, seen.highs]), np.tile([0.0, 1.0], (indicators, 1))])


def profile_of(described: Described, learned: Learned) -> PartProfile:
    """What the segments are like, in tables."""
    return PartProfile.of(learned.names, described.moments, described.quartiles)


def with_what_was_seen(model: SegmentModel, described: Described, learned: Learned, made_at: datetime) -> SegmentModel:
    """The model with its gates and with how features are distributed."""
    segments = tuple(
        replace(one, customers=int(size), gate=float(gate), mean_distance=float(mean))
        for one, size, gate, mean in zip(
            model.segments, described.sizes, described.gates, described.mean_distances, strict=True
        )
    )
    edges = [bins_of(own[~np.isnan(own)])[0] for own in described.grid]
    shares = _shares_between(learned, edges)
    features = tuple(
        _with_distribution(feature, index, described, learned, edges[index], shares[index])
        for index, feature in enumerate(model.features)
    )
    return replace(
        model,
        segments=segments,
        features=features,
        made_at=made_at.isoformat(timespec="seconds"),
        fingerprint=_fingerprint(described, learned),
    )


def _with_distribution(
    feature: LearnedFeature,
    index: int,
    described: Described,
    learned: Learned,
    edges: tuple[float, ...],
    shares: tuple[float, ...],
) -> LearnedFeature:
    whole = described.moments.of_everyone()
    low, high = original_ends(learned)[index].tolist()
    return replace(
        feature,
        low=low,
        high=high,
        mean=float(whole.means()[0, index]),
        standard_deviation=float(whole.deviations()[0, index]),
        missing=1.0 - int(whole.known[0, index]) / learned.survey.kept,
        quartiles=tuple(described.quartiles[index, -1].tolist()),
        edges=edges,
        shares=shares,
    )


def counts_between(customers: Customers, source: str, edges: Sequence[Sequence[float]]) -> list[list[int]]:
    """How many values of each column f1, f2 … of a source lie between its edges; a value at an edge lies above it."""
    asked = []
    for at, own in enumerate(edges, 1):
        asked += [f"COUNT(CASE WHEN f{at} < {sql_number(edge)} THEN 1 END)" for edge in own]
        asked.append(f"COUNT(f{at})")
    found = list(map(int, customers.session.row(f"SELECT {', '.join(asked)} FROM {source}")))
    counts = []
    for own in edges:
        below, found = [0, *found[: len(own) + 1]], found[len(own) + 1 :]
        counts.append(np.diff(below).tolist())
    return counts


def _shares_between(learned: Learned, edges: Sequence[tuple[float, ...]]) -> list[tuple[float, ...]]:
    customers = learned.customers
    source = customers.treated(dict.fromkeys(customers.names, ()))
    return [tuple((np.array(own) / max(sum(own), 1)).tolist()) for own in counts_between(customers, source, edges)]


def _fingerprint(described: Described, learned: Learned) -> str:
    """SHA-256 over exact sums of all values, whatever the order of rows."""
    whole = described.moments.of_everyone()
    digest = hashlib.sha256(f"{learned.survey.rows} {learned.survey.kept}".encode())
    for sums in (whole.sums, whole.squares):
        digest.update(sums.values(np.zeros(len(learned.names), dtype=np.int64)).tobytes())
    digest.update("\n".join(learned.names).encode())
    return digest.hexdigest()
