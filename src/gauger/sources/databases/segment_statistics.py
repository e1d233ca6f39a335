"""What segments in a database are like: exact moments, counts and quantiles by segment, of a table that says them."""

from collections.abc import Sequence

import numpy as np
import pandas as pd

from gauger.columns import Values
from gauger.errors import SettingError
from gauger.features import sql_number
from gauger.models import GATE_SHARE, bins_of
from gauger.progress import task
from gauger.sources.databases.database_moments import segment_moments
from gauger.sources.databases.database_quantiles import grouped_quantiles
from gauger.sources.databases.table_customers import TableCustomers
from gauger.sources.places import Description, Scaling
from gauger.sources.treatment_learning import QUARTILES
from gauger.tables import Session, TableName

_GRID, _COARSE, _FEW = 200, 20, 2_000
"""Quantiles of a feature between which bins for later comparison are looked for, twenty for each bin, and of fewer
customers than the last two for each, so that no table's column leaves the database by them: chosen by us."""


def describe_segments(
    customers: TableCustomers, scaling: Scaling, into: TableName, count: int, sample: pd.DataFrame
) -> Description:
    """Look at the segments that a table says."""
    session, columns = customers.session, customers.called
    segmented = customers.with_segments(into, dict(zip(columns, customers.raw.values(), strict=True)))
    with task("describing segments", 4) as advance:
        distances = segment_moments(session, into.sql, ["distance"], count)
        there = int((distances.known[:, 0] > 0).sum())
        if there < count:
            raise SettingError(
                f"only {there} of {count} segments have customers when iterations end: raise max_iterations "
                "(--max-iterations), or ask for fewer segments."
            )
        gates = grouped_quantiles(session, into.sql, ["distance"], (GATE_SHARE,), "segment")
        advance(1)
        moments = segment_moments(session, segmented, columns, count)
        advance(1)
        own = grouped_quantiles(session, segmented, columns, QUARTILES, "segment")
        advance(1)
        whole, edges = _of_everyone(customers, scaling, sample)
        between = counts_between(session, customers.untreated(), edges)
        advance(1)
    quartiles = np.stack([*(own[number] for number in range(1, count + 1)), whole], axis=1)
    by_number = np.array([gates[number][0, 0] for number in range(1, count + 1)])
    return Description(
        moments.with_columns(distances), quartiles, by_number, tuple(edges), tuple(tuple(one) for one in between)
    )


def _of_everyone(
    customers: TableCustomers, scaling: Scaling, sample: pd.DataFrame
) -> tuple[Values, list[tuple[float, ...]]]:
    """The quartiles of every feature (d, 3), and the edges of its bins: by the sample if that is everyone, else by a
    grid of quantiles."""
    everyone = scaling.survey.kept
    steps = _GRID if everyone >= _FEW else _COARSE
    shares = [at / steps for at in range(steps + 1)]
    grid = grouped_quantiles(customers.session, customers.untreated(), customers.called, shares)[None]
    values = scaling.columns.raw(sample) if len(sample) == everyone else grid
    edges = [bins_of(np.sort(own[~np.isnan(own)]))[0] if (~np.isnan(own)).any() else () for own in values]
    return grid[:, [steps // 4, steps // 2, 3 * steps // 4]], edges


def counts_between(session: Session, source: str, edges: Sequence[Sequence[float]]) -> list[list[int]]:
    """How many values of each column f1, f2 … of a source lie between its edges; a value at an edge lies above it."""
    asked = []
    for at, own in enumerate(edges, 1):
        asked += [f"COUNT(CASE WHEN f{at} < {sql_number(edge)} THEN 1 END)" for edge in own]
        asked.append(f"COUNT(f{at})")
    found = list(map(int, session.row(f"SELECT {', '.join(asked)} FROM {source}")))
    counts = []
    for own in edges:
        below, found = [0, *found[: len(own) + 1]], found[len(own) + 1 :]
        counts.append(np.diff(below).tolist())
    return counts
