"""Odd shapes: where the printed programme goes, by k-means and by density on the same map, with the radius study.

Run it as it stands: python examples/odd_shapes.py [folder]
"""

import sys
from pathlib import Path

import gauger

folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path("odd-shapes")
folder.mkdir(exist_ok=True)

# Homes on a map: an old town inside a ring of estates, houses around a lake, terraces along a tram line, and farms.
# scale="none": both features are in km, and a km counts alike both ways.
homes = gauger.read_table(gauger.demo_file("homes.csv"))
places = gauger.prepare(homes, key="home_id", features=["east_km", "north_km"], scale="none")

# The count study is sure of four segments, but it also remarks that k-means cannot follow their shape.
count = gauger.study_counts(places)
print(count.advice)
print(*(f"remark: {remark}" for remark in count.remarks), sep="\n")
by_kmeans = gauger.segment_by_kmeans(places, count.advice.count)

# Density needs a radius. The study tries a dozen, and looks for the stretch over which the answer stays the same.
study = gauger.study_radius(places)
print(f"\n{study}\n{study.advice}")
gauger.draw.neighbour_distances(study).savefig(folder / "neighbours.png")
gauger.draw.radius_study(study).savefig(folder / "radii.png")
by_density = gauger.segment_by_density(places, study.advice.radius)
print(f"\n{by_density}")

# One knob for those who would rather not think in distances: 0 for many small segments, 1 for few large ones.
for coarseness in (0.0, 0.5, 1.0):
    radius = study.radius_for(coarseness)
    row = study.table.loc[radius]
    print(f"coarseness {coarseness}: radius {radius:.2f}, {row['segments']:.0f} segments", end=", ")
    print(f"{row['unassigned_share']:.1%} of the homes in none")

# Side by side: k-means puts old town and ring road together, and cuts the tram line in two.
comparison = gauger.compare(by_kmeans, by_density)
print(f"\n{comparison}")
gauger.draw.side_by_side(comparison).savefig(folder / "side-by-side.png")

# Density levels need no radius, only the smallest segment worth a campaign. The strength says how firmly a home
# belongs to its segment, the outlier score how far off it is.
by_levels = gauger.segment_by_density_levels(places, 50)
gauger.draw.density_levels(by_levels).savefig(folder / "levels.png")
farthest_off = by_levels.assignments.nlargest(3, "outlier_score")
gauger.draw.scatter(by_levels, outline="hull", label=farthest_off["home_id"].tolist()).savefig(folder / "homes.png")
print(f"\n{by_levels}")
print(farthest_off[["home_id", "outlier_score", "nearest_segment", "nearest_distance"]].to_string(index=False))

# Homes in no segment can still get the programme with that of the nearest: its number stands beside them.
gauger.write_table(by_density.assignments, folder / "assignments.csv")
