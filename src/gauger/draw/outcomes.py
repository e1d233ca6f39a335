"""What came of a campaign: the uplift of each segment with its interval."""

import numpy as np
from matplotlib.figure import Figure

from gauger.appearance import FAINT, INK, QUIET, segment_colour, segment_marker
from gauger.campaigns import HELPED, TOO_SMALL, Outcome
from gauger.draw.figure_typeface import LABEL
from gauger.draw.labels import short_name
from gauger.draw.style import dress, new_figure


def campaign_outcome(outcome: Outcome) -> Figure:
    """Draw the response by arm (left) and the uplift with its 95 % interval (right), by segment and for all.

    Segments that are too small to say are grey.

    Parameters
    ----------
    outcome : Outcome
        What came of the campaign.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> who = pd.DataFrame({"who": range(400), "segment": 1})
    >>> contacts = pd.DataFrame({"who": range(400), "email": [f"m{one}@example.org" for one in range(400)]})
    >>> with tempfile.TemporaryDirectory() as place:
    ...     made = gauger.hand_off(who, contacts, f"{place}/spring", campaign="spring", consent=None, holdout=0.5)
    ...     outcome = gauger.measure(made.folder, pd.DataFrame({"who": range(100), "responded": 1}))
    >>> gauger.draw.campaign_outcome(outcome).get_suptitle()
    'spring: of no segment can it be said whether the campaign did anything'
    """
    table = outcome.table
    figure = new_figure(
        _title(outcome),
        "Lines: intervals of the difference (Newcombe), 95 % over all segments together. Grey: too small to say.",
        form=(
            "A row a segment: the response of those contacted and of those held out, and the interval of "
            "their difference."
        ),
    )
    left, right = figure.subplots(1, 2, sharey=True, width_ratios=[1, 1])
    positions = np.arange(len(table))
    for position, (label, row) in enumerate(zip(table.index, table.to_dict("records"), strict=True)):
        number = label if isinstance(label, (int, np.integer)) else 0
        colour = QUIET if row["reading"] == TOO_SMALL else segment_colour(int(number)) if number else INK
        both = [100.0 * row["holdout_response"], 100.0 * row["response"]]
        left.plot(both, [position, position], color=FAINT, linewidth=6.0, zorder=1)
        left.scatter(both[0], position, s=70, facecolor="white", edgecolor=colour, linewidth=1.8, zorder=2)
        left.scatter(
            both[1], position, s=80, color=colour, marker=segment_marker(int(number)) if number else "o", zorder=3
        )
        right.plot([100.0 * row["low"], 100.0 * row["high"]], [position, position], color=colour, linewidth=2.6)
        right.scatter(100.0 * row["uplift"], position, s=80, color=colour, zorder=3)
        told = "too small to say" if row["reading"] == TOO_SMALL else f"{100.0 * row['uplift']:+.1f}"
        right.annotate(
            told,
            (100.0 * row["uplift"], position),
            xytext=(0, 9),
            textcoords="offset points",
            ha="center",
            fontsize=LABEL,
            color=INK,
        )
    names = [
        f"{short_name(row['name'])}\n{row['contacted']:,} and {row['holdout']:,}" for row in table.to_dict("records")
    ]
    dress(left, title="Response in %: filled contacted, hollow held out", x="%")
    dress(right, title="Uplift in percentage points", x="points")
    left.set_yticks(positions, names)
    left.tick_params(axis="y", length=0)
    left.set_ylim(len(table) - 0.5, -0.6)
    left.set_xlim(left=0.0)
    right.axvline(0.0, color=QUIET, linewidth=1.2, linestyle=(0, (4, 3)), zorder=0)
    right.margins(x=0.12)
    return figure


def _title(outcome: Outcome) -> str:
    table = outcome.table.drop(index="all")
    found = table[table["reading"] == HELPED]
    if found.empty:
        return f"{outcome.campaign}: {outcome.effect}"
    row = max(found.to_dict("records"), key=lambda one: float(one["uplift"]))
    others = f", and {len(found) - 1} more" if len(found) > 1 else ""
    return f"{outcome.campaign}: {100.0 * row['uplift']:+.1f} points in {short_name(row['name'])}{others}"
