"""Drift: how far other customers are from those that a model was learned from, and what to do about it."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.columns import AnyTable, OpenTable, checked_keys, checked_table
from gauger.errors import SettingError
from gauger.models import (
    Assigned,
    AssignmentTally,
    LearnedFeature,
    SegmentModel,
    about_values,
    beyond_gates,
    columns_of,
    find_segments,
)
from gauger.monitoring.by_chance import FALSE_ALARMS, counts_differ, means_differ, rate_rose
from gauger.readable import Advice, Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME
from gauger.wording import first_up, listed, percent, plural

SMALL, LARGE = 0.1, 0.25
"""The usual bands of the population stability index: below the first little has moved, above the second much."""
KEEP, WATCH, LEARN = "keep", "watch", "learn again"

STABLE, MOVED, CHANGED = "stable", "moved", "changed"

_SLIGHT_SHIFT, _SOME_SHIFT, _LARGE_SHIFT = 0.1, 0.25, 0.5
"""Shifts of the mean, in standard deviations: below the first nobody would notice, from the last segments' centres are
no longer where customers are. Judgement, after Cohen's small and medium effects (0.2 and 0.5)."""
_LIKE_SPREAD = 0.8
"""A spread that shrinks by no more than to this share of then, or grows as much, is as it was: judgement."""
_SLIGHTLY_APART = 0.2
"""How far values may have moved on average, in standard deviations, where mean and spread are as they were: a day more
moves recency by less, two heaps in place of one peak by more; chosen by us, after Cohen's small effect."""
_MISSING_MOVED, _MISSING_CHANGED = 0.05, 0.2
"""Changes of the share without a value from which a feature has moved, and has changed: chosen by us."""
_FEW_GATED, _MANY_GATED = 0.02, 0.05
"""Shares beyond the gates, where half in a hundred were when learned, that are for watching and for learning again:
judgement."""

_LEAST_SHARE = 1e-4
"""What an empty bin counts as, so that logarithms exist: the usual convention."""

_NOISE = 0.05
"""An index by chance above this is worth a remark: half of what counts as moved."""

_DIGITS = 9
"""Digits of a distance on the working scale: beyond them is rounding."""

_NO_VALUES = "no values"

Values = NDArray[np.float64]


@dataclass(frozen=True)
class DriftAdvice(Advice):
    """What to do with a model.

    Attributes
    ----------
    action : {"keep", "watch", "learn again"}
        By the worst of what was seen.
    reasons : tuple of str
        Sentences with their figures.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(40), "visits": [1, 2, 3, 4, 21, 22, 23, 24] * 5})
    >>> model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
    >>> print(gauger.drift(model, table).advice)
    Keep. Features and shares are as they were.
    """

    action: str
    reasons: tuple[str, ...]

    def headline(self) -> str:
        return f"{first_up(self.action)}."


@dataclass(frozen=True, repr=False, eq=False)
class Drift(Readable):
    """Customers now beside those that a model was learned from.

    Attributes
    ----------
    features : pandas.DataFrame
        A row for each feature: mean_then, mean_now, shift (in standard deviations of then), psi (the population
        stability index, 0 for the same distribution; customers without a value are a bin of it), missing_then,
        missing_now (shares) and reading: "stable", "moved" (an index of 0.1, a shift of 0.25, or 5 in 100 more or fewer
        without a value) or "changed" (a shift of 0.5, 20 in 100 more or fewer without one, or an index of 0.25 where
        values are not as they were). What samples of the same customers would show is "stable".
    segments : pandas.DataFrame
        A row a segment, and one for the unassigned: name, share_then, share_now, centre_shift (how far the mean of its
        customers is from the centre learned, working scale), distance_then and distance_now (means of the customers'
        distances).
    customers : int
        How many there are now.
    gated, gated_then : float
        The share of customers beyond the learned gates.
    psi : float
        The population stability index of the segments' shares.
    advice : DriftAdvice
        What to do with the model.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    drift : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(40), "visits": [1, 2, 3, 4, 21, 22, 23, 24] * 5})
    >>> model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
    >>> gauger.drift(model, table.assign(visits=table["visits"] + 30)).features["reading"].tolist()
    ['changed']
    """

    features: pd.DataFrame
    segments: pd.DataFrame
    customers: int
    gated: float
    gated_then: float
    psi: float
    advice: DriftAdvice
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        return (
            f"{self.advice.action}: {self.customers:,} {plural(self.customers, 'customer')} against those learned "
            f"from. {' '.join(self.advice.reasons)}"
        )

    def overview(self) -> pd.DataFrame:
        return self.features


