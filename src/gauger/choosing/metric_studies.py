"""Which metric: how alike the distances and the neighbourhoods are that each gives the same customers."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.algorithms import Stream
from gauger.algorithms.distances import SERIES_METRICS, principal_coordinates
from gauger.choosing.sampling import sampled_features
from gauger.clustering import CUSTOMER_METRICS, distances_of
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.readable import Advice, Readable
from gauger.remarks import Remark
from gauger.wording import listed

MOST_CUSTOMERS = 1_000
"""Customers that metrics are compared on: half a million distances each."""

NEIGHBOURS = 10
"""Nearest customers that two metrics are asked to share: judgement."""

_SAME, _OTHER = 0.95, 0.7
"""Rank correlations from which metrics are nearly the same, and below which they are strangers: judgement."""

CAUTION = (
    "All this compares metrics with each other, not with the truth: take the one whose idea of nearness is yours, and "
    "where two agree, the plainer one."
)

Values = NDArray[np.float64]


@dataclass(frozen=True)
class MetricAdvice(Advice):
    """Which metrics say the same, so that one of each kind will do.

    Attributes
    ----------
    alike : tuple of tuple of str
        Metrics that order distances nearly alike.
    reasons : tuple of str
        Sentences with their figures; the last is a caution.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(6), "visits": [1, 2, 9, 4, 7, 3], "spend": [3, 8, 1, 7, 2, 9]})
    >>> gauger.study_metrics(gauger.prepare(table, key="who"), metrics=["euclidean", "squared_euclidean"]).advice.alike
    (('euclidean', 'squared_euclidean'),)
    """

    alike: tuple[tuple[str, ...], ...]
    reasons: tuple[str, ...]

    def headline(self) -> str:
        same = "; ".join(listed(group, most=9) for group in self.alike)
        return f"{same}: one of each will do." if same else "Every metric has an idea of nearness of its own."


@dataclass(frozen=True, repr=False, eq=False)
class MetricStudy(Readable):
    """How alike metrics are on the same customers.

    Attributes
    ----------
    table : pandas.DataFrame
        A row a metric: its mean rank_correlation and neighbours with the others, and most_like, the one it is most
        like.
    rank_correlation : pandas.DataFrame
        Spearman's between the distances of each two metrics; 1 for the same order.
    neighbours : pandas.DataFrame
        The mean share of a customer's ten nearest that each two metrics have in common.
    map : pandas.DataFrame
        x and y by metric: those with a like order of distances are near each other.
    advice : MetricAdvice
        The same in words.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    study_metrics : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(6), "visits": [1, 2, 9, 4, 7, 3], "spend": [3, 8, 1, 7, 2, 9]})
    >>> study = gauger.study_metrics(gauger.prepare(table, key="who"), metrics=["euclidean", "city_block"])
    >>> study.table["most_like"].tolist()
    ['city_block', 'euclidean']
    """

    table: pd.DataFrame
    rank_correlation: pd.DataFrame
    neighbours: pd.DataFrame
    map: pd.DataFrame
    advice: MetricAdvice
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        low = float(self.rank_correlation.to_numpy().min())
        return f"{len(self.table)} metrics on the same customers: rank correlations from {low:.2f} to 1"

    def overview(self) -> pd.DataFrame:
        return self.table


def study_metrics(features: FeatureSet, *, metrics: Sequence[str] | None = None, seed: int = 0) -> MetricStudy:
    """Compare metrics by the distances they give the same customers.

    Parameters
    ----------
    features : FeatureSet
        At least four customers on the working scale, from `prepare`.
    metrics : sequence of str, optional
        Words as for `build_tree`; by default all but those for series and those that these features do not allow, which
        a remark names.
    seed : int
        Of more than 1,000 customers a sample is drawn with it, and a remark says so.

    Returns
    -------
    MetricStudy
        How alike the orders of distances and the neighbourhoods are.

    Raises
    ------
    SettingError
        For an unknown word, fewer than two metrics, or fewer than four customers.

    Notes
    -----
    O(n²) for each metric.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(6), "visits": [1, 2, 9, 4, 7, 3], "spend": [3, 8, 1, 7, 2, 9]})
    >>> features = gauger.prepare(table, key="who")
    >>> study = gauger.study_metrics(features, metrics=["euclidean", "squared_euclidean"])
    >>> study.rank_correlation.round(2).values.tolist()
    [[1.0, 1.0], [1.0, 1.0]]
    """
    features = features.at_hand()
    asked = [name for name in CUSTOMER_METRICS if name not in SERIES_METRICS] if metrics is None else list(metrics)
    for name in asked:
        if name not in CUSTOMER_METRICS:
            raise SettingError.not_one_of("metric", name, CUSTOMER_METRICS)
    if len(features.keys) < 4:
        raise SettingError(f"metrics are compared on at least four customers, and there are {len(features.keys)}.")
    chosen, remarks = sampled_features(features, MOST_CUSTOMERS, "metrics", Stream.METRICS_SAMPLE.generator(seed))
    everyone = np.arange(len(chosen.keys))
    ranks: dict[str, Values] = {}
    nearest: dict[str, NDArray[np.bool_]] = {}
    left_out: list[str] = []
    with task("distances by metric", len(asked)) as advance:
        for name in asked:
            try:
                apart = distances_of(chosen, name).between(everyone, everyone)
            except SettingError as error:
                if metrics is not None:
                    raise
                left_out.append(f"{name} ({str(error).split('. ')[0]})")
            else:
                ranks[name], nearest[name] = _ranks(apart), _nearest(apart)
            advance(1)
    if len(ranks) < 2:
        raise SettingError(f"give at least two metrics to compare, not {listed(ranks)}.")
    order = pd.DataFrame(_each_two(list(ranks), lambda one, other: float(ranks[one] @ ranks[other])))
    near = pd.DataFrame(_each_two(list(ranks), lambda one, other: _shared(nearest[one], nearest[other])))
    indices = principal_coordinates(np.sqrt(np.maximum(2.0 - 2.0 * order.to_numpy(), 0.0)), 2)
    indices = np.column_stack([indices, np.zeros((len(indices), 2 - indices.shape[1]))])
    found = pd.DataFrame(indices, index=order.index, columns=["x", "y"])
    if left_out:
        remarks += (Remark("metrics-left-out", f"not compared: {'; '.join(left_out)}."),)
    return MetricStudy(_table(order, near), order, near, found, _advise(order, near), remarks)


def _each_two(names: Sequence[str], likeness: Callable[[str, str], float]) -> dict[str, dict[str, float]]:
    found = {name: dict.fromkeys(names, 1.0) for name in names}
    for one, other in combinations(names, 2):
        found[one][other] = found[other][one] = likeness(one, other)
    return found


def _ranks(apart: Values) -> Values:
    """The ranks of all distances, centred and brought to length 1."""
    from scipy.stats import rankdata  # half a second that only this study costs

    ranks = rankdata(apart[np.triu_indices(len(apart), k=1)])
    ranks -= ranks.mean()
    length = float(np.sqrt(ranks @ ranks))
    return np.asarray(ranks / length if length else ranks)


def _nearest(apart: Values) -> NDArray[np.bool_]:
    """Who is among the ten nearest of whom (n, n), ties to the first."""
    among = np.where(np.eye(len(apart), dtype=np.bool_), np.inf, apart)
    many = min(NEIGHBOURS, len(apart) - 2)
    near = np.zeros(apart.shape, dtype=np.bool_)
    np.put_along_axis(near, np.argsort(among, axis=1, kind="stable")[:, :many], values=True, axis=1)
    return near


def _shared(one: NDArray[np.bool_], other: NDArray[np.bool_]) -> float:
    return float((one & other).sum() / one.sum())


def _table(order: pd.DataFrame, near: pd.DataFrame) -> pd.DataFrame:
    others = len(order) - 1
    most_like = {name: str(order[name].drop(name).idxmax()) for name in order.columns}
    table = pd.DataFrame(
        {
            "rank_correlation": (order.sum() - 1.0) / others,
            "neighbours": (near.sum() - 1.0) / others,
            "most_like": pd.Series(most_like),
        }
    )
    return table.rename_axis("metric")


def _advise(order: pd.DataFrame, near: pd.DataFrame) -> MetricAdvice:
    names = [str(name) for name in order.columns]
    r = {one: {other: float(order[other][one]) for other in names} for one in names}
    one, other = min(combinations(names, 2), key=lambda pair: r[pair[0]][pair[1]])
    together: list[list[str]] = []
    for name in names:
        home = next((group for group in together if min(r[name][other] for other in group) >= _SAME), None)
        if home is None:
            together.append([name])
        else:
            home.append(name)
    alike = tuple(tuple(group) for group in together if len(group) > 1)
    same = [listed(group, most=9) for group in alike]
    reasons = []
    if same:
        reasons.append(f"Nearly the same order of distances (r of ranks from {_SAME} up): {'; '.join(same)}.")
    shared = float(near[other][one])
    reasons.append(
        f"Least alike are {one} and {other}: the ranks of their distances correlate by {r[one][other]:.2f}, and they "
        f"share {shared:.0%} of each customer's {NEIGHBOURS} nearest."
    )
    apart = [name for name in names if max(r[name][each] for each in names if each != name) < _OTHER]
    if apart:
        reasons.append(f"On its own stands {listed(apart, most=6)}: like no other (below {_OTHER}).")
    return MetricAdvice(alike, (*reasons, CAUTION))
