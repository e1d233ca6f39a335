"""What is worth a warning about a chosen set of features."""

from collections.abc import Sequence

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from gauger.errors import listed, plural
from gauger.remarks import Remark
from gauger.tables.roles import is_identifier

WIDE_RATIO = 10.0


def cautions_about(
    table: pd.DataFrame, names: Sequence[str], original: pd.DataFrame, values: NDArray[np.float64]
) -> list[Remark]:
    """Remarks on features as they were (`original`) and as they will be clustered (`values`)."""
    identifiers = tuple(name for name in names if is_identifier(table[name], name))
    still = values.max(axis=0) == values.min(axis=0)
    constant = tuple(name for name, same in zip(names, still, strict=True) if same)
    treated = ", once capped or filled," if any(original[name].nunique() > 1 for name in constant) else ""
    remarks = []
    if identifiers:
        remarks.append(
            Remark(
                "identifier",
                f"{listed(identifiers)} {plural(len(identifiers), 'is different', 'are different')} for every "
                "customer, like an identifier: it says nothing about behaviour. Leave it out of the features.",
                identifiers,
            )
        )
    if constant:
        remarks.append(
            Remark(
                "constant",
                f"{listed(constant)} {plural(len(constant), 'is', 'are')}{treated} the same for everyone and cannot "
                "separate segments. Leave it out of the features.",
                constant,
            )
        )
    return [*remarks, *_raw_scales(names, values)]


def _raw_scales(names: Sequence[str], values: NDArray[np.float64]) -> list[Remark]:
    widths = values.std(axis=0)
    moving = widths > 0.0
    if np.count_nonzero(moving) < 2 or widths.max() <= WIDE_RATIO * widths[moving].min():
        return []
    widest = int(widths.argmax())
    share = widths[widest] ** 2 / float((widths**2).sum())
    return [
        Remark(
            "raw-scales",
            f"the features are on very different scales: {names[widest]} alone holds {share:.1%} of all variance and "
            "would decide the segments. Put them on one scale: scale='zscore' (--scale zscore).",
            (names[widest],),
        )
    ]