def drift(model: SegmentModel, table: AnyTable | OpenTable) -> Drift:
    """Tell how customers differ from those that a model was learned from, and whether to keep it.

    Parameters
    ----------
    model : SegmentModel
        What was learned.
    table : pandas.DataFrame, another table or OpenTable
        The customers now, as for `SegmentModel.assign`. Those of an OpenTable are compared where they live.

    Returns
    -------
    Drift
        `.features` and `.segments` then and now, `.advice` with its reasons.

    Raises
    ------
    UnknownColumnError, ColumnValuesError, KeyColumnError
        As `SegmentModel.assign` does.
    SettingError
        For a table without rows.

    Notes
    -----
    The population stability index of a feature is the sum over its bins (tenths of the learned customers, values that
    many have in bins of their own) of (share now - share then) ln(share now / share then), a share of none taken as 1
    in 10,000: by custom below 0.1 is stable, up to 0.25 has moved, above has changed. Customers without a value are a
    bin of their own. The index of few customers is noise: about 9 / n by chance alone, which a remark says. Nothing is
    read into differences that chance explains: all tests together (chi-squared of bins, means, shares of segments and
    beyond gates) raise a false alarm in at most 5 of 100 comparisons (`python -m benchmarks.intervals`).

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(40), "visits": [1, 2, 3, 4, 21, 22, 23, 24] * 5})
    >>> model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
    >>> gauger.drift(model, table).advice.action
    'keep'
    """
    if isinstance(table, OpenTable):
        return drift_from(model, table.now(model))
    table = checked_table(table, columns_of(model))
    checked_keys(table[model.key])
    if table.empty:
        raise nobody_to_compare()
    placed = find_segments(model, table, None)
    features = [_feature_now(one, placed.raw[one.name]) for one in model.features]
    gated = float(beyond_gates(placed.codes, placed.distances, model.gates).mean())
    tally = AssignmentTally.of(model, table, placed)
    about = about_values(model, tally.outside, tally.middles)
    outside = float((placed.codes == UNASSIGNED).sum()) / len(table)
    segments = _segments_now(model, placed)
    return drift_from(model, CustomersNow(len(table), features, segments, outside, gated, tuple(about)))


@dataclass(frozen=True, eq=False)
class FeatureNow:
    """One feature of the customers now: `counts` between the edges learned, mean and standard deviation of the values,
    and the share of customers without one."""

    counts: Sequence[int]
    mean: float
    standard_deviation: float
    missing: float


@dataclass(frozen=True, eq=False)
class SegmentNow:
    """One segment of the customers now: the share of all, the mean of its customers (d,) on the working scale, and of
    their distances."""

    share: float
    middle: Values
    mean_distance: float


@dataclass(frozen=True, eq=False)
class CustomersNow:
    """The customers now, by what drift is told from: features and segments in the model's order, the shares in no
    segment and beyond the gates, and what there is to say of values."""

    customers: int
    features: Sequence[FeatureNow]
    segments: Sequence[SegmentNow]
    unassigned: float
    gated: float
    remarks: tuple[Remark, ...] = ()


def nobody_to_compare() -> SettingError:
    """The refusal of a table without rows."""
    return SettingError("there are no customers to compare: the table has no rows.")


def drift_from(model: SegmentModel, now: CustomersNow) -> Drift:
    """Drift, from what is known of the customers now."""
    chance = _Chance(model.customers, now.customers, FALSE_ALARMS / (2 * len(model.features) + 2))
    rows = [_of_feature(feature, own, chance) for feature, own in zip(model.features, now.features, strict=True)]
    columns = ["mean_then", "mean_now", "shift", "psi", "missing_then", "missing_now", "reading"]
    features = pd.DataFrame(rows, columns=columns, index=pd.Index(model.names, name="feature"))
    segments = _of_segments(model, now)
    psi = _index(segments["share_then"].to_numpy(), segments["share_now"].to_numpy())
    gated = now.gated if chance.more_gated(model, now.gated) else 0.0
    counted = psi if chance.shares_differ(segments["share_then"], segments["share_now"]) else 0.0
    advice = _advise(features, gated, counted)
    remarks = (*now.remarks, *_few(model, now.customers))
    return Drift(features, segments, now.customers, now.gated, 1.0 - model.gate_share, psi, advice, remarks)


