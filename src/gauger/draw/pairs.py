"""Every pair of up to five features, in one grid."""

from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.ticker import MaxNLocator

from gauger.appearance import INK, segment_colour, segment_marker
from gauger.draw.curves import curve_of, even_steps, follow
from gauger.draw.figure_typeface import LABEL
from gauger.draw.labels import short_name, wrapped
from gauger.draw.planes import MOST_NAMED, draw_plane, frame_of, note_on_names, plane_of
from gauger.draw.style import dress, new_figure
from gauger.errors import SettingError, UnknownColumnError
from gauger.profiling import lies_around_centres, share_placed
from gauger.segmentation import Segmentation

MOST_FEATURES = 5
"""Features whose pairs can be read."""

_BINS = 36
"""Bins of a panel: by eye."""

_KEY_WIDTH = 135
"""Letters of a line of the key."""


def pair_grid(seg: Segmentation, features: Sequence[str] | None = None) -> Figure:
    """Draw customers over each pair of features, each feature by segment, and what a pair tells.

    Below the diagonal customers, on it each feature by segment, above it the share of customers whose nearest centre,
    by these two features alone, is their own.

    Parameters
    ----------
    seg : Segmentation
        The segments.
    features : sequence of str, optional
        At most five; by default those that tell segments apart best.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    UnknownColumnError
        For a feature that the segmentation does not have.
    SettingError
        For one feature, or more than five.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> seg = gauger.segment_by_kmeans(features, 3)
    >>> gauger.draw.pair_grid(seg).get_suptitle()
    'No pair tells more than visits and spend: 100% placed, 100% by all features'
    """
    seg = seg.sample
    names = list(seg.features.names)
    if features is None:
        order = np.argsort(-seg.explained_by_feature.to_numpy(), kind="stable")[:MOST_FEATURES]
        shown = [names[position] for position in sorted(order)]
    else:
        shown = list(dict.fromkeys(features))
    if not set(shown) <= set(names):
        raise UnknownColumnError.among(shown, names)
    if not 1 < len(shown) <= MOST_FEATURES:
        raise SettingError(f"a grid of pairs needs two to {MOST_FEATURES} features; these are {len(shown)}.")
    around = bool(seg.count) and lies_around_centres(seg)
    left_out = len(names) - len(shown) if features is None else 0
    notes = [note_on_names(seg.count), f"{left_out} more features tell segments apart less." if left_out else ""]
    if around and seg.count > 1:
        notes.insert(0, f"Above: {seg.noun.many} that have their own centre nearest by these two features.")
    figure = new_figure(
        _title(seg, shown, around=around),
        " ".join(filter(None, notes)),
        form=(
            "A grid of clouds of points, one for each pair of features, colour and shape by segment; on the "
            "diagonal each feature by itself."
        ),
    )
    key_lines = -(-min(seg.count, MOST_NAMED) // _key_columns(seg))
    layout = figure.add_gridspec(
        len(shown) + 1, len(shown), height_ratios=[*[1.0] * len(shown), 0.05 * len(shown) * key_lines]
    )
    for row, up in enumerate(shown):
        for column, across in enumerate(shown):
            axes = figure.add_subplot(layout[row, column])
            if row > column:
                draw_plane(axes, plane_of(seg, across, up), seg, scale=0.4)
            elif row == column:
                _by_segment(axes, seg, up)
            else:
                _placed(axes, seg, (across, up), around=around)
            _only_outer_names(axes, across if row == len(shown) - 1 else "", up if column == 0 and row else "")
    _name_markers(figure.add_subplot(layout[len(shown), :]), seg)
    return figure


def _by_segment(axes: Axes, seg: Segmentation, feature: str) -> None:
    """How many customers of each segment have how much of a feature, as steps."""
    values = seg.features.original[feature].to_numpy(dtype=np.float64)
    curve = curve_of(seg.features, feature)
    low, high = frame_of(values, curve)
    edges = even_steps(curve, (low, high), _BINS)
    for number in seg.numbers[:MOST_NAMED].tolist():
        counts, _ = np.histogram(values[seg.codes == number], bins=edges)
        colour = segment_colour(number)
        axes.stairs(counts / max(counts.max(), 1), edges, color=colour, linewidth=1.4)
        axes.stairs(counts / max(counts.max(), 1), edges, color=colour, fill=True, alpha=0.12)
    dress(axes, title=feature)
    follow(axes, "x", curve, (low, high))
    axes.set_xlim(low, high)
    axes.set_ylim(0.0, 1.08)
    axes.set_yticks([])


def _placed(axes: Axes, seg: Segmentation, names: tuple[str, str], *, around: bool) -> None:
    axes.set_axis_off()
    if around and seg.count > 1:
        share = np.floor(100.0 * share_placed(seg, *names))
        axes.text(0.5, 0.5, f"{share:.0f}%", ha="center", va="center", fontsize=15, color=INK, transform=axes.transAxes)


def _only_outer_names(axes: Axes, x: str, y: str) -> None:
    axes.set_xlabel(x, fontsize=LABEL)
    axes.set_ylabel(wrapped(y, 10), fontsize=LABEL)
    axes.tick_params(labelsize=8, labelbottom=bool(x), labelleft=bool(y))
    if isinstance(axes.xaxis.get_major_locator(), MaxNLocator):
        axes.locator_params(nbins=4, axis="x")


def _name_markers(axes: Axes, seg: Segmentation) -> None:
    """The segments' markers with their names, in as few rows as it takes."""
    looks = [
        Line2D([], [], linestyle="none", marker=segment_marker(number), color=segment_colour(number), markersize=9)
        for number in seg.numbers[:MOST_NAMED]
    ]
    names = [short_name(seg.names[number]) for number in seg.numbers[:MOST_NAMED]]
    axes.set_axis_off()
    axes.legend(
        looks,
        names,
        loc="center left",
        borderpad=0.0,
        ncols=_key_columns(seg),
        frameon=False,
        fontsize=LABEL,
        labelcolor=INK,
        handletextpad=0.2,
    )


def _key_columns(seg: Segmentation) -> int:
    """How many names stand beside each other."""
    longest = max((len(short_name(seg.names[number])) for number in seg.numbers[:MOST_NAMED]), default=1)
    return max(1, min(seg.count, _KEY_WIDTH // (longest + 6)))


def _title(seg: Segmentation, shown: Sequence[str], *, around: bool) -> str:
    if seg.count < 2 or not around:
        return f"{len(shown)} features, pair by pair"
    pairs = [(one, two) for position, one in enumerate(shown) for two in shown[:position]]
    best = max(pairs, key=lambda pair: share_placed(seg, *pair))
    share = np.floor(100.0 * share_placed(seg, *best))
    everywhere = np.floor(100.0 * share_placed(seg))
    return f"No pair tells more than {best[1]} and {best[0]}: {share:.0f}% placed, {everywhere:.0f}% by all features"
