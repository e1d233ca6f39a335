"""Measures that repeat: a tree of features shows which of them say the same and would count twice.

Run it as it stands: python examples/measures_that_repeat.py [folder]
"""

import sys
from pathlib import Path

import gauger

folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path("measures-that-repeat")
folder.mkdir(exist_ok=True)

visits = gauger.read_table(gauger.demo_file("visits.csv"))
behaviour = gauger.summarise_events(
    visits,
    customer="member_id",
    when="visited_on",
    amount="ticket_spend",
    quantity="seats",
    event_key="visit_id",
)
features = gauger.prepare(behaviour, key="member_id", transform="signed_log")

# 1 - |r|: a measure and its opposite say the same.
tree = gauger.build_tree(features, of="features", metric="absolute_correlation", optimal_order=True)
print(tree)
groups = tree.groups(height=0.1)
print(groups.to_string())
gauger.draw.feature_tree(tree, height=0.1).savefig(folder / "measures.png")

# One of each group is enough: the first by name in the table.
kept = groups[~groups.duplicated()].index.tolist()
print(f"kept {len(kept)} of {len(groups)}: {', '.join(kept)}")
lean = gauger.prepare(behaviour, key="member_id", features=kept, transform="signed_log")
for several in (features, lean):
    cut = gauger.build_tree(several).cut(count=6)
    print(f"{len(several.names)} features: segments of {', '.join(map(str, cut.sizes))}")

# A cut is a place for k-means to start from: the remark tells how many customers it moves.
cut = gauger.build_tree(lean).cut(count=6)
segments = gauger.segment_by_kmeans(lean, 6, seeding=cut)
print(*segments.remarks, sep="\n")
gauger.draw.dendrogram(gauger.build_tree(lean), count=6, also=9).savefig(folder / "members.png")
