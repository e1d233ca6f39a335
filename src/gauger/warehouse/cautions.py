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
from gauger.warehouse.column_traits import skew_of
from gauger.warehouse.dialects import times_power
from gauger.warehouse.learning import Learned, ends_after

_AT_ONCE = 150
"""Sums that are asked for in one statement: far below what any database selects at once."""


def about_features(learned: Learned) -> list[Remark]:
    """The remarks on measures."""
    measures = learned.customers.measures
    if not measures:
        return []
    before = [
        tuple(step for step in steps if not isinstance(step, (Scale, Weight)))
        for steps in learned.treatments[: len(measures)]
    ]
    ends = np.array([ends_after(learned.survey, at, before[at]) for at in range(len(measures))])
    tails = _tails(learned, before, ends)
    evidence = []
    for at, name in enumerate(measures):
        low, high = ends[at].tolist()
        evidence.append(
            FeatureFacts(
                name,
                rows=learned.survey.kept,
                complete=not learned.survey.kept_missing.get(name),
                distinct=1 if learned.survey.lows[at] == learned.survey.highs[at] else 2,
                low=float(learned.survey.lows[at]),
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
    widths = learned.deviations[: len(measures)]
    categories = len({one.column for one in learned.customers.indicators.values()})
    return cautions_from_sums(evidence, _correlations(learned), widths, learned.survey.kept, categories)


def _tails(learned: Learned, before: Sequence[tuple[Treatment, ...]], ends: Values) -> list[float]:
    """The skew of each measure before it is scaled."""
    customers, dialect = learned.customers, learned.customers.dialect
    rest = learned.treatments[len(customers.measures) :]
    source = customers.treated_by((*before, *rest))
    asked = []
    for at, (low, high) in enumerate(ends.tolist(), 1):
        span = high - low if high > low else 1.0
        gap = f"(({sql_less(f'f{at}', low)}) / {sql_number(span)})"
        asked += [dialect.whole_sum(times_power(" * ".join([gap] * power), BITS)) for power in (1, 2, 3)]
    found = list(map(dialect.int_of, _in_parts(learned, asked, source)))
    n = learned.survey.kept
    return [skew_of(n, [Fraction(one, 2**BITS) for one in found[3 * at : 3 * at + 3]]) for at in range(len(before))]


def _correlations(learned: Learned) -> Values:
    """Correlations (d, d) of the measures as they will be clustered."""
    d = len(learned.customers.measures)
    customers, dialect = learned.customers, learned.customers.dialect
    largest = np.abs(learned.ends).max(axis=1)
    pairs = [(one, other) for one in range(d) for other in range(one + 1, d)]
    steps = [int(steps_for(np.array([largest[one] * largest[other]]))[0]) for one, other in pairs]
    asked = [
        dialect.whole_sum(times_power(f"f{one + 1} * f{other + 1}", step))
        for (one, other), step in zip(pairs, steps, strict=True)
    ]
    found = _in_parts(learned, asked, customers.treated_by(learned.treatments)) if pairs else []
    r = np.eye(d)
    for (one, other), step, total in zip(pairs, steps, found, strict=True):
        product = float(Fraction(dialect.int_of(total)) / Fraction(2) ** step) / learned.survey.kept
        spread = learned.deviations[one] * learned.deviations[other]
        if spread > 0.0:
            r[one, other] = r[other, one] = (product - learned.means[one] * learned.means[other]) / spread
    return r


def _in_parts(learned: Learned, asked: list[str], source: str) -> list[object]:
    """What is asked of a source, in statements that are not too long."""
    found: list[object] = []
    for first in range(0, len(asked), _AT_ONCE):
        found += learned.customers.session.row(f"SELECT {', '.join(asked[first : first + _AT_ONCE])} FROM {source}")
    return found