def _feature_now(feature: LearnedFeature, values: Values) -> FeatureNow:
    present = values[np.isfinite(values)]
    missing = 1.0 - len(present) / len(values)
    if not present.size:
        return FeatureNow((), np.nan, np.nan, missing)
    counts = np.bincount(np.searchsorted(feature.edges, present, side="right"), minlength=len(feature.shares))
    return FeatureNow(counts.tolist(), float(present.mean()), float(present.std()), missing)


def _segments_now(model: SegmentModel, placed: Assigned) -> list[SegmentNow]:
    found, values, n = [], placed.working.T, len(placed.codes)
    for segment, centre in zip(model.segments, model.centres, strict=True):
        own = placed.codes == segment.number
        middle = values[own].mean(axis=0) if own.any() else np.full(len(centre), np.nan)
        distance = float(placed.distances[own].mean()) if own.any() else np.nan
        found.append(SegmentNow(float(own.sum()) / n, middle, distance))
    return found


@dataclass(frozen=True)
class _Chance:
    """How many customers were learned from and are there now, and the `level` of each test of a difference."""

    then: int
    now: int
    level: float

    def shares_differ(self, then: pd.Series | Values, now: pd.Series | Values) -> bool:
        """Whether two lists of shares differ."""
        return counts_differ(np.asarray(then) * self.then, np.asarray(now) * self.now, self.level)

    def means_differ(self, gap: float, then: float, now: float) -> bool:
        """Whether means do, by the larger standard deviation: where a few large values happen to be missing, mean and
        spread are both too low."""
        spread = max(then, now)
        return means_differ(gap, (spread / math.sqrt(self.then), spread / math.sqrt(self.now)), self.level)

    def more_gated(self, model: SegmentModel, gated: float) -> bool:
        """Whether more customers than then are beyond the gates, each of which was laid at a customer learned from."""
        beyond = round((1.0 - model.gate_share) * self.then) + len(model.segments)
        return rate_rose(beyond, self.then, round(gated * self.now), self.now, self.level)


def _of_feature(
    feature: LearnedFeature, now: FeatureNow, chance: _Chance
) -> tuple[float, float, float, float, float, float, str]:
    counts = np.asarray(now.counts, dtype=np.float64)
    if not counts.sum():
        return feature.mean, np.nan, np.nan, np.nan, feature.missing, now.missing, _NO_VALUES
    own, other = np.array(feature.shares), counts / counts.sum()
    then = np.append(own * (1.0 - feature.missing), feature.missing)
    current = np.append(other * (1.0 - now.missing), now.missing)
    psi = _index(then, current)
    gap = now.mean - feature.mean
    shift = (
        gap / feature.standard_deviation
        if feature.standard_deviation > 0.0
        else (0.0 if gap == 0.0 else np.inf * np.sign(gap))
    )
    reading = STABLE
    moved = abs(shift) if chance.means_differ(gap, feature.standard_deviation, now.standard_deviation) else 0.0
    if moved or chance.shares_differ(then, current):
        reading = _reading(psi, moved, abs(now.missing - feature.missing), stays=_stays(feature, now, shift, other))
    return feature.mean, now.mean, float(shift), psi, feature.missing, now.missing, reading


def _stays(feature: LearnedFeature, now: FeatureNow, shift: float, shares: Values) -> bool:
    """Whether values are as they were: their mean, their spread, and how far they would have to move on average."""
    like = feature.standard_deviation * _LIKE_SPREAD, feature.standard_deviation / _LIKE_SPREAD
    if abs(shift) >= _SLIGHT_SHIFT or not like[0] <= now.standard_deviation <= like[1]:
        return False
    edges = np.array([min(feature.low, *feature.edges), *feature.edges, max(feature.high, *feature.edges)])
    apart = np.abs(np.cumsum(np.concatenate([[0.0], shares - np.array(feature.shares)])))
    moved = float(((apart[1:] + apart[:-1]) / 2.0 * np.diff(edges)).sum())
    return moved < _SLIGHTLY_APART * feature.standard_deviation or not feature.standard_deviation


