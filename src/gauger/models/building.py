"""Build a model: keep of a segmentation what it takes to place other customers."""

import hashlib
from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import UTC, datetime
from importlib.metadata import version
from itertools import pairwise

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from gauger.clustering import CORE
from gauger.errors import SettingError, UnknownColumnError
from gauger.features import FeatureSet
from gauger.models.assignment_rules import METRICS, Assigner, FeatureBands, NearestCentre, NearestCustomer, SameBands
from gauger.models.learned import Exceptions, LearnedFeature, LearnedSegment
from gauger.models.model import SegmentModel
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, Segmentation
from gauger.tables import hashes_of
from gauger.wording import plural

GATE_SHARE = 0.995
"""The share of a segment's own customers within its gate: judgement."""

_BINS = 10
"""Tenths, as is the custom with the population stability index."""
_HEAP = 1.0 / _BINS
"""A value that at least this share of customers have gets a bin of its own: it would fill a usual one."""
_MOST_POINTS = 200_000
"""Customers that a model may keep: a file of some tens of megabytes."""

_LEAST_GATE_SHARE = 0.5
"""A gate that leaves out more than half of the segment's own customers is none."""

Values = NDArray[np.float64]
Codes = NDArray[np.int32]


def build_model(
    seg: Segmentation,
    *,
    gate_share: float = GATE_SHARE,
    units: Mapping[str, str] | None = None,
    seed: int | None = None,
    made_at: datetime | None = None,
) -> SegmentModel:
    """Keep of a segmentation what it takes to assign other customers: features, treatments, rule, names and gates.

    Parameters
    ----------
    seg : Segmentation
        The segments.
    gate_share : float
        A segment's gate is the distance that this share of its own customers keep.
    units : mapping, optional
        What features are counted in; only kept.
    seed : int, optional
        Which one made the segments; only kept.
    made_at : datetime.datetime, optional
        When; by default now.

    Returns
    -------
    SegmentModel
        Remarks say where the rule puts learned customers elsewhere than the segmentation did.

    Raises
    ------
    SettingError
        For segments from a file or under a metric that models do not have (euclidean and city_block are), more than
        200,000 customers to keep, nobody in a segment, and a `gate_share` that is no share above 0.5.

    Notes
    -----
    k-means assigns by the nearest centre, a cut tree and density levels by the nearest customer learned from, density
    at one radius by the nearest core customer within it, bands by their edges. A model of a tree or of density holds
    the features of the customers it was learned from, without their keys.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 21, 23]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2)
    >>> new = pd.DataFrame({"who": ["e", "f"], "visits": [4, 17]})
    >>> gauger.build_model(seg).assign(new)["segment"].tolist()
    [1, 2]
    """
    _refuse(seg, gate_share)
    if seg.everyone is not None:
        return _of_everyone(seg, gate_share, units, made_at)
    features = seg.features
    strangers = [name for name in units or () if name not in features.names]
    if strangers:
        raise UnknownColumnError.among(strangers, list(features.names))
    rule = _rule_of(seg)
    codes, distances = rule.find_segments(
        np.ascontiguousarray(features.values.T), {name: features.recorded(name) for name in features.names}
    )
    apart = rule.to_another(features.values) if isinstance(rule, NearestCustomer) else distances
    exceptions, remarks = _exceptions(seg, codes)
    segments = []
    for number in seg.numbers.tolist():
        own = apart[seg.codes == number]
        own = own[np.isfinite(own)]
        gate = float(np.quantile(own, gate_share)) if own.size else 0.0
        mean = float(own.mean()) if own.size else 0.0
        segments.append(LearnedSegment(number, seg.names[number], int(seg.sizes[number]), gate, mean))
    return SegmentModel(
        key=features.key,
        features=tuple(_learned(features, name, (units or {}).get(name)) for name in features.names),
        segments=tuple(segments),
        rule=rule,
        centres=seg.scaled_centres,
        exceptions=exceptions,
        method=seg.method,
        customers=len(seg.codes),
        unassigned=int(np.count_nonzero(seg.codes == UNASSIGNED)),
        gate_share=float(gate_share),
        made_at=(made_at or datetime.now(UTC)).isoformat(timespec="seconds"),
        made_by=version("gauger"),
        seed=seed,
        fingerprint=_fingerprint(features),
        remarks=tuple(remarks),
    )


def _of_everyone(
    seg: Segmentation, gate_share: float, units: Mapping[str, str] | None, made_at: datetime | None
) -> SegmentModel:
    """The model of segments that live elsewhere, which their place has learned."""
    assert seg.everyone is not None
    if gate_share != GATE_SHARE:
        raise SettingError(
            f"the gates of customers who stay where they live hold {GATE_SHARE:.1%} of each segment: leave gate_share "
            "out."
        )
    found: SegmentModel = seg.everyone.model(seg.names)
    time = found.made_at if made_at is None else made_at.isoformat(timespec="seconds")
    features = tuple(replace(one, unit=(units or {}).get(one.name)) for one in found.features)
    return replace(found, made_at=time, features=features)


def can_be_model(seg: Segmentation) -> bool:
    """Whether `build_model` can be had of a segmentation."""
    rule = seg.assignment_rule
    return (
        bool(seg.count)
        and rule is not None
        and rule.metric in METRICS
        and (rule.way in ("centre", "bands") or len(seg.codes) <= _MOST_POINTS)
    )


