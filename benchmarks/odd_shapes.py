"""Made-up customers in shapes that no round segment fits, and which planted group each is in, 0 for none."""

import numpy as np

Values = np.ndarray
Made = tuple[Values, Values]
Rng = np.random.Generator

SHAPES = ("rings", "crescents", "bands", "differing densities", "bridge")
STRUCTURELESS = ("uniform", "one cloud")


def make_shape(shape: str, *, seed: int, customers: int = 1_200, noise: float = 0.0) -> Made:
    """Points (n, 2) and the planted group of each (n,); `noise` adds that share, spread evenly over the frame."""
    rng = np.random.default_rng(seed)
    points, groups = _MAKERS[shape](rng, customers)
    if noise:
        low, high = points.min(axis=0) - 0.5, points.max(axis=0) + 0.5
        scattered = rng.uniform(low, high, size=(int(noise * customers), 2))
        points, groups = np.vstack([points, scattered]), np.append(groups, np.zeros(len(scattered), dtype=int))
    return points, groups


def _stacked(*parts: Values) -> Made:
    return np.vstack(parts), np.repeat(np.arange(1, len(parts) + 1), [len(part) for part in parts])


def _rings(rng: Rng, n: int) -> Made:
    angle, way = rng.random(2 * n // 3) * 2.0 * np.pi, 4.0 + 0.25 * rng.standard_normal(2 * n // 3)
    ring = np.column_stack([way * np.cos(angle), way * np.sin(angle)])
    return _stacked(rng.normal(scale=0.4, size=(n // 3, 2)), ring)


def _crescents(rng: Rng, n: int) -> Made:
    one, other = rng.random((2, n // 2)) * np.pi
    upper = np.column_stack([3.0 * np.cos(one), 3.0 * np.sin(one)])
    lower = np.column_stack([3.0 - 3.0 * np.cos(other), 1.5 - 3.0 * np.sin(other)])
    points, groups = _stacked(upper, lower)
    return points + rng.normal(scale=0.2, size=points.shape), groups


def _bands(rng: Rng, n: int) -> Made:
    along = rng.uniform(0.0, 10.0, size=(3, n // 3))
    parts = [
        np.column_stack([x, 2.0 * index + 0.3 * x + rng.normal(scale=0.2, size=len(x))])
        for index, x in enumerate(along)
    ]
    return _stacked(*parts)


def _differing_densities(rng: Rng, n: int) -> Made:
    centres = ((0.25, (0.0, 0.0)), (0.25, (3.0, 0.0)), (1.0, (1.5, 7.0)))
    return _stacked(*(rng.normal(loc=centre, scale=scale, size=(n // 3, 2)) for scale, centre in centres))


def _bridge(rng: Rng, n: int) -> Made:
    """Two full discs, and a thin line of customers of neither between them."""
    discs = [_disc(rng, n // 2) + centre for centre in ((0.0, 0.0), (6.0, 0.0))]
    points, groups = _stacked(*discs)
    line = np.column_stack([rng.uniform(1.8, 4.2, size=n // 60), rng.normal(scale=0.1, size=n // 60)])
    return np.vstack([points, line]), np.append(groups, np.zeros(len(line), dtype=int))


def _disc(rng: Rng, n: int) -> Values:
    angle, way = rng.random(n) * 2.0 * np.pi, 1.6 * np.sqrt(rng.random(n))
    return np.column_stack([way * np.cos(angle), way * np.sin(angle)])


def _uniform(rng: Rng, n: int) -> Made:
    return rng.random((n, 2)) * 10.0, np.ones(n, dtype=int)


def _one_cloud(rng: Rng, n: int) -> Made:
    return rng.normal(size=(n, 2)), np.ones(n, dtype=int)


_MAKERS = {
    "rings": _rings,
    "crescents": _crescents,
    "bands": _bands,
    "differing densities": _differing_densities,
    "bridge": _bridge,
    "uniform": _uniform,
    "one cloud": _one_cloud,
}
