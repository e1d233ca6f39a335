"""Profile: who is in each segment, what sets it apart, and how firmly it stands."""

from dataclasses import dataclass

from gauger.profiling.narrative import narrative
from gauger.profiling.profile_tables import ProfileTables


@dataclass(frozen=True, repr=False, eq=False)
class Profile(ProfileTables):
    """Who is in each segment. Tables by segment have a row a number, "unassigned" where there are any, "everyone".

    - `.sizes`: name, customers and share, and for each total its share ("share_of_spend_total").
    - `.means`, `.medians`, `.lower_quartiles`, `.upper_quartiles` and `.standard_deviations` (standard deviations): a
      column a measure, in original units. `.index`: the segment's mean against everyone's, everyone = 100 (NaN where
      everyone's mean is not positive). `.scores`: how far the segment is from the rest, in standard deviations (0.2 is
      little, 0.8 much); of measures with a long tail by ranks. `.dates`: median days.
    - `.measures`: a row a measure: used (whether segments were built on it), skew, missing, leads ("median" for a long
      tail, else "mean") and why. `.typical` is that figure of each.
    - `.categories`: share of the segment (columns) with each level (rows: column, level), among those with a value; of
      many levels the most over-represented. `.category_index`: the same against everyone, everyone = 100.
    - `.drivers`: what sets segments apart, the strongest first, as `drivers_of` tells; `.associations` of categories.
    - `.rules`: rule, matching, share_of_segment and share_of_matching: a short rule that finds the segment.
    - `.overlap`: nearest, near_share, stability, dissolved, resamples. `.exemplars`: the most and least typical. Both
      are empty for assignments whose features are not known.
    - `.suggested_names`: a plain name for each number, for `seg.rename(…)`.
    """

    def in_words(self, number: int) -> str:
        """A segment in a few sentences: its name and size, what is typical of it against everyone, and a rule.

        Raises SettingError for a segment that does not exist.
        """
        return narrative(self, number)
