"""What there is to say of features in a database, from sums alone: constants, long tails, what measures the same."""

from collections.abc import Sequence
from fractions import Fraction

import numpy as np

from gauger.algorithms.kmeans import BITS, steps_for
from gauger.columns import Values
from gauger.features import (
    NO_RANGE,
    Cap,
    FeatureFacts,
    Power,
    Scale,
    Transform,
    Treatment,
    Weight,
    cautions_from_sums,
    sql_less,
    sql_number,
)
from gauger.remarks import Remark
from gauger.sources.databases.column_traits import skew_of
from gauger.sources.databases.dialects import times_power
from gauger.sources.databases.table_customers import TableCustomers
from gauger.sources.places import Scaling
from gauger.sources.treatment_learning import ends_after

_AT_ONCE = 150
"""Sums that are asked for in one statement: far below what any database selects at once."""


def about_features(customers: TableCustomers, scaling: Scaling) -> list[Remark]:
    """The remarks on measures."""
    measures, survey = scaling.columns.measures, scaling.survey
    if not measures:
        return []
    before = [
        tuple(step for step in steps if not isinstance(step, (Scale, Weight)))
        for steps in scaling.treatments[: len(measures)]
    ]
    ends = np.array([ends_after(survey, at, before[at]) for at in range(len(measures))])
    tails = _tails(customers, scaling, before, ends)
    evidence = []
    for at, name in enumerate(measures):
        low, high = ends[at].tolist()
        evidence.append(
            FeatureFacts(
                name,
                rows=survey.kept,
                complete=not survey.kept_missing.get(name),
                distinct=1 if survey.lows[at] == survey.highs[at] else 2,
                low=float(survey.lows[at]),
                usual=(np.nan, 0),
                sentinel=None,
                like_key=False,
                like_code=False,
                zero_for_missing=False,
                tail=tails[at],
                still=high - low < NO_RANGE,
                transformed=any(isinstance(step, (Transform, Power)) for step in before[at]),
                capped=any(isinstance(step, Cap) for step in before[at]),
            )
        )
    widths = scaling.deviations[: len(measures)]
    categories = len({one.column for one in scaling.columns.indicators.values()})
    return cautions_from_sums(evidence, _correlations(customers, scaling), widths, survey.kept, categories)


def _tails(
    customers: TableCustomers, scaling: Scaling, before: Sequence[tuple[Treatment, ...]], ends: Values
) -> list[float]:
    """The skew of each measure before it is scaled."""
    dialect = customers.dialect
    rest = scaling.treatments[len(before) :]
    source = customers.treated_by((*before, *rest))
    asked = []
    for at, (low, high) in enumerate(ends.tolist(), 1):
        span = high - low if high > low else 1.0
        gap = f"(({sql_less(f'f{at}', low)}) / {sql_number(span)})"
        asked += [dialect.whole_sum(times_power(" * ".join([gap] * power), BITS)) for power in (1, 2, 3)]
    found = list(map(dialect.int_of, _in_parts(customers, asked, source)))
    n = scaling.survey.kept
    return [skew_of(n, [Fraction(one, 2**BITS) for one in found[3 * at : 3 * at + 3]]) for at in range(len(before))]


def _correlations(customers: TableCustomers, scaling: Scaling) -> Values:
    """Correlations (d, d) of the measures as they will be clustered."""
    d, dialect = len(scaling.columns.measures), customers.dialect
    largest = np.abs(scaling.ends).max(axis=1)
    pairs = [(one, other) for one in range(d) for other in range(one + 1, d)]
    steps = [int(steps_for(np.array([largest[one] * largest[other]]))[0]) for one, other in pairs]
    asked = [
        dialect.whole_sum(times_power(f"f{one + 1} * f{other + 1}", step))
        for (one, other), step in zip(pairs, steps, strict=True)
    ]
    found = _in_parts(customers, asked, customers.treated_by(scaling.treatments)) if pairs else []
    r = np.eye(d)
    for (one, other), step, total in zip(pairs, steps, found, strict=True):
        product = float(Fraction(dialect.int_of(total)) / Fraction(2) ** step) / scaling.survey.kept
        spread = scaling.deviations[one] * scaling.deviations[other]
        if spread > 0.0:
            r[one, other] = r[other, one] = (product - scaling.means[one] * scaling.means[other]) / spread
    return r


def _in_parts(customers: TableCustomers, asked: list[str], source: str) -> list[object]:
    """What is asked of a source, in statements that are not too long."""
    found: list[object] = []
    for first in range(0, len(asked), _AT_ONCE):
        found += customers.session.row(f"SELECT {', '.join(asked[first : first + _AT_ONCE])} FROM {source}")
    return found
