"""What is worth a warning about a chosen set of features: each remark says what is wrong and what to type."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from pandas.api import types

from gauger.algorithms.statistics import correlation_matrix
from gauger.columns import LONG_TAIL, NEARLY_ALL, ColumnFacts, is_identifier, is_ordinal_code
from gauger.features.columns import Indicator
from gauger.features.treatments import Fill
from gauger.remarks import Remark
from gauger.wording import listed, plural, short_number

Values = NDArray[np.float64]

WIDE_RATIO = 10.0
"""Widest feature over narrowest, by standard deviation, from which the scales are called raw."""
HIGH_CORRELATION = 0.9
"""From this r two features measure nearly the same: judgement."""

FAR_OUT = 3.0
"""How many times the distance within which 95 % of the customers lie is called extreme."""
FEWEST_BY_FEATURE = 10
"""The customers that each feature asks for."""

_TIME_AGO = re.compile(r"(^|_)(recency|age|since|ago|tenure|gap)(_|$)", re.IGNORECASE)
_SAMPLE = 500
"""Customers on whom sums of features are looked for by least squares: judgement."""


@dataclass(frozen=True)
class FeatureFacts:
    """What was seen of one feature while it was prepared.

    `usual` is the value in the middle and the number of customers who have it, `tail` the skew before scaling, `still`
    whether nothing varies any more.
    """

    name: str
    rows: int
    complete: bool
    distinct: int
    low: float
    usual: tuple[float, int]
    sentinel: float | None
    like_key: bool
    like_code: bool
    zero_for_missing: bool
    tail: float
    still: bool
    transformed: bool
    capped: bool

    @classmethod
    def of(
        cls,
        name: str,
        column: "pd.Series | None",
        facts: ColumnFacts,
        fill: Fill,
        *,
        tail: float,
        still: bool,
        transformed: bool,
        capped: bool,
    ) -> "FeatureFacts":
        """The evidence from the facts of a feature and the column it comes from, None for an indicator."""
        unique = not facts.missing and facts.distinct == facts.rows
        return cls(
            name,
            rows=facts.rows,
            complete=not facts.missing,
            distinct=facts.distinct,
            low=facts.low,
            usual=facts.middle,
            sentinel=facts.sentinel,
            like_key=column is not None and unique and is_identifier(column, name),
            like_code=column is not None and is_ordinal_code(column, name, facts),
            zero_for_missing=fill.rule == "zero" and fill.filled > 0 and _far_from_zero(name, facts),
            tail=tail,
            still=still,
            transformed=transformed,
            capped=capped,
        )


def feature_cautions(
    table: pd.DataFrame,
    keys: pd.Index,
    values: Values,
    evidence: Sequence[FeatureFacts],
    indicators: Mapping[str, Indicator],
) -> list[Remark]:
    """Remarks on features as they came (`evidence`) and as they will be clustered (`values`)."""
    measures = [one for one in evidence if one.name not in indicators]
    indices = [index for index, one in enumerate(evidence) if one.name not in indicators and not one.still]
    moving = values if len(indices) == len(evidence) else values[:, indices]
    return [
        *_identifiers(measures),
        *_constants(evidence),
        *_near_constants(measures),
        *_codes(measures),
        *_sentinels(measures),
        *_zeros_for_missing(measures),
        *_heavy_tails(measures),
        *_correlated([evidence[index].name for index in indices], _correlations(moving)),
        *_composites(measures, table),
        *_raw_scales([evidence[index].name for index in indices], np.array([column.std() for column in moving.T])),
        *_extremes([one.name for one in evidence], values),
        *_few_customers(len(keys), len(measures) + len({indicator.column for indicator in indicators.values()})),
        *_leaks(table),
    ]


def cautions_from_sums(
    evidence: Sequence[FeatureFacts], correlations: Values, widths: Values, customers: int, categories: int
) -> list[Remark]:
    """Remarks on measures of which sums alone are known: their correlations (d, d) and standard deviations (d,) as they
    will be clustered, beside so many `categories`."""
    moving = [index for index, one in enumerate(evidence) if not one.still]
    names = [evidence[index].name for index in moving]
    return [
        *_constants(evidence),
        *_heavy_tails(evidence),
        *_correlated(names, correlations[np.ix_(moving, moving)]),
        *_raw_scales(names, widths[moving]),
        *_few_customers(customers, len(evidence) + categories),
    ]


def _correlations(values: Values) -> Values:
    """Those of columns (n, d); none of fewer than three customers."""
    return correlation_matrix(values) if len(values) >= 3 and values.shape[1] > 1 else np.eye(values.shape[1])


def _identifiers(measures: Sequence[FeatureFacts]) -> Iterator[Remark]:
    found = tuple(one.name for one in measures if one.like_key)
    if found:
        yield Remark(
            "identifier",
            f"{listed(found)} {plural(len(found), 'is different', 'are different')} for every "
            "customer, like an identifier: it says nothing about behaviour. Leave it out of the features.",
            found,
        )


def _constants(evidence: Sequence[FeatureFacts]) -> Iterator[Remark]:
    found = tuple(one.name for one in evidence if one.still)
    if found:
        treated = ", once capped or filled," if any(one.still and one.distinct > 1 for one in evidence) else ""
        yield Remark(
            "constant",
            f"{listed(found)} {plural(len(found), 'is', 'are')}{treated} the same for everyone and cannot "
            "separate segments. Leave it out of the features.",
            found,
        )


def _near_constants(measures: Sequence[FeatureFacts]) -> Iterator[Remark]:
    moving = [one for one in measures if one.distinct > 1 and not one.still]
    found = [one for one in moving if one.usual[1] >= NEARLY_ALL * one.rows]
    if found:
        shown = [f"{one.name} ({one.usual[1] / one.rows:.1%} have {one.usual[0]:,.6g})" for one in found]
        yield Remark(
            "near-constant",
            f"{listed(shown)} {plural(len(found), 'hardly varies', 'hardly vary')}: on one scale with the others it "
            "sets a few customers far apart from all the rest. Leave it out, or profile segments with it afterwards.",
            tuple(one.name for one in found),
        )


def _codes(measures: Sequence[FeatureFacts]) -> Iterator[Remark]:
    found = tuple(one.name for one in measures if one.like_code)
    if found:
        yield Remark(
            "code-as-measure",
            f"{listed(found)} {plural(len(found), 'looks like a code', 'look like codes')} in steps, averaged here as "
            f"if the steps were amounts. If the steps are not equally far apart, say categories=[{found[0]!r}] "
            f"(--categories {found[0]}) and leave it out of the features.",
            found,
        )


def _sentinels(measures: Sequence[FeatureFacts]) -> Iterator[Remark]:
    found = {one.name: one.sentinel for one in measures if one.sentinel is not None}
    if found:
        shown = [f"{name} ({value:.6g})" for name, value in found.items()]
        first, value = next(iter(found.items()))
        yield Remark(
            "sentinel",
            f"{listed(shown)} {plural(len(found), 'holds a value', 'hold values')} that systems write where there is "
            f"none. If so, read the table with as_missing={{{first!r}: {value:.6g}}} (--as-missing "
            f"{first}={value:.6g}) and say what missing means: missing='median' (--missing median) or 'drop'.",
            tuple(found),
        )


def _zeros_for_missing(measures: Sequence[FeatureFacts]) -> Iterator[Remark]:
    found = tuple(one.name for one in measures if one.zero_for_missing)
    if found:
        yield Remark(
            "zero-for-missing",
            f"missing values of {listed(found)} were set to 0, which nobody has or which means the opposite of "
            "unknown: those customers become a group of their own. Use the median, a number, or drop: "
            f"missing={{{found[0]!r}: 'median'}} (--missing {found[0]}=median).",
            found,
        )


def _far_from_zero(name: str, facts: ColumnFacts) -> bool:
    if _TIME_AGO.search(name):
        return True
    outside = facts.low > 0.0 or facts.high < 0.0
    return outside and abs(float(facts.ordered.mean())) > 2.0 * float(facts.ordered.std())


def _heavy_tails(measures: Sequence[FeatureFacts]) -> Iterator[Remark]:
    found = [one for one in measures if one.tail > LONG_TAIL]
    if found:
        names = tuple(one.name for one in found)
        shown = [f"{one.name} (skew {one.tail:.1f})" for one in found]
        still = "still " if all(one.transformed or one.capped for one in found) else ""
        curve = "signed_log" if any(one.low < 0.0 for one in found) else "log"
        remedy = (
            "cap=(0, 0.95) (--cap 0,0.95)"
            if all(one.transformed for one in found)
            else f"transform='{curve}' (--transform {curve})"
        )
        yield Remark(
            "heavy-tail",
            f"{listed(shown)} {still}{plural(len(found), 'has', 'have')} a long tail: a few large values stretch the "
            f"scale and press everyone else together. Pull it in: {remedy}.",
            names,
        )


def _correlated(names: Sequence[str], r: Values) -> Iterator[Remark]:
    pairs = [(abs(r[i, j]), r[i, j], names[i], names[j]) for i in range(len(names)) for j in range(i + 1, len(names))]
    close = sorted((pair for pair in pairs if pair[0] >= HIGH_CORRELATION), key=lambda pair: -pair[0])
    if close:
        shown = [f"{one} and {other} (r = {signed:.2f})" for _, signed, one, other in close]
        yield Remark(
            "correlated",
            f"{listed(shown)} {plural(len(close), 'says', 'say')} nearly the same, so it counts twice. Keep one of "
            f"{plural(len(close), 'the two', 'each two')}, or halve both: weight={{{close[0][2]!r}: 0.5, "
            f"{close[0][3]!r}: 0.5}} (--weight {close[0][2]}=0.5,{close[0][3]}=0.5).",
            tuple(dict.fromkeys(name for _, _, one, other in close for name in (one, other))),
        )


def _composites(measures: Sequence[FeatureFacts], table: pd.DataFrame) -> Iterator[Remark]:
    """Features that are the sum of others, found by least squares on a sample of the customers."""
    moving = [one.name for one in measures if one.distinct > 2 and one.complete]
    if len(moving) < 3 or len(table) < 3:
        return
    step = max(1, len(table) // _SAMPLE)
    sample = table[moving].iloc[::step].to_numpy(dtype=np.float64)
    if len(sample) <= len(moving):
        return
    for index, name in enumerate(moving):
        others = [other for other in moving if other != name]
        addends = np.delete(sample, index, axis=1)
        parts, *_ = np.linalg.lstsq(addends, sample[:, index], rcond=None)
        misses = np.abs(addends @ np.round(parts) - sample[:, index]).max()
        whole = [other for other, part in zip(others, parts, strict=True) if round(float(part)) == 1]
        simple = bool(np.isin(np.round(parts), (0.0, 1.0)).all()) and np.abs(parts - np.round(parts)).max() < 1e-6
        if simple and len(whole) >= 2 and misses <= 1e-9 * np.abs(sample[:, index]).max():
            yield Remark(
                "composite",
                f"{name} is the sum of {listed(whole, most=6)}, so what they say counts twice. Leave out the sum, or "
                "its parts.",
                (name, *whole),
            )


def _raw_scales(names: Sequence[str], widths: Values) -> Iterator[Remark]:
    if len(widths) < 2 or widths.max() <= WIDE_RATIO * widths.min():
        return
    widest = int(widths.argmax())
    share = widths[widest] ** 2 / float((widths**2).sum())
    yield Remark(
        "raw-scales",
        f"the features are on very different scales: {names[widest]} alone holds {share:.1%} of all variance and "
        "would decide the segments. Put them on one scale: scale='zscore' (--scale zscore).",
        (names[widest],),
    )


def _extremes(names: Sequence[str], values: Values) -> Iterator[Remark]:
    if len(values) < 2 * FEWEST_BY_FEATURE:
        return
    distances = np.zeros(len(values))
    for column in values.T:
        distances += (column - column.mean()) ** 2
    usual = float(np.quantile(distances, 0.95))
    found = int(np.count_nonzero(distances > FAR_OUT**2 * usual))
    if usual > 0.0 and found:
        farthest = int(np.argmax(distances))
        widest = names[int(np.argmax(np.abs(values[farthest] - values.mean(axis=0))))]
        times = short_number(float(np.sqrt(distances[farthest] / usual)))
        yield Remark(
            "extreme-customers",
            f"{found:,} {plural(found, 'customer lies', 'customers lie')} far outside all the others (up to {times} "
            f"times as far out as 95 % of them, by {widest} above all) and may become a segment of their own. Pull "
            "them in with cap=(0, 0.99) (--cap 0,0.99), or treat them by hand.",
            (widest,),
        )


def _few_customers(n_customers: int, n_features: int) -> Iterator[Remark]:
    if n_customers < FEWEST_BY_FEATURE * n_features:
        yield Remark(
            "few-customers",
            f"{n_customers:,} {plural(n_customers, 'customer')} for {n_features} {plural(n_features, 'feature')} "
            f"{plural(n_customers, 'is', 'are')} too few for segments that another sample would show again: count on "
            f"at least {FEWEST_BY_FEATURE} customers a feature. Use fewer features, or more customers.",
        )


def _leaks(table: pd.DataFrame) -> Iterator[Remark]:
    as_of = table.attrs.get("as_of")
    if not isinstance(as_of, str):
        return
    dates = [name for name in table.columns if types.is_datetime64_dtype(table[name])]
    late = {name: int((table[name] >= pd.Timestamp(as_of)).sum()) for name in dates}
    found = tuple(name for name, count in late.items() if count)
    if found:
        shown = [f"{name} ({late[name]:,})" for name in found]
        yield Remark(
            "leak",
            f"{listed(shown)} {plural(len(found), 'holds', 'hold')} dates at or after {as_of}, when the behaviour "
            "ends: columns from that source may know what happened later. Use them only as they were on that day.",
            found,
        )
