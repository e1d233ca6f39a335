"""Density"""

import gauger

homes = gauger.read_table(gauger.demo_file("homes.csv"))
places = gauger.prepare(homes, key="home_id", features=["east_km", "north_km"], scale="none")
study = gauger.study_radius(places)
# %% neighbour_distances
gauger.draw.neighbour_distances(study)
# %% radius_study
gauger.draw.radius_study(study)
# %% density_levels
gauger.draw.density_levels(gauger.segment_by_density_levels(places))