def _reading(psi: float, shift: float, missing: float, *, stays: bool) -> str:
    """What index, shift and missing values say together of a feature; `stays` is whether values are as they were.

    An index alone, as when everybody's recency is a day longer, has moved at most: bins are narrower than what matters.
    """
    if shift >= _LARGE_SHIFT or missing >= _MISSING_CHANGED or (psi >= LARGE and not stays):
        return CHANGED
    return MOVED if psi >= SMALL or shift >= _SOME_SHIFT or missing >= _MISSING_MOVED else STABLE


def _index(then: Values, now: Values) -> float:
    """The population stability index of two lists of shares."""
    old, new = np.maximum(then, _LEAST_SHARE), np.maximum(now, _LEAST_SHARE)
    return float(((new - old) * np.log(new / old)).sum())


def _of_segments(model: SegmentModel, now: CustomersNow) -> pd.DataFrame:
    rows: list[tuple[str, float, float, float, float, float]] = []
    for segment, centre, own in zip(model.segments, model.centres, now.segments, strict=True):
        gap = float(np.round(math.hypot(*(own.middle - centre)), _DIGITS))
        share = segment.customers / model.customers
        rows.append((segment.name, share, own.share, gap, segment.mean_distance, own.mean_distance))
    rows.append((UNASSIGNED_NAME, model.unassigned / model.customers, now.unassigned, np.nan, np.nan, np.nan))
    columns = ["name", "share_then", "share_now", "centre_shift", "distance_then", "distance_now"]
    index = pd.Index([*(one.number for one in model.segments), UNASSIGNED_NAME], dtype=object, name="segment")
    return pd.DataFrame(rows, columns=columns, index=index)


def _advise(features: pd.DataFrame, gated: float, psi: float) -> DriftAdvice:
    """Keep, watch or learn again, by the worst of what was seen; and every reason that speaks for it."""
    changed = features.index[features["reading"] == CHANGED]
    moved = features.index[features["reading"] == MOVED]
    silent = features.index[features["reading"] == _NO_VALUES]
    strong, weak = [], []
    if len(silent):
        strong.append(f"{listed(silent, most=4)} {plural(len(silent), 'has', 'have')} no values any more.")
    if len(changed):
        strong.append(f"{listed(changed, most=4)} {plural(len(changed), 'has', 'have')} changed.")
    if gated >= _MANY_GATED:
        strong.append(f"{percent(gated)} are beyond the gate of every segment.")
    if psi >= LARGE:
        strong.append(f"The segments' shares have changed (index {psi:.2f}).")
    if len(moved):
        weak.append(f"{listed(moved, most=4)} {plural(len(moved), 'has', 'have')} moved.")
    if _FEW_GATED <= gated < _MANY_GATED:
        weak.append(f"{percent(gated)} are beyond the gate.")
    if SMALL <= psi < LARGE:
        weak.append(f"The segments' shares have moved (index {psi:.2f}).")
    strong += _about_missing(features[features["reading"] == CHANGED])
    weak += _about_missing(features[features["reading"] == MOVED])
    if strong:
        return DriftAdvice(LEARN, (*strong, *weak))
    if weak:
        return DriftAdvice(WATCH, tuple(weak))
    return DriftAdvice(KEEP, ("Features and shares are as they were.",))


def _about_missing(features: pd.DataFrame) -> list[str]:
    """A sentence for each feature that has a value for notably more or fewer of the customers."""
    return [
        f"{name} has no value for {percent(row['missing_now'])} of the customers ({percent(row['missing_then'])} then)."
        for name, row in features.iterrows()
        if abs(row["missing_now"] - row["missing_then"]) >= _MISSING_MOVED
    ]


def _few(model: SegmentModel, customers: int) -> Iterator[Remark]:
    bins = max(len(feature.shares) for feature in model.features) - 1
    noise = bins * (1.0 / max(customers, 1) + 1.0 / model.customers)
    if noise > _NOISE:
        yield Remark(
            "few-for-drift",
            f"with {customers:,} {plural(customers, 'customer')} now and {model.customers:,} then the index is about "
            f"{noise:.2f} by chance alone: differences that chance explains are left out of the advice.",
        )
