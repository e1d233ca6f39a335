"""What is read from a segmentation: profiles, drivers, comparisons, names, rules, and who is in a segment."""

from gauger.profiling.assembling import ProfileFacts, assembled
from gauger.profiling.assignment_files import checked_assignments, segmentation_from_assignments
from gauger.profiling.closeness import lies_around_centres, looks_mixed, sample_of, share_placed
from gauger.profiling.comparison import Comparison, compare
from gauger.profiling.components import Components, components_of
from gauger.profiling.describing_segments import profile, profile_assignments
from gauger.profiling.drivers import CIRCULAR
from gauger.profiling.level_tables import OTHER_LEVELS, Levels, levels_of_counts
from gauger.profiling.matching import about_left_aside, matched_table
from gauger.profiling.member_search import members
from gauger.profiling.profile_tables import FEWEST_SHARED
from gauger.profiling.profiles import Profile
from gauger.profiling.series_patterns import pattern_of
from gauger.profiling.summaries import LOPSIDED, MeasureSummary
from gauger.profiling.telling import (
    OwnMeasure,
    mixed_up_with,
    numbered_name,
    own_levels,
    own_measures,
    own_rule,
    shares_in_words,
    what_it_is_called,
)
from gauger.segmentation import EVERYONE

__all__ = [
    "CIRCULAR",
    "EVERYONE",
    "FEWEST_SHARED",
    "LOPSIDED",
    "OTHER_LEVELS",
    "Comparison",
    "Components",
    "Levels",
    "MeasureSummary",
    "OwnMeasure",
    "Profile",
    "ProfileFacts",
    "about_left_aside",
    "assembled",
    "checked_assignments",
    "compare",
    "components_of",
    "levels_of_counts",
    "lies_around_centres",
    "looks_mixed",
    "matched_table",
    "members",
    "mixed_up_with",
    "numbered_name",
    "own_levels",
    "own_measures",
    "own_rule",
    "pattern_of",
    "profile",
    "profile_assignments",
    "sample_of",
    "segmentation_from_assignments",
    "share_placed",
    "shares_in_words",
    "what_it_is_called",
]
