"""Merge trees and series"""

import gauger

weekly = gauger.read_table(gauger.demo_file("weekly_admissions.csv"))
series = gauger.pivot_series(weekly, entity="house", period="week", value="admissions", missing="interpolate")
houses = gauger.prepare(series, key="house", scale="none")
tree = gauger.build_tree(houses, linkage="average", metric="dtw_zscored", optimal_order=True)
# %% dendrogram
gauger.draw.dendrogram(tree, count=3)
# %% merge_jumps
gauger.draw.merge_jumps(tree)
# %% series_panels
gauger.draw.series_panels(tree.cut(count=3), relative=True)
# %% feature_tree
visits = gauger.read_table(gauger.demo_file("visits.csv"))
behaviour = gauger.summarise_events(
    visits, customer="member_id", when="visited_on", amount="ticket_spend", quantity="seats", event_key="visit_id"
)
measures = ["recency_days", "visits", "active_days", "spend_total", "spend_mean", "seats_total", "seats_mean"]
gauger.draw.feature_tree(
    gauger.build_tree(gauger.prepare(behaviour, key="member_id", features=measures), of="features")
)
# %% linkage_study
gauger.draw.linkage_study(gauger.study_linkages(houses, metric="dtw_zscored"))
# %% metric_study
metrics = ["euclidean", "dtw", "dtw_zscored", "lagged_correlation"]
gauger.draw.metric_study(gauger.study_metrics(houses, metrics=metrics))
