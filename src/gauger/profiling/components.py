"""Principal components: the plane that shows most of the customers' variance, and what it hides of the segments."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.errors import SettingError
from gauger.profiling.closeness import Rows, looks_mixed, sample_of, share_nearest_own, share_placed
from gauger.remarks import Remark
from gauger.segmentation import Segmentation

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Components:
    """The first two principal components of the features on their working scale.

    `points` (n, 2) are the customers in that plane, `centres` (k, 2) the segments' centres, `shares` (2,) the share of
    all variance along each, and `directions` (a row a feature, two columns) each feature's correlation with each, -1 to
    1. `placed` is the share of assigned customers that have their own centre nearest in the plane, `placed_in_all` in
    all features.
    """

    points: Values
    centres: Values
    shares: Values
    directions: pd.DataFrame
    placed: float
    placed_in_all: float

    @property
    def hides(self) -> bool:
        """Whether segments look mixed in the plane and are apart in all features."""
        return looks_mixed(self.placed, self.placed_in_all)


def components_of(seg: Segmentation) -> Components:
    """The principal components of a segmentation's features. O(n d²).

    Each points towards larger values of the feature that it goes with most. Raises SettingError for fewer than two
    features, or when all customers are alike.

    Pearson (1901), Philosophical Magazine 2(11), 559-572.
    """
    return _of_customers(seg, np.arange(len(seg.codes)))


def _of_customers(seg: Segmentation, rows: Rows) -> Components:
    """The components of some customers."""
    values = seg.features.values[rows]
    n, d = values.shape
    if d < 2:
        raise SettingError("principal components need two features, and the segmentation has one.")
    middle = values.mean(axis=0)
    centred = values - middle
    covariance = centred.T @ centred / n
    variances = np.diag(covariance)
    if not variances.sum() > 0.0:
        raise SettingError("all customers are alike: there is no principal component.")
    squares, axes = np.linalg.eigh(covariance)
    squares, axes = np.maximum(squares[:-3:-1], 0.0), axes[:, :-3:-1]
    axes = axes * np.where(axes[np.abs(axes).argmax(axis=0), [0, 1]] < 0.0, -1.0, 1.0)
    points = centred @ axes
    with np.errstate(divide="ignore", invalid="ignore"):
        along = axes * np.sqrt(squares) / np.sqrt(variances)[:, None]
    centres = (seg.scaled_centres - middle) @ axes
    names = pd.Index(seg.features.names, name="feature")
    return Components(
        points,
        centres,
        squares / variances.sum(),
        pd.DataFrame(np.nan_to_num(along), index=names, columns=["first", "second"]),
        share_nearest_own(points, centres, seg.codes[rows]),
        share_placed(seg),
    )


def about_the_plane(seg: Segmentation) -> Iterator[Remark]:
    """A remark when segments are apart in all features and look mixed in the best picture of two dimensions.

    Judged by at most 20,000 customers.
    """
    rows = sample_of(len(seg.codes))
    if len(seg.features.names) < 3 or seg.count < 2 or not np.ptp(seg.features.values[rows], axis=0).any():
        return
    found = _of_customers(seg, rows)
    if found.hides:
        yield Remark(
            "mixed-in-two",
            f"a picture of two dimensions will show these segments mixed: of the customers {found.placed:.0%} are "
            f"nearest their own centre by two principal components, {found.placed_in_all:.0%} by all "
            f"{len(seg.features.names)} features. Judge them by the profile and the pairs of features, not by one "
            "scatter plot.",
        )
