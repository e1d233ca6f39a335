"""Seeded made-up tables of many families, with the count that is true of each: what advice on the count is tried on."""

from collections.abc import Callable

import numpy as np
import pandas as pd

Values = np.ndarray


def _size(rng: np.random.Generator, count: int) -> int:
    return int(np.exp(rng.uniform(np.log(max(200, 40 * count)), np.log(2_000))))


def centres_apart(rng: np.random.Generator, count: int, d: int, gap: float) -> Values:
    """Centres in a box, of which the closest two are `gap` apart."""
    best, widest = np.zeros((count, d)), -1.0
    for _ in range(20):
        centres = rng.uniform(-1.0, 1.0, size=(count, d))
        apart = np.sqrt(((centres[:, None] - centres) ** 2).sum(axis=2))[np.triu_indices(count, 1)].min()
        if apart > widest:
            best, widest = centres, apart
    return best * gap / widest


def counted(n: int, shares: Values) -> Values:
    """Which group each of n rows is of, with sizes as near to the shares as whole numbers come."""
    return np.repeat(np.arange(len(shares)), np.maximum(np.round(shares * n).astype(int), 4))


def even_shares(rng: np.random.Generator, count: int) -> Values:
    return rng.dirichlet(np.full(count, 30.0))


def _groups(rng: np.random.Generator, low: float, high: float, *, most: int = 8) -> tuple[int, Values]:
    count, d = int(rng.integers(2, most + 1)), int(rng.integers(2, 11))
    of = counted(_size(rng, count), even_shares(rng, count))
    return count, centres_apart(rng, count, d, rng.uniform(low, high))[of] + rng.normal(size=(len(of), d))


def separated(rng: np.random.Generator) -> tuple[int, Values]:
    """Round groups, six to ten standard deviations apart."""
    return _groups(rng, 6.0, 10.0)


def overlapping(rng: np.random.Generator) -> tuple[int, Values]:
    """Round groups, of which the closest are 3 to 4.5 standard deviations apart."""
    return _groups(rng, 3.0, 4.5)


def unequal_sizes(rng: np.random.Generator) -> tuple[int, Values]:
    """One group of half or more, the others down to 4 %."""
    count, d = int(rng.integers(3, 8)), int(rng.integers(2, 11))
    shares = rng.uniform(0.04, 0.5 / (count - 1) * 1.2, size=count)
    shares[0] = max(1.0 - shares[1:].sum(), 0.45)
    of = counted(max(400, _size(rng, count)), shares / shares.sum())
    return count, centres_apart(rng, count, d, rng.uniform(4.5, 7.0))[of] + rng.normal(size=(len(of), d))


def unequal_spreads(rng: np.random.Generator) -> tuple[int, Values]:
    """Groups whose standard deviations differ up to six times, the closest pair 1.9 to 3.2 times their sum apart."""
    count, d = int(rng.integers(2, 8)), int(rng.integers(2, 11))
    widths = np.exp(rng.uniform(np.log(0.4), np.log(2.4), size=count))
    centres = centres_apart(rng, count, d, 1.0)
    apart = np.sqrt(((centres[:, None] - centres) ** 2).sum(axis=2)) / (widths[:, None] + widths)
    centres *= rng.uniform(1.9, 3.2) / apart[np.triu_indices(count, 1)].min()
    of = counted(_size(rng, count), even_shares(rng, count))
    return count, centres[of] + rng.normal(size=(len(of), d)) * widths[of][:, None]


def elongated(rng: np.random.Generator) -> tuple[int, Values]:
    """Groups two to five times as long as wide, each in a direction of its own."""
    count, d = int(rng.integers(2, 7)), int(rng.integers(2, 9))
    of = counted(_size(rng, count), even_shares(rng, count))
    values = centres_apart(rng, count, d, rng.uniform(7.0, 11.0))[of]
    for group in range(count):
        turn, _ = np.linalg.qr(rng.normal(size=(d, d)))
        axes = np.ones(d)
        axes[0] = rng.uniform(2.0, 5.0)
        own = of == group
        values[own] += (rng.normal(size=(own.sum(), d)) * axes) @ turn.T
    return count, values


def noise_features(rng: np.random.Generator) -> tuple[int, Values]:
    """Two to four features that tell groups apart, and as many or twice as many that say nothing."""
    count, d = int(rng.integers(2, 7)), int(rng.integers(2, 5))
    of = counted(_size(rng, count), even_shares(rng, count))
    telling = centres_apart(rng, count, d, rng.uniform(5.0, 8.0))[of] + rng.normal(size=(len(of), d))
    others = int(rng.integers(d, min(2 * d, 10 - d) + 1))
    width = telling.std(axis=0).mean()
    noise = rng.normal(size=(len(of), others)) if rng.random() < 0.5 else rng.uniform(-1.7, 1.7, size=(len(of), others))
    return count, np.column_stack([telling, noise * width])


