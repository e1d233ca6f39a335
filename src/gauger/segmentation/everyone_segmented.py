"""What a `Segmentation` asks of everyone in an OpenTable, who are segmented where they live."""

from collections.abc import Mapping
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from gauger.segmentation.feature_summary import FeatureSummary
from gauger.wording import Noun


class EveryoneSegmented(Protocol):
    """The segments of everyone in an OpenTable, worked out where they live."""

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented."""

    @property
    def sizes(self) -> NDArray[np.int64]:
        """Customers by segment (k,)."""

    @property
    def wcss_by_segment(self) -> NDArray[np.float64]:
        """Within-segment sum of squares (k,)."""

    @property
    def overall_squares(self) -> float:
        """The sum of squares of everyone about their middle."""

    @property
    def explained_by_feature(self) -> NDArray[np.float64]:
        """The share of each feature's variance that lies between segments (d,)."""

    @property
    def fits(self) -> bool:
        """Whether all of them were read, without keys, and segmented as a table in memory is."""

    @property
    def left_out(self) -> int:
        """How many customers gaps leave out."""

    @property
    def profile(self) -> FeatureSummary:
        """What the segments are like."""

    def model(self, names: Mapping[int, str]) -> Any:
        """The `SegmentModel` that other customers are assigned by."""

    def assignments(self, names: Mapping[int, str]) -> Any:
        """Who is where: an `Assignments`."""

    def profiled(self, names: Mapping[int, str]) -> Any:
        """The `Profile` that is worked out where customers live; None where the sample must do."""