def _refuse(seg: Segmentation, gate_share: float) -> None:
    if not seg.count:
        raise SettingError("nobody is in a segment: there is nothing to place others by.")
    if not _LEAST_GATE_SHARE <= gate_share <= 1.0:
        raise SettingError(f"gate_share={gate_share!r} must be a share of a segment's customers from 0.5 to 1.")
    if seg.assignment_rule is None:
        raise SettingError(
            f"it is not known how {seg.method} would place other customers: build the model from the segmentation "
            "itself, not from a file of assignments."
        )
    if seg.assignment_rule.metric not in METRICS:
        raise SettingError(
            f"a model places by euclidean or city_block distances, not by {seg.assignment_rule.metric}. Build it from "
            "k-means on these segments: segment_by_kmeans(features, seeding=segments)."
        )


def _rule_of(seg: Segmentation) -> Assigner:
    rule = seg.assignment_rule
    assert rule is not None
    if rule.way == "centre":
        return NearestCentre.of(seg.scaled_centres, seg.features.names)
    if rule.way == "bands":
        return _bands_of(seg)
    kept = np.ones(len(seg.codes), dtype=np.bool_)
    if rule.way == "core":
        assert seg.details is not None
        kept = (seg.details["kind"] == CORE).to_numpy()
    rows = np.column_stack([seg.features.values[kept], seg.codes[kept]])
    rows = np.unique(rows, axis=0)
    if len(rows) > _MOST_POINTS:
        raise SettingError(
            f"the model would have to hold {len(rows):,} customers, more than {_MOST_POINTS:,}. Build it from k-means "
            "on these segments: segment_by_kmeans(features, seeding=segments)."
        )
    return NearestCustomer(np.ascontiguousarray(rows[:, :-1]), rows[:, -1].astype(np.int32), rule.metric, rule.radius)


def _bands_of(seg: Segmentation) -> SameBands:
    details, edges = seg.details, seg.edges
    assert details is not None
    assert edges is not None
    bands = []
    for name, own in edges.items():
        plain = FeatureBands(name, own, low_is_good=False)
        same = bool((plain.of(seg.features.recorded(name)) == details[f"{name}_band"].to_numpy()).all())
        bands.append(plain if same else FeatureBands(name, own, low_is_good=True))
    scored = "score" in details.columns
    cells = details[["score"] if scored else [f"{name}_band" for name in edges]].to_numpy(dtype=np.intp)
    cells, first = np.unique(cells, axis=0, return_index=True)
    return SameBands(tuple(bands), cells, seg.codes[first], scored, seg.scaled_centres)


def _exceptions(seg: Segmentation, codes: Codes) -> tuple[Exceptions, list[Remark]]:
    """Customers whose segment the rule does not tell, and what there is to say about them."""
    values = np.asarray(seg.features.values)
    odd = np.flatnonzero(codes != seg.codes)
    rows, first = np.unique(values[odd], axis=0, return_index=True)
    found = Exceptions(rows, seg.codes[odd][first])
    return found, list(_about_exceptions(len(odd), len(codes)))


def _about_exceptions(odd: int, customers: int) -> Iterator[Remark]:
    if odd > 0.01 * customers:
        yield Remark(
            "rule-misses",
            f"the rule of the model puts {odd:,} of {customers:,} {plural(customers, 'customer')} elsewhere than the "
            "segmentation did (iterations may have stopped early). They keep their segments; others like them will not "
            "get the same.",
        )


def _learned(features: FeatureSet, name: str, unit: str | None) -> LearnedFeature:
    indicator = features.indicators.get(name)
    values = features.original[name].to_numpy(dtype=np.float64)
    present = np.sort(values[~np.isnan(values)])
    edges, shares = bins_of(present)
    quartiles = tuple(np.quantile(present, (0.25, 0.5, 0.75)).tolist())
    return LearnedFeature(
        name,
        indicator.column if indicator else name,
        indicator,
        features.treatments[name],
        float(present[0]),
        float(present[-1]),
        float(present.mean()),
        float(present.std()),
        1.0 - len(present) / len(values),
        quartiles,
        edges,
        shares,
        unit,
    )


def bins_of(ordered: Values) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Edges that part ordered values into bins of about a tenth of them each, and the bins' shares.

    A value that many have, such as the nothing of most, has a bin of its own; a bin holds the edge it begins with.
    """
    n = len(ordered)
    distinct, counts = np.unique(ordered, return_counts=True)
    heaps = distinct[(counts >= _HEAP * n) & (counts > 1)]
    edges = [*heaps, *np.nextafter(heaps, np.inf)]
    ends = np.concatenate([[-np.inf], heaps, [np.inf]])
    for low, high in pairwise(ends.tolist()):
        start, stop = int(np.searchsorted(ordered, low, "right")), int(np.searchsorted(ordered, high, "left"))
        bins = max(1, round((stop - start) * _BINS / n))
        edges += [ordered[start + (stop - start) * part // bins] for part in range(1, bins)]
    found = np.unique(edges)
    found = found[(found > ordered[0]) & (found <= ordered[-1])]
    parts = np.diff(np.concatenate([[0], np.searchsorted(ordered, found, side="left"), [n]]))
    return tuple(found.tolist()), tuple((parts / n).tolist())


def _fingerprint(features: FeatureSet) -> str:
    """SHA-256 of keys and working values, whatever the order of rows."""
    rows = hashes_of(pa.chunked_array([pa.array(features.keys, from_pandas=True)]))
    order = np.argsort(rows, kind="stable")
    digest = hashlib.sha256()
    digest.update(rows[order].tobytes())
    digest.update(np.ascontiguousarray(features.values[order]).tobytes())
    digest.update("\n".join(features.names).encode())
    return digest.hexdigest()
