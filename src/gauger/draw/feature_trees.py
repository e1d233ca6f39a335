"""The tree of features beside the heat map of their correlations, in the same order."""

from matplotlib.figure import Figure

from gauger.algorithms.statistics import correlation_matrix
from gauger.clustering import MergeTree
from gauger.draw.correlation_heat import heat_map
from gauger.draw.dendrograms import draw_tree, height_axis, what_repeats
from gauger.draw.style import dress, new_figure
from gauger.draw.tree_view import MOST_LEAVES, view_of
from gauger.errors import SettingError


def feature_tree(tree: MergeTree, *, count: int | None = None, height: float | None = None) -> Figure:
    """Draw features that say the same as one branch, and beside it how each two correlate.

    Similarity is in percent.

    Parameters
    ----------
    tree : MergeTree
        Of features.
    count : int, optional
        Colour the groups of this many.
    height : float, optional
        Or those that a cut at this height leaves.

    Returns
    -------
    matplotlib.figure.Figure
        1280 x 800 pixels; the title states the finding.

    Raises
    ------
    SettingError
        For a tree of customers, for more than 60 features, and for a cut that the tree does not have.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": range(12), "visits": [1, 2, 3, 2, 21, 22, 23, 22, 41, 42, 43, 42]})
    >>> table["spend"] = [5, 6, 5, 7, 8, 9, 8, 9, 30, 31, 33, 32]
    >>> features = gauger.prepare(table, key="who", features=["visits", "spend"])
    >>> tree = gauger.build_tree(features, of="features")
    >>> gauger.draw.feature_tree(tree).get_suptitle()
    'Nearly the same: visits and spend (r up to 0.91)'
    """
    if tree.of != "features":
        raise SettingError("this figure is of features: build the tree with of='features', or draw the dendrogram.")
    if tree.leaves > MOST_LEAVES:
        raise SettingError(f"at most {MOST_LEAVES} features can be drawn, not {tree.leaves}: choose some.")
    view = view_of(tree, count=count, height=height)
    figure = new_figure(
        what_repeats(tree),
        "Pearson's r. Features that are joined at 90 % or more say nearly the same.",
        form="A tree of features: those that tell the same join at the bottom, the others higher up.",
    )
    left, right = figure.subplots(1, 2, width_ratios=(1.0, 1.7))
    draw_tree(left, view, upright=False)
    dress(left)
    left.grid(visible=False, axis="y")
    left.set_yticks([])
    left.spines["left"].set_visible(False)
    left.invert_xaxis()
    height_axis(left, tree, upright=False)
    order = tree.leaf_order
    names = [str(tree.leaf_names[leaf]) for leaf in order]
    heat_map(figure, right, names, correlation_matrix(tree.features.values[:, order]))
    left.set_ylim(len(names) - 0.5, -0.5)
    return figure