def outliers(rng: np.random.Generator) -> tuple[int, Values]:
    """Groups 4.5 to 7 standard deviations apart, and one or two customers in a hundred far out."""
    count, values = _groups(rng, 4.5, 7.0, most=7)
    wild = rng.choice(len(values), size=max(2, round(len(values) * rng.uniform(0.01, 0.02))), replace=False)
    middle, width = values.mean(axis=0), values.std(axis=0)
    values[wild] = middle + rng.standard_t(1.5, size=(len(wild), values.shape[1])) * width * 2.5
    return count, values


def skewed(rng: np.random.Generator) -> tuple[int, Values]:
    """Counts, amounts and days of behaviour with long tails, taken to the log as an analyst would."""
    count, d = int(rng.integers(2, 7)), int(rng.integers(3, 9))
    of = counted(_size(rng, count), even_shares(rng, count))
    logs = centres_apart(rng, count, d, rng.uniform(4.5, 7.0))[of] + rng.normal(size=(len(of), d))
    rates = np.exp((logs - logs.min(axis=0)) * 0.35 + 1.2)
    values = np.where(
        rng.random(d) < 0.5, rng.poisson(np.minimum(rates, 1e6)), rates * rng.gamma(20.0, 0.05, rates.shape)
    )
    return count, np.log1p(values)


def tiny_segment(rng: np.random.Generator) -> tuple[int, Values]:
    """Two to four groups, and one of two to four customers in a hundred."""
    count, d = int(rng.integers(3, 6)), int(rng.integers(2, 9))
    shares = even_shares(rng, count)
    shares[-1] = rng.uniform(0.02, 0.04) * shares[:-1].sum()
    of = counted(max(600, _size(rng, count)), shares / shares.sum())
    return count, centres_apart(rng, count, d, rng.uniform(5.0, 8.0))[of] + rng.normal(size=(len(of), d))


def cloud_normal(rng: np.random.Generator) -> tuple[int, Values]:
    """One normal cloud, with or without correlation."""
    d = int(rng.integers(2, 11))
    values = rng.normal(size=(_size(rng, 1), d))
    if rng.random() < 0.6:
        values = values @ rng.normal(size=(d, d)) + 0.3 * values
    return 1, values


def cloud_uniform(rng: np.random.Generator) -> tuple[int, Values]:
    """One box, evenly filled."""
    return 1, rng.uniform(size=(_size(rng, 1), int(rng.integers(2, 11))))


def cloud_tailed(rng: np.random.Generator) -> tuple[int, Values]:
    """One cloud with heavy tails (t with 3 to 6 degrees of freedom), or skewed (gamma and log-normal features)."""
    n, d = _size(rng, 1), int(rng.integers(2, 11))
    if rng.random() < 0.5:
        return 1, rng.normal(size=(n, d)) / np.sqrt(rng.chisquare(rng.uniform(3.0, 6.0), size=(n, 1)) / 4.0)
    mixed = rng.normal(size=(n, d)) @ (np.eye(d) + 0.4 * rng.normal(size=(d, d)))
    mixed /= mixed.std(axis=0)
    return 1, np.where(rng.random(d) < 0.5, np.exp(0.5 * mixed), mixed)


def lone_flag(rng: np.random.Generator) -> tuple[int, Values]:
    """One cloud, and a flag, which a filter splits as well."""
    n, d = _size(rng, 1), int(rng.integers(1, 5))
    return 1, np.column_stack([rng.normal(size=(n, d)), rng.random(n) < rng.uniform(0.25, 0.5)])


def cloud_bent(rng: np.random.Generator) -> tuple[int, Values]:
    """One cloud bent like a banana in two of its features."""
    n, d = _size(rng, 1), int(rng.integers(2, 7))
    values = rng.normal(size=(n, d))
    values[:, 1] = 0.5 * values[:, 1] + rng.uniform(0.3, 0.8) * (values[:, 0] ** 2 - 1.0)
    return 1, values


Family = Callable[[np.random.Generator], tuple[int, pd.DataFrame]]


def _as_table(make: Callable[[np.random.Generator], tuple[int, Values]]) -> Family:
    """The family with its values as columns of differing units."""

    def made(rng: np.random.Generator) -> tuple[int, pd.DataFrame]:
        count, values = make(rng)
        units = rng.uniform(0.5, 20.0, size=values.shape[1])
        return count, pd.DataFrame(values * units, columns=[f"feature_{index}" for index in range(len(units))])

    return made


FAMILIES: dict[str, Family] = {
    "separated": _as_table(separated),
    "overlapping": _as_table(overlapping),
    "unequal sizes": _as_table(unequal_sizes),
    "unequal spreads": _as_table(unequal_spreads),
    "elongated": _as_table(elongated),
    "noise features": _as_table(noise_features),
    "outliers": _as_table(outliers),
    "skewed behaviour": _as_table(skewed),
    "tiny segment": _as_table(tiny_segment),
    "lone flag": _as_table(lone_flag),
    "one normal cloud": _as_table(cloud_normal),
    "one even box": _as_table(cloud_uniform),
    "one cloud with tails": _as_table(cloud_tailed),
    "one bent cloud": _as_table(cloud_bent),
}
