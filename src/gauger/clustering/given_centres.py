"""Where k-means starts from: k-means++ (Arthur & Vassilvitskii 2007), random rows, the first rows, or given centres."""

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.errors import SettingError, UnknownColumnError
from gauger.features import FeatureSet
from gauger.segmentation import Segmentation
from gauger.wording import listed, plural

Values = NDArray[np.float64]
Seeding = str | Values | pd.DataFrame | Segmentation

SEEDINGS = ("kmeans++", "random", "first")


def count_of(seeding: Seeding) -> int:
    """How many segments given centres make; raises SettingError for a word, which does not say."""
    if isinstance(seeding, str):
        raise SettingError("say how many segments there shall be: count=, or centres as seeding=.")
    return seeding.count if isinstance(seeding, Segmentation) else len(seeding)


def given_centres(features: FeatureSet, count: int, seeding: Seeding) -> Values | None:
    """Centres (count, d) on the working scale from an array, a DataFrame or a Segmentation; None for a word.

    A DataFrame has a row a centre and a column a feature, in original units. Raises SettingError for an unknown word,
    a wrong shape, numbers that are not finite, or centres that repeat; UnknownColumnError for a feature that lacks.
    """
    if isinstance(seeding, str):
        if seeding not in SEEDINGS:
            raise SettingError(f"seeding={seeding!r} must be one of {listed(SEEDINGS)}, or centres.")
        return None
    centres = _on_working_scale(features, seeding)
    if centres.ndim != 2 or centres.shape != (count, len(features.names)):
        raise SettingError(
            f"the given centres have shape {centres.shape}: {count} {plural(count, 'segment')} by "
            f"{len(features.names)} {plural(len(features.names), 'feature')} need ({count}, {len(features.names)})."
        )
    bad = np.flatnonzero(~np.isfinite(centres).all(axis=1))
    if bad.size:
        raise SettingError(f"given centre {bad[0] + 1} is not all numbers: {centres[bad[0]].tolist()}.")
    if len(np.unique(centres, axis=0)) < count:
        raise SettingError("two of the given centres are equal: one of them would never be the nearest.")
    return centres


def _on_working_scale(features: FeatureSet, seeding: Values | pd.DataFrame | Segmentation) -> Values:
    if isinstance(seeding, Segmentation):
        if set(seeding.features.names) != set(features.names):
            raise SettingError(
                f"the segmentation given as seeding has the features {listed(seeding.features.names, most=6)}, "
                f"not {listed(features.names, most=6)}."
            )
        return features.treat(seeding.centres) if seeding.features is not features else seeding.scaled_centres
    if isinstance(seeding, pd.DataFrame):
        lacking = [name for name in features.names if name not in seeding.columns]
        if lacking:
            raise UnknownColumnError(
                f"the given centres lack the {plural(len(lacking), 'feature')} {listed(lacking, most=6)}; they have "
                f"{listed(map(str, seeding.columns), most=6)}."
            )
        try:
            return np.ascontiguousarray(features.treat(seeding))
        except (TypeError, ValueError):
            raise SettingError("the given centres are not all numbers.") from None
    try:
        return np.array(seeding, dtype=np.float64, order="C")
    except (TypeError, ValueError):
        raise SettingError("the given centres are not all numbers.") from None
