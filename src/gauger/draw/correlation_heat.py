"""Which measures move together: a heat map of correlations, ordered by likeness."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.figure import Figure
from numpy.typing import NDArray

from gauger.algorithms.statistics import correlation_matrix, correlation_order
from gauger.appearance import DIVERGING, INK, PAPER, QUIET
from gauger.columns import AnyTable, look, whole_table
from gauger.draw.figure_typeface import SMALL
from gauger.draw.style import as_cells, new_figure
from gauger.errors import SettingError
from gauger.features import HIGH_CORRELATION, FeatureSet
from gauger.wording import listed

MOST_MEASURES = 30
"""Measures whose names fit."""

_COLOURS = LinearSegmentedColormap.from_list("correlation", DIVERGING)
_MOST_NUMBERS = 16
"""Measures up to which every cell has its number."""


def correlations(table: AnyTable | FeatureSet, key: str | None = None) -> Figure:
    """Draw Pearson's r between measures, ordered so that likes are neighbours.

    At most 30 are drawn, those most correlated with another; a note says how many are not.

    Parameters
    ----------
    table : FeatureSet, pandas.DataFrame or another table
        Its measures, or features.
    key : str, optional
        The column that identifies a customer.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        When there are fewer than two that vary.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> table["household"] = ["alone"] * 5 + ["family"] * 7
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> gauger.draw.correlations(table, "who").get_suptitle()
    'Nearly the same: visits and spend'
    """
    names, values = _measures(table, key)
    varied = [
        position for position in range(len(names)) if np.nanmin(values[:, position]) < np.nanmax(values[:, position])
    ]
    if len(varied) < 2:
        raise SettingError("a correlation needs at least two measures that vary; this table has not that many.")
    names, r = [names[position] for position in varied], correlation_matrix(values[:, varied])
    shown = _strongest(r)
    order = [shown[position] for position in correlation_order(r[np.ix_(shown, shown)])]
    note = "Pearson's r; r = 1: they rise together, r = -1: one falls as the other rises."
    if len(names) > len(order):
        note += f" {len(names) - len(order)} measures with weaker correlations are not drawn."
    figure = new_figure(
        _title(names, r),
        note,
        form=(
            "A table of cells: each measure against each other one, the stronger the colour the stronger "
            "they go together."
        ),
    )
    heat_map(figure, figure.subplots(), [names[position] for position in order], r[np.ix_(order, order)])
    return figure


def _measures(table: AnyTable | FeatureSet, key: str | None) -> tuple[list[str], NDArray[np.float64]]:
    if isinstance(table, FeatureSet):
        return list(table.names), table.values
    table = whole_table(table)
    names = look(table, key).measures
    if not names:
        raise SettingError("the table has no measure to draw: no column holds amounts or counts.")
    return names, np.column_stack([table[name].to_numpy(dtype=np.float64, na_value=np.nan) for name in names])


def _strongest(r: NDArray[np.float64]) -> list[int]:
    likeness = np.abs(np.nan_to_num(r))
    np.fill_diagonal(likeness, 0.0)
    return sorted(np.argsort(-likeness.max(axis=0), kind="stable")[:MOST_MEASURES].tolist())


def heat_map(figure: Figure, axes: Axes, names: list[str], r: NDArray[np.float64]) -> None:
    """Correlations (n, n) as coloured cells with their numbers, and a bar that tells the colours."""
    image = axes.imshow(r, cmap=_COLOURS, vmin=-1.0, vmax=1.0, aspect="auto")
    small = len(names) > 20
    size = 8 if small else 10
    axes.set_xticks(range(len(names)), names, rotation=45, ha="right", rotation_mode="anchor", fontsize=size, color=INK)
    axes.set_yticks(range(len(names)), names, fontsize=size, color=INK)
    as_cells(axes, len(names), len(names))
    for row, column in np.ndindex(r.shape):
        value = r[row, column]
        if row == column or np.isnan(value) or (len(names) > _MOST_NUMBERS and abs(value) < HIGH_CORRELATION):
            continue
        strong = abs(value) > 0.75
        axes.text(
            column, row, f"{value:.2f}", ha="center", va="center", fontsize=size - 1, color=PAPER if strong else INK
        )
    bar = figure.colorbar(image, ax=axes, fraction=0.025, pad=0.01, ticks=[-1, -0.5, 0, 0.5, 1])
    bar.outline.set_visible(False)
    bar.ax.tick_params(length=0, labelsize=SMALL, labelcolor=QUIET)


def _title(names: list[str], r: NDArray[np.float64]) -> str:
    above = np.triu(np.abs(np.nan_to_num(r)), k=1)
    close = np.argwhere(above >= HIGH_CORRELATION)
    if not len(close):
        one, other = (int(position) for position in np.unravel_index(int(above.argmax()), above.shape))
        return f"No two measures say the same; closest are {names[one]} and {names[other]} (r = {r[one, other]:.2f})"
    pairs = sorted(((one, other) for one, other in close.tolist()), key=lambda pair: -above[pair])
    return f"Nearly the same: {listed([f'{names[one]} and {names[other]}' for one, other in pairs], last='as well as')}"
