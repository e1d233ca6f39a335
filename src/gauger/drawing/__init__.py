"""Every figure, one function a figure: each takes a result and returns a Matplotlib Figure."""

from gauger.drawing.boxes import segment_boxes
from gauger.drawing.bubbles import profile_bubbles
from gauger.drawing.comparisons import side_by_side
from gauger.drawing.components import component_scatter
from gauger.drawing.correlations import correlations
from gauger.drawing.counts import count_study
from gauger.drawing.dendrograms import dendrogram
from gauger.drawing.distributions import distributions, treatments
from gauger.drawing.feature_trees import feature_tree
from gauger.drawing.flows import flow, migration_flow
from gauger.drawing.heats import profile_heat
from gauger.drawing.jumps import merge_jumps
from gauger.drawing.levels import density_levels
from gauger.drawing.lines import profile_lines
from gauger.drawing.maps import segment_map
from gauger.drawing.outcomes import campaign_outcome
from gauger.drawing.pairs import pair_grid
from gauger.drawing.profiles import profile_bars
from gauger.drawing.radii import neighbour_distances, radius_study
from gauger.drawing.rounds import round_history
from gauger.drawing.scatters import scatter
from gauger.drawing.series import series_panels
from gauger.drawing.shares import category_shares
from gauger.drawing.silhouettes import silhouette_beside, silhouette_diagrams
from gauger.drawing.splits import segment_splits
from gauger.drawing.spreads import segment_spread
from gauger.drawing.tree_studies import linkage_study, metric_study

__all__ = [
    "campaign_outcome",
    "category_shares",
    "component_scatter",
    "correlations",
    "count_study",
    "dendrogram",
    "density_levels",
    "distributions",
    "feature_tree",
    "flow",
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
    "round_history",
    "scatter",
    "segment_boxes",
    "segment_map",
    "segment_splits",
    "segment_spread",
    "series_panels",
    "side_by_side",
    "silhouette_beside",
    "silhouette_diagrams",
    "treatments",
]
