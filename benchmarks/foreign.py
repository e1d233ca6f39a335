"""Seeded made-up tables as marketers meet them: flags, levels, zeros, copies, heaps; and the count true of each.

Half of what a customer table holds is no continuous cloud. A count of groups is true here where customers gather in
more ways than one column tells: what a filter on one flag, one level or one value gives is none.
"""

from collections.abc import Callable

import numpy as np
import pandas as pd

from benchmarks.battery import centres_apart, counted, even_shares

Values = np.ndarray
Rng = np.random.Generator
Table = pd.DataFrame


def _customers(rng: Rng, low: int = 250, high: int = 4_000) -> int:
    return int(np.exp(rng.uniform(np.log(low), np.log(high))))


def _measures(values: Values, prefix: str = "measure") -> Table:
    return pd.DataFrame({f"{prefix}_{index}": column for index, column in enumerate(values.T)})


def _cloud(rng: Rng, n: int, d: int) -> Values:
    """One normal cloud, correlated more often than not."""
    values = rng.normal(size=(n, d))
    if rng.random() < 0.6:
        values = values @ (np.eye(d) + 0.5 * rng.normal(size=(d, d)))
    return values


def _groups(rng: Rng, n: int, count: int, d: int, low: float = 5.0, high: float = 8.0) -> tuple[Values, Values]:
    """Round groups, the closest `low` to `high` standard deviations apart, and which each customer is of."""
    of = counted(n, even_shares(rng, count))
    return centres_apart(rng, count, d, rng.uniform(low, high))[of] + rng.normal(size=(len(of), d)), of


def _text(codes: Values, prefix: str) -> Values:
    return np.array([f"{prefix}{code}" for code in codes])


def independent_flags(rng: Rng) -> tuple[int, Table]:
    """Three to ten yes/no flags, each for itself."""
    n, d = _customers(rng), int(rng.integers(3, 11))
    return 1, _measures((rng.random((n, d)) < rng.uniform(0.1, 0.9, size=d)).astype(float), "flag")


def flags_of_groups(rng: Rng) -> tuple[int, Table]:
    """Two to four groups, told by three or four flags each that nine in ten have and one in ten of the others."""
    count, each = int(rng.integers(2, 5)), int(rng.integers(3, 5))
    of = counted(_customers(rng, 400), even_shares(rng, count))
    own = np.repeat(np.arange(count), each) == of[:, None]
    return count, _measures((rng.random(own.shape) < np.where(own, 0.92, 0.08)).astype(float), "flag")


def category_beside_groups(rng: Rng) -> tuple[int, Table]:
    """Groups in measures, and a category of three to six levels that has nothing to do with them."""
    count, d, levels = int(rng.integers(2, 6)), int(rng.integers(2, 7)), int(rng.integers(3, 7))
    values, of = _groups(rng, _customers(rng, 300), count, d)
    return count, _measures(values).assign(region=_text(rng.choice(levels, len(of), p=even_shares(rng, levels)), "r"))


def category_following_groups(rng: Rng) -> tuple[int, Table]:
    """The same, but a third to two thirds of the customers have the level of their group."""
    count, d, levels = int(rng.integers(2, 5)), int(rng.integers(2, 7)), int(rng.integers(3, 6))
    values, of = _groups(rng, _customers(rng, 300), count, d)
    level = np.where(rng.random(len(of)) < rng.uniform(0.3, 0.65), of % levels, rng.integers(0, levels, len(of)))
    return count, _measures(values).assign(region=_text(level, "r"))


def category_beside_cloud(rng: Rng) -> tuple[int, Table]:
    """One cloud, and a category of three to six levels."""
    n, levels = _customers(rng), int(rng.integers(3, 7))
    level = rng.choice(levels, n, p=rng.dirichlet(np.full(levels, 8.0)))
    return 1, _measures(_cloud(rng, n, int(rng.integers(1, 6)))).assign(region=_text(level, "r"))


def flag_beside_groups(rng: Rng) -> tuple[int, Table]:
    """Groups in measures, and a flag that has nothing to do with them."""
    count, d = int(rng.integers(2, 6)), int(rng.integers(2, 7))
    values, of = _groups(rng, _customers(rng, 300), count, d)
    return count, _measures(values).assign(flag=(rng.random(len(of)) < rng.uniform(0.2, 0.5)).astype(float))


