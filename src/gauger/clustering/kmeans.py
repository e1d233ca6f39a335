"""k-means: segments around centres (Lloyd 1982), from raced starts, until nothing moves."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
import pandas as pd
from numpy.typing import ArrayLike, NDArray

from gauger.algorithms import RowOrder
from gauger.algorithms.kmeans import (
    FINISHED,
    SEEDERS,
    TWO_STARTS,
    Entrant,
    LloydResult,
    assign,
    compile_kmeans,
    distinct_up_to,
    first_rows,
    race,
    refill,
    run_lloyd,
    squares_to_own,
)
from gauger.clustering.given_centres import Seeding, count_of, given_centres
from gauger.clustering.kmeans_cautions import about_kmeans, moved_since
from gauger.clustering.learners import checked_share, checked_weights, learners_among, other_sample
from gauger.clustering.method_words import words_of
from gauger.clustering.ordering import order_customers
from gauger.clustering.roundness import about_roundness
from gauger.columns import refuse_no_whole_number
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.segmentation import AssignmentRule, Codes, Refit, Segmentation, number_by_size
from gauger.wording import listed, plural

Values = NDArray[np.float64]


def segment_by_kmeans(
    features: FeatureSet,
    count: int | None = None,
    *,
    seeding: Seeding = "kmeans++",
    starts: int = 10,
    max_iterations: int = 300,
    customer_weights: ArrayLike | None = None,
    learn_on: float | None = None,
    seed: int = 0,
) -> Segmentation:
    """Split customers into `count` segments around centres, so that the within-cluster sum of squares is small.

    Parameters
    ----------
    features : FeatureSet
        Customers on the working scale, from `prepare`. Of an OpenTable everyone is segmented, where they live.
    count : int, optional
        How many segments; can be left out when centres are given.
    seeding : {"kmeans++", "random", "first"}, array, pandas.DataFrame or Segmentation
        Where starts begin: with customers far from each other, with any distinct ones, with the first distinct rows of
        the table (one start), or with centres: an array (count, n_features) on the working scale, a DataFrame by
        feature name in original units, or a Segmentation, such as the cut of a merge tree.
    starts : int
        How many starts the result is to be as good as.
    max_iterations : int
        The most iterations of a start.
    customer_weights : array (n_customers,), optional
        How much each customer counts, 0 or more; those with 0 are assigned only.
    learn_on : number, optional
        A number of customers, or a share below 1, drawn with `seed`: only they move the centres, and everyone is
        assigned.
    seed : int
        The same seed gives the same segments.

    Returns
    -------
    Segmentation
        Segments are numbered from the largest. `.iterations`, `.converged`, `.history` (what each iteration did) and
        `.starts` (how each start did) tell how it went. Remarks say when iterations ran out, which segments are tiny,
        which customers lie far from every centre, how far the centres of another sample would be, when density shows
        groups of a shape that k-means cannot follow, and after seeding with a Segmentation of the same features how
        many moved.

    Raises
    ------
    SettingError
        When a setting is out of range, or there are fewer distinct customers than segments.
    UnknownColumnError
        For given centres that lack a feature.

    Notes
    -----
    An iteration assigns every customer to the nearest centre, ties to the lower number, and moves each centre to the
    mean of its customers, until no customer moves. Bounds on the distances spare most customers the look (Hamerly).
    Four times `starts` starts run a dozen iterations on a coreset of up to 4,000 customers, the best three are finished
    on all of them, and the lowest sum of squares wins: on made-up tables this comes out as low as `starts` full starts
    or lower (`python -m benchmarks.kmeans_starts`). A segment that empties takes the customer farthest from its centre.
    At the end every customer is nearest to its own centre. O(n d count) an iteration at most.

    Customers of an OpenTable who fit its sample are segmented as in memory, to the same bits. More of them in files are
    seeded on a coreset of 50,000, and then iterated over everyone by exact sums, so that files, blocks, threads and
    workers of any number give the same bits; few full passes do, for only who is hardly nearer to one centre than to
    another is looked at in between. In a database each iteration is one statement, one scan, and starts race on a
    sample of 20,000 that stays there.

    The same bits come out whatever the number of threads, and the same segments whatever the order of features and (but
    for "first") of rows.

    References
    ----------
    Lloyd (1982), IEEE Transactions on Information Theory 28(2), 129-137. Arthur & Vassilvitskii (2007), Proc. 18th
    ACM-SIAM Symposium on Discrete Algorithms, 1027-1035. Hamerly (2010), SIAM Data Mining, 130-140. Bachem, Lucic &
    Krause (2018), Proc. 24th ACM SIGKDD, 1119-1127.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2).codes.tolist()
    [2, 2, 1, 1, 1]
    """
    if count is None:
        count = count_of(seeding)
    refuse_bad_settings(features, count, starts, max_iterations, seed)
    if features.everyone is not None:
        _refuse_out_of_memory(seeding, customer_weights, learn_on)
        wanted = {"starts": int(starts), "max_iterations": int(max_iterations), "seed": int(seed)}
        return features.everyone.segmented(features, int(count), **wanted)  # type: ignore[no-any-return]
    share = checked_share(learn_on, len(features.keys))
    own_weights = checked_weights(customer_weights, len(features.keys))
    centres = given_centres(features, count, seeding)
    compile_kmeans()
    everyone = order_customers(features, own_weights)
    learners = learners_among(everyone, share, seed)
    refuse_too_few_distinct(len(learners.distinct()), count)
    if centres is not None:
        entrants = [Entrant(1, "given", everyone.inwards(centres))]
    elif seeding == "first":
        entrants = [Entrant(1, "first", first_rows(learners, count))]
    else:
        entrants = race(learners, count, SEEDERS[str(seeding)], str(seeding), starts, np.random.SeedSequence(seed))
    with task(f"k-means, {count} {plural(count, 'segment')}", min(FINISHED, len(entrants))) as advance:
        fit = finish_best(learners, entrants, max_iterations, advance=advance)
    seg = segmentation_of(features, everyone, learners, fit, max_iterations, customer_weights=own_weights, seed=seed)
    seg = replace(
        seg,
        settings={
            "method": "kmeans",
            "count": int(count),
            "starts": int(starts),
            "max_iterations": int(max_iterations),
            "learn_on": learn_on,
            "seed": int(seed),
            **_told_seeding(seeding, customer_weights),
        },
    ).with_remarks(tuple(about_roundness(everyone, seg)))
    if isinstance(seeding, Segmentation) and seeding.features is features:
        before = seeding.codes[learners.order] - 1
        seg = seg.with_remarks((moved_since(seeding, before, fit.best.codes),))
    return seg


def _refuse_out_of_memory(seeding: object, weights: object, learn_on: object) -> None:
    """Raise SettingError for what needs all customers in memory."""
    given = {"customer_weights": weights, "learn_on": learn_on}
    told = [f"{name}=" for name, value in given.items() if value is not None]
    if not isinstance(seeding, str) or seeding != "kmeans++":
        told.insert(0, "seeding=")
    if told:
        raise SettingError(
            f"customers who stay where they live are segmented by k-means from k-means++: leave {listed(told)} out, or "
            "read the table into memory (read_table)."
        )


def _told_seeding(seeding: object, weights: object) -> dict[str, str]:
    """The seeding among the settings, or why they do not tell how the segments were made."""
    given = ["centres to begin with"] if not isinstance(seeding, str) else []
    given += ["weights of the customers"] if weights is not None else []
    own = {"seeding": seeding} if isinstance(seeding, str) else {}
    return own | ({"not_repeatable": f"k-means was given {' and '.join(given)}, which no plan holds"} if given else {})


@dataclass(frozen=True, eq=False)
class Fit:
    """The best of the finished starts, and a row of figures for each start that was raced."""

    best: LloydResult
    starts: pd.DataFrame


def finish_best(
    customers: RowOrder,
    entrants: Sequence[Entrant],
    max_iterations: int,
    *,
    splits: Sequence[Values] = (),
    advance: Callable[[int], None] = lambda _: None,
) -> Fit:
    """Finish the three best entrants of a race on all customers, and `splits`, centres that came from fewer segments.

    Ties go to the better one of the race.
    """
    last = max(entrant.number for entrant in entrants)
    halved = [Entrant(last + index, "split", centres) for index, centres in enumerate(splits, 1)]
    finished: dict[int, LloydResult] = {}
    for entrant in [*entrants[:FINISHED], *halved]:
        finished[entrant.number] = run_lloyd(customers.columns, customers.weights, entrant.centres, max_iterations)
        advance(1)
    winner = min(finished, key=lambda number: finished[number].wcss)
    rows = []
    for entrant in [*entrants, *halved]:
        settled = finished.get(entrant.number)
        rows.append(
            {
                "start": entrant.number,
                "seeding": entrant.seeding,
                "trial_wcss": entrant.wcss,
                "iterations": len(settled.history) if settled else pd.NA,
                "wcss": settled.wcss if settled else np.nan,
                "chosen": entrant.number == winner,
            }
        )
    table = pd.DataFrame(rows).set_index("start").astype({"iterations": "Int64"})
    return Fit(finished[winner], table)


def segmentation_of(
    features: FeatureSet,
    everyone: RowOrder,
    learners: RowOrder,
    fit: Fit,
    max_iterations: int,
    *,
    customer_weights: Values | None = None,
    seed: int = 0,
) -> Segmentation:
    """Everyone assigned to the centres of a fit, with what there is to say about it."""
    best = fit.best
    arranged = best.codes
    if learners is not everyone:
        arranged = np.full(everyone.size, -1, dtype=np.int32)
        sums = assign(everyone.columns, everyone.weights, best.centres, arranged)
        if np.bincount(arranged, minlength=len(best.centres)).min() == 0:
            refill(everyone.columns, everyone.weights, best.centres, arranged, sums.weight, sums.total)
    numbered, order = number_by_size(arranged, best.centres)
    codes, distances = np.empty_like(numbered), np.empty(len(numbered))
    codes[everyone.order] = numbered
    distances[everyone.order] = np.sqrt(squares_to_own(everyone.columns, best.centres, arranged))
    for made in (codes, distances):
        made.flags.writeable = False
    history = pd.DataFrame(best.history, columns=["wcss", "moved", "shift"])
    seg = Segmentation(
        features,
        codes,
        everyone.outwards(best.centres[order]),
        distances,
        words_of({"method": "kmeans"}),
        iterations=len(history),
        converged=best.moved == 0,
        history=history.set_index(pd.RangeIndex(1, len(history) + 1, name="iteration")),
        starts=fit.starts,
        customer_weights=customer_weights,
        refit=kmeans_refit(len(best.centres)),
        assignment_rule=AssignmentRule("centre"),
    )
    other = None
    if learners.size < np.count_nonzero(everyone.weights > 0.0):
        sample = other_sample(everyone, learners, seed)
        elsewhere = run_lloyd(sample.columns, sample.weights, best.centres, max_iterations)
        other = everyone.outwards(elsewhere.centres[order])
    return seg.with_remarks(about_kmeans(seg, learners.size, max_iterations, other))


def kmeans_refit(count: int) -> Refit:
    """k-means with as many segments on other customers, the best of a few starts on one thread."""
    return Refit(partial(_segment_quickly, count))


def _segment_quickly(count: int, features: FeatureSet, seed: int) -> Codes:
    compile_kmeans()
    everyone = order_customers(features)
    possible = min(count, distinct_up_to(everyone.columns, count))
    fit = TWO_STARTS(everyone.columns, [possible], np.random.default_rng(seed))[possible]
    codes = np.empty(everyone.size, dtype=np.int32)
    codes[everyone.order] = fit.codes + 1
    return codes


def refuse_bad_settings(features: FeatureSet, count: int, starts: int, max_iterations: int, seed: int) -> None:
    """Raise SettingError for settings that are not whole numbers in range, or more segments than customers."""
    whole = (("count", count, 1), ("starts", starts, 1), ("max_iterations", max_iterations, 1), ("seed", seed, 0))
    for name, value, least in whole:
        refuse_no_whole_number(name, value, least)
    customers = features.customers
    if count > customers:
        raise SettingError(f"{count} segments asked for, but there are only {customers:,} customers.")


def refuse_too_few_distinct(distinct: int, count: int) -> None:
    """Raise SettingError when fewer than `count` customers differ."""
    if distinct < count:
        raise SettingError(
            f"{count} segments asked for, but the customers have only {distinct:,} distinct "
            f"{plural(distinct, 'combination')} of feature values. Ask for at most {distinct:,}."
        )
