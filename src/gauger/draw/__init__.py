"""Every figure, one function a figure: each takes a result and returns a Matplotlib Figure."""

from gauger.draw.boxes import segment_boxes
from gauger.draw.bubbles import profile_bubbles
from gauger.draw.comparisons import side_by_side
from gauger.draw.component_plane import component_scatter
from gauger.draw.correlation_heat import correlations
from gauger.draw.count_figure import count_study
from gauger.draw.dendrograms import dendrogram
from gauger.draw.density_levels_figure import density_levels
from gauger.draw.feature_trees import feature_tree
from gauger.draw.figures_in_words import describe
from gauger.draw.flows import flow, migration_flow
from gauger.draw.heats import profile_heat
from gauger.draw.histograms import distributions, treatments
from gauger.draw.iterations import iteration_history
from gauger.draw.jumps import merge_jumps
from gauger.draw.lines import profile_lines
from gauger.draw.maps import segment_map
from gauger.draw.outcomes import campaign_outcome
from gauger.draw.pairs import pair_grid
from gauger.draw.profile_bars_figure import profile_bars
from gauger.draw.radius_figure import neighbour_distances, radius_study
from gauger.draw.scatters import scatter
from gauger.draw.series_figure import series_panels
from gauger.draw.shares import category_shares
from gauger.draw.silhouette_figures import silhouette_diagrams, silhouettes_and_scatter
from gauger.draw.splits import segment_splits
from gauger.draw.spreads import segment_spread
from gauger.draw.tree_studies import linkage_study, metric_study

__all__ = [
    "campaign_outcome",
    "category_shares",
    "component_scatter",
    "correlations",
    "count_study",
    "dendrogram",
    "density_levels",
    "describe",
    "distributions",
    "feature_tree",
    "flow",
    "iteration_history",
    "linkage_study",
    "merge_jumps",
    "metric_study",
    "migration_flow",
    "neighbour_distances",
    "pair_grid",
    "profile_bars",
    "profile_bubbles",
    "profile_heat",
    "profile_lines",
    "radius_study",
    "scatter",
    "segment_boxes",
    "segment_map",
    "segment_splits",
    "segment_spread",
    "series_panels",
    "side_by_side",
    "silhouette_diagrams",
    "silhouettes_and_scatter",
    "treatments",
]