def lone_flag(rng: Rng) -> tuple[int, Table]:
    """One cloud, and one flag."""
    n = _customers(rng)
    flag = (rng.random(n) < rng.uniform(0.2, 0.5)).astype(float)
    return 1, _measures(_cloud(rng, n, int(rng.integers(1, 6)))).assign(flag=flag)


def copied_cloud(rng: Rng) -> tuple[int, Table]:
    """One cloud of 120 to 250 customers, each entered up to twenty times."""
    values = _cloud(rng, int(rng.integers(120, 251)), int(rng.integers(2, 7)))
    return 1, _measures(np.repeat(values, rng.integers(1, 21, size=len(values)), axis=0))


def copied_groups(rng: Rng) -> tuple[int, Table]:
    """Two to four groups of 120 to 250 customers in all, each entered up to twenty times."""
    count = int(rng.integers(2, 5))
    values, _ = _groups(rng, int(rng.integers(120, 251)), count, int(rng.integers(2, 7)), 6.0, 9.0)
    return count, _measures(np.repeat(values, rng.integers(1, 21, size=len(values)), axis=0))


def half_zero_share(rng: Rng) -> tuple[int, Table]:
    """One cloud, and a share that is 0 for a third to two thirds of the customers."""
    n = _customers(rng)
    share = np.where(rng.random(n) < rng.uniform(0.33, 0.66), 0.0, rng.beta(2.0, rng.uniform(2.0, 4.0), n))
    return 1, _measures(_cloud(rng, n, int(rng.integers(2, 6)))).assign(share_online=share)


def composition_cloud(rng: Rng) -> tuple[int, Table]:
    """Shares of a whole in three to eight kinds, one cloud."""
    d = int(rng.integers(3, 9))
    return 1, _measures(rng.dirichlet(rng.uniform(1.0, 6.0, size=d), _customers(rng)), "share")


def many_measures(rng: Rng) -> tuple[int, Table]:
    """Twenty to forty measures, of which three tell three to five groups."""
    count, others = int(rng.integers(3, 6)), int(rng.integers(17, 38))
    values, of = _groups(rng, _customers(rng, 500), count, 3, 5.5, 8.0)
    return count, _measures(np.column_stack([values, rng.normal(size=(len(of), others)) * values.std()]))


def _heaped(rng: Rng, amounts: Values) -> Values:
    """Amounts as people give them: most to the next five or ten, some to the next fifty."""
    steps = rng.choice([1.0, 5.0, 10.0, 50.0], p=[0.2, 0.3, 0.3, 0.2], size=amounts.shape)
    return np.round(amounts / steps) * steps


def heaped_cloud(rng: Rng) -> tuple[int, Table]:
    """Amounts rounded to fives, tens and fifties, one cloud."""
    n, d = _customers(rng), int(rng.integers(2, 6))
    return 1, _measures(_heaped(rng, 200.0 + 40.0 * _cloud(rng, n, d)), "amount")


def heaped_groups(rng: Rng) -> tuple[int, Table]:
    """The same with groups."""
    count = int(rng.integers(2, 5))
    values, _ = _groups(rng, _customers(rng, 300), count, int(rng.integers(2, 6)))
    return count, _measures(_heaped(rng, 300.0 + 40.0 * values), "amount")


def small_counts_cloud(rng: Rng) -> tuple[int, Table]:
    """Counts of 0 to 5 or so, one cloud."""
    n, d = _customers(rng), int(rng.integers(2, 7))
    return 1, _measures(
        rng.poisson(rng.gamma(4.0, 0.25, (n, 1)) * rng.uniform(0.5, 2.0, size=d)).astype(float), "count"
    )


def small_counts_groups(rng: Rng) -> tuple[int, Table]:
    """Counts of 0 to 12 or so, two to four groups."""
    count, d = int(rng.integers(2, 5)), int(rng.integers(3, 7))
    of = counted(_customers(rng, 300), even_shares(rng, count))
    often = centres_apart(rng, count, d, 6.5)
    often = np.clip(4.0 + often - often.mean(axis=0), 0.5, 12.5)
    return count, _measures(rng.binomial(14, often[of] / 14.0).astype(float), "count")


def whole_days_cloud(rng: Rng) -> tuple[int, Table]:
    """Whole days since the last visit, visits and money of one continuum."""
    n = _customers(rng)
    days = np.floor(rng.exponential(rng.uniform(4.0, 40.0), n))
    visits = 1.0 + rng.poisson(60.0 / (days + 10.0))
    return 1, pd.DataFrame({"days": np.log1p(days), "visits": np.log(visits), "spend": rng.normal(3.0, 0.5, n)})


