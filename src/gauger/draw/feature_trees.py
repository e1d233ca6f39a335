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
    """Features that say the same as one branch, and beside it how each two correlate.

    Similarity is in percent; `count` or `height` colour the groups that a cut leaves. Raises SettingError for a tree of
    customers, for more than 60 features, and for a cut that the tree does not have.
    """
    if tree.of != "features":
        raise SettingError("this figure is of features: build the tree with of='features', or draw the dendrogram.")
    if tree.leaves > MOST_LEAVES:
        raise SettingError(f"at most {MOST_LEAVES} features can be drawn, not {tree.leaves}: choose some.")
    view = view_of(tree, count=count, height=height)
    figure = new_figure(
        what_repeats(tree), "Pearson's r. Features that are joined at 90 % or more say nearly the same."
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