def zero_inflated_logs(rng: Rng) -> tuple[int, Table]:
    """Spend in two or three categories in the log, each 0 for a part of the customers, each for itself."""
    n, d = _customers(rng), int(rng.integers(2, 4))
    spend = np.exp(rng.normal(3.0, 0.8, (n, d))) * (rng.random((n, d)) < rng.uniform(0.4, 0.8, size=d))
    return 1, _measures(np.log1p(spend), "spend").assign(tenure=rng.normal(5.0, 1.0, n))


def hurdles_with_groups(rng: Rng) -> tuple[int, Table]:
    """Three kinds of spend in the log: each group buys two kinds or one, and in them its own amounts."""
    of = counted(_customers(rng, 400), even_shares(rng, 3))
    buys = np.array([[1, 0, 0], [0, 1, 0], [1, 1, 1]], dtype=bool)
    spend = np.exp(rng.normal(3.5, 0.4, (len(of), 3))) * (rng.random((len(of), 3)) < np.where(buys[of], 0.95, 0.05))
    return 3, _measures(np.log1p(spend), "spend").assign(visits=of * 3.0 + rng.normal(size=len(of)))


def one_continuum(rng: Rng) -> tuple[int, Table]:
    """Recency, frequency and money that follow one engagement."""
    n = _customers(rng)
    engaged = rng.normal(size=n)
    loose = rng.uniform(0.4, 1.0)
    return 1, pd.DataFrame(
        {
            "recency": np.log1p(np.floor(np.exp(4.0 - 0.7 * engaged + loose * rng.normal(size=n)))),
            "frequency": np.log1p(rng.poisson(np.exp(1.2 + 0.6 * engaged + 0.3 * loose * rng.normal(size=n)))),
            "money": 3.0 + 0.8 * engaged + loose * rng.normal(size=n),
        }
    )


def along_a_u(rng: Rng) -> tuple[int, Table]:
    """Three to five groups along a U, in two features of several."""
    count = int(rng.integers(3, 6))
    of = counted(_customers(rng, 300), even_shares(rng, count))
    angle = np.pi * (1.0 + of / (count - 1.0))
    radius = rng.uniform(6.0, 8.0) / (2.0 * np.sin(np.pi / (count - 1.0) / 2.0))
    arc = radius * np.column_stack([np.cos(angle), np.sin(angle)])
    others = rng.normal(size=(len(of), int(rng.integers(0, 3)))) * arc.std()
    return count, _measures(np.column_stack([arc + rng.normal(size=arc.shape), others]))


def nested(rng: Rng) -> tuple[int, Table]:
    """Two groups that one measure tells, of three each that the others tell."""
    of = counted(_customers(rng, 400), even_shares(rng, 6))
    d = int(rng.integers(2, 6))
    inner = centres_apart(rng, 3, d, rng.uniform(5.0, 7.0))[of % 3] + rng.normal(size=(len(of), d))
    return 6, _measures(inner).assign(outer=(of // 3) * rng.uniform(10.0, 20.0) + rng.normal(size=len(of)))


def sixty_groups(rng: Rng) -> tuple[int, Table]:
    """Sixty to a hundred customers in two or three groups."""
    count = int(rng.integers(2, 4))
    return count, _measures(_groups(rng, int(rng.integers(60, 101)), count, int(rng.integers(2, 5)), 6.0, 9.0)[0])


def sixty_cloud(rng: Rng) -> tuple[int, Table]:
    """Sixty to a hundred customers in one cloud."""
    return 1, _measures(_cloud(rng, int(rng.integers(60, 101)), int(rng.integers(2, 7))))


def ratings_cloud(rng: Rng) -> tuple[int, Table]:
    """Three to ten answers from 1 to 5 that follow one mood."""
    n, d = _customers(rng), int(rng.integers(3, 11))
    mood = rng.normal(size=(n, 1)) * rng.uniform(0.3, 0.9) + rng.normal(size=(n, d))
    return 1, _measures(np.clip(np.round(3.0 + rng.uniform(-0.7, 0.7, size=d) + mood), 1.0, 5.0), "answer")


def capped_cloud(rng: Rng) -> tuple[int, Table]:
    """Amounts with long tails, capped where five in a hundred lie above: a heap at the cap."""
    n, d = _customers(rng), int(rng.integers(2, 6))
    amounts = np.exp(_cloud(rng, n, d) * 0.5)
    return 1, _measures(np.minimum(amounts, np.quantile(amounts, rng.uniform(0.9, 0.97), axis=0)), "amount")


def measures_that_repeat(rng: Rng) -> tuple[int, Table]:
    """One cloud of two ways to behave, measured three to six times each."""
    n = _customers(rng)
    ways = np.repeat(rng.normal(size=(n, 2)), rng.integers(3, 7, size=2), axis=1)
    return 1, _measures(ways + rng.uniform(0.1, 0.5) * rng.normal(size=ways.shape))


def two_flags_that_agree(rng: Rng) -> tuple[int, Table]:
    """One cloud, and two flags that say the same of three quarters to nine tenths of the customers."""
    n = _customers(rng)
    first = rng.random(n) < rng.uniform(0.3, 0.5)
    second = np.where(rng.random(n) < rng.uniform(0.5, 0.8), first, rng.random(n) < 0.4)
    table = _measures(_cloud(rng, n, int(rng.integers(2, 6))))
    return 1, table.assign(app=first.astype(float), newsletter=second.astype(float))


def ratings_groups(rng: Rng) -> tuple[int, Table]:
    """Six to ten answers from 1 to 5, two to four groups."""
    count, d = int(rng.integers(2, 5)), int(rng.integers(6, 11))
    of = counted(_customers(rng, 400), even_shares(rng, count))
    likes = np.array([rng.permutation(np.resize([1.7, 4.3], d)) for _ in range(count)])
    while count > 1 and min(np.abs(a - b).sum() for i, a in enumerate(likes) for b in likes[:i]) < 2.6 * 3:
        likes = np.array([rng.permutation(np.resize([1.7, 4.3], d)) for _ in range(count)])
    answers = likes[of] + 0.9 * rng.normal(size=(len(of), d))
    return count, _measures(np.clip(np.round(answers), 1.0, 5.0), "answer")


def seasons(rng: Rng) -> tuple[int, Table]:
    """Twelve months of customers who come in two to four seasons of their own."""
    count = int(rng.integers(2, 5))
    of = counted(_customers(rng, 300), even_shares(rng, count))
    months = np.arange(12)
    peak = (months - of[:, None] * 12.0 / count) * 2.0 * np.pi / 12.0
    level = np.exp(0.3 * rng.normal(size=(len(of), 1)))
    return count, _measures(level * (1.0 + 0.9 * np.cos(peak)) + 0.4 * rng.normal(size=(len(of), 12)), "month")


def twelve_to_fifteen(rng: Rng) -> tuple[int, Table]:
    """Twelve to fifteen groups."""
    count = int(rng.integers(12, 16))
    return count, _measures(_groups(rng, _customers(rng, 1_200), count, int(rng.integers(3, 9)), 6.0, 9.0)[0])


def fifty_thousand(rng: Rng) -> tuple[int, Table]:
    """Fifty thousand customers: one cloud as often as three to six groups."""
    d = int(rng.integers(3, 9))
    if rng.random() < 0.5:
        return 1, _measures(_cloud(rng, 50_000, d))
    count = int(rng.integers(3, 7))
    return count, _measures(_groups(rng, 50_000, count, d)[0])


def composition_groups(rng: Rng) -> tuple[int, Table]:
    """Shares of a whole in four to seven kinds, two to four groups with a favourite each."""
    count, d = int(rng.integers(2, 5)), int(rng.integers(4, 8))
    of = counted(_customers(rng, 300), even_shares(rng, count))
    weights = 2.0 + 14.0 * (np.arange(d) == of[:, None])
    drawn = rng.gamma(weights)
    return count, _measures(drawn / drawn.sum(axis=1, keepdims=True), "share")


def whole_days_groups(rng: Rng) -> tuple[int, Table]:
    """Whole days since the last visit, and visits: who came this week, and who has not for months."""
    of = counted(_customers(rng, 300), even_shares(rng, 2))
    days = np.floor(np.where(of == 0, rng.gamma(4.0, 1.5, len(of)), rng.gamma(12.0, rng.uniform(12.0, 20.0), len(of))))
    visits = rng.poisson(np.where(of == 0, 14.0, 4.0))
    return 2, pd.DataFrame({"days": np.log1p(days), "visits": np.log1p(visits), "spend": rng.normal(3.0, 0.5, len(of))})


def two_categories_beside_groups(rng: Rng) -> tuple[int, Table]:
    """Groups in measures, and two categories that have nothing to do with them."""
    count, d = int(rng.integers(2, 5)), int(rng.integers(3, 7))
    values, of = _groups(rng, _customers(rng, 400), count, d)
    regions, plans = rng.integers(0, 4, len(of)), rng.integers(0, 3, len(of))
    return count, _measures(values).assign(region=_text(regions, "r"), plan=_text(plans, "p"))


def filled_gaps(rng: Rng) -> tuple[int, Table]:
    """One cloud of which a part of some measures was not recorded and filled with the median."""
    n, d = _customers(rng), int(rng.integers(2, 7))
    values = _cloud(rng, n, d)
    for column in values.T[: int(rng.integers(1, d + 1))]:
        column[rng.random(n) < rng.uniform(0.05, 0.4)] = np.median(column)
    return 1, _measures(values)


def price_list(rng: Rng) -> tuple[int, Table]:
    """One cloud, and the price of a plan that has three to five prices in even ratios."""
    n, prices = _customers(rng), int(rng.integers(3, 6))
    chosen = rng.choice(prices, n, p=rng.dirichlet(np.full(prices, 6.0)))
    return 1, _measures(_cloud(rng, n, int(rng.integers(2, 6)))).assign(price=chosen * np.log(2.0))


def one_telling_measure(rng: Rng) -> tuple[int, Table]:
    """Two groups that one measure tells, beside one to four that do not."""
    of = counted(_customers(rng, 300), even_shares(rng, 2))
    telling = rng.uniform(5.0, 8.0) * of + rng.normal(size=len(of))
    return 2, _measures(np.column_stack([telling, rng.normal(size=(len(of), int(rng.integers(1, 5)))) * 3.0]))


def raw_amounts(rng: Rng) -> tuple[int, Table]:
    """Amounts with long tails as they are, one cloud."""
    n, d = _customers(rng), int(rng.integers(2, 6))
    return 1, _measures(np.exp(_cloud(rng, n, d) * rng.uniform(0.4, 0.7)), "amount")


def seldom_flags(rng: Rng) -> tuple[int, Table]:
    """One cloud, and two to five flags that one to ten in a hundred have."""
    n, flags = _customers(rng, 400), int(rng.integers(2, 6))
    table = _measures(_cloud(rng, n, int(rng.integers(2, 5))))
    return 1, table.join(_measures((rng.random((n, flags)) < rng.uniform(0.01, 0.1, size=flags)).astype(float), "flag"))


Family = Callable[[Rng], tuple[int, Table]]

TUNED: dict[str, Family] = {
    "independent flags": independent_flags,
    "flags of groups": flags_of_groups,
    "category beside groups": category_beside_groups,
    "category following groups": category_following_groups,
    "category beside a cloud": category_beside_cloud,
    "flag beside groups": flag_beside_groups,
    "flag beside a cloud": lone_flag,
    "copies of a cloud": copied_cloud,
    "copies of groups": copied_groups,
    "half-zero share": half_zero_share,
    "shares of a whole": composition_cloud,
    "20 to 40 measures": many_measures,
    "heaped amounts": heaped_cloud,
    "heaped amounts, groups": heaped_groups,
    "small counts": small_counts_cloud,
    "small counts, groups": small_counts_groups,
    "whole days": whole_days_cloud,
    "zeros in the log": zero_inflated_logs,
    "hurdles with groups": hurdles_with_groups,
    "one continuum": one_continuum,
    "groups along a U": along_a_u,
    "nested, 2 x 3": nested,
    "sixty customers, groups": sixty_groups,
    "sixty customers": sixty_cloud,
    "ratings": ratings_cloud,
    "flags that agree": two_flags_that_agree,
}
"""Families whose tables were looked at while the rules were made."""

ASIDE: dict[str, Family] = {
    "ratings, groups": ratings_groups,
    "seasons": seasons,
    "12 to 15 groups": twelve_to_fifteen,
    "50,000 customers": fifty_thousand,
    "shares of a whole, groups": composition_groups,
    "whole days, groups": whole_days_groups,
    "two categories, groups": two_categories_beside_groups,
    "filled gaps": filled_gaps,
    "a price list": price_list,
    "one telling measure": one_telling_measure,
    "raw amounts": raw_amounts,
    "seldom flags": seldom_flags,
    "capped amounts": capped_cloud,
    "measures that repeat": measures_that_repeat,
}
"""Families that were looked at once, when the rules stood."""
