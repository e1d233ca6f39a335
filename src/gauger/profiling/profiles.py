"""Profile: who is in each segment, what sets it apart, and how firmly it stands."""

from dataclasses import dataclass

from gauger.profiling.narrative import narrative
from gauger.profiling.profile_tables import ProfileTables


@dataclass(frozen=True, repr=False, eq=False)
class Profile(ProfileTables):
    """Who is in each segment. Tables by segment have a row a number, "unassigned" where there are any, and "everyone".

    Attributes
    ----------
    sizes : pandas.DataFrame
        name, customers and share, and for each total its share ("share_of_spend_total").
    means, medians, lower_quartiles, upper_quartiles, standard_deviations : pandas.DataFrame
        A column a measure, in original units.
    index : pandas.DataFrame
        The segment's mean against everyone's, everyone = 100; only where everyone's mean stands clear of zero.
    differences : pandas.DataFrame
        The segment's mean less everyone's, for the measures that have no index, such as trends and balances.
    scores : pandas.DataFrame
        How far the segment is from the rest, in standard deviations (0.2 is little, 0.8 much); of measures with a long
        tail by ranks.
    dates : pandas.DataFrame
        Median days.
    measures : pandas.DataFrame
        A row a measure: used (whether segments were built on it), skew, missing, leads ("median" for a long tail, else
        "mean") and why. `.typical` is that figure of each.
    categories, category_index : pandas.DataFrame
        The share of the segment (columns) with each level (rows: column, level), among those with a value; of many
        levels the most over-represented. The same against everyone, everyone = 100.
    known : pandas.DataFrame
        How many customers have a value, by category: what shares are of. `share_in_words` gives none of fewer than 30.
    drivers, associations : pandas.DataFrame
        What sets segments apart, the strongest first: effect, F, p, eta_squared, and by ranks rank_h, rank_p,
        rank_eta_squared; of categories cramers_v (0 to 1), chi_square and p. used says whether segments were built on
        it, p_adjusted is corrected for how many were tested (Holm).
    rules : pandas.DataFrame
        rule, matching, share_of_segment and share_of_matching: a short rule that finds the segment.
    overlap : pandas.DataFrame
        nearest, near_share, stability, stability_error, dissolved, resamples; empty where features are not known.
    exemplars : pandas.DataFrame
        The most and the least typical customers; empty where features are not known.
    suggested_names : mapping
        A plain name for each number, for `seg.rename(…)`.
    ordered : mapping
        The categories whose levels stand in an order, and where that is from: "given", "numbers" (in their names) or
        "steps".
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    profile, profile_assignments : Make one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 9, 11]})
    >>> found = gauger.profile(gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2))
    >>> found.sizes["customers"].to_dict(), found.typical["visits"].tolist()
    ({1: 2, 2: 2, 'everyone': 4}, [2.0, 10.0, 6.0])
    """

    def in_words(self, number: int) -> str:
        """Tell a segment in a few sentences: its name and size, what is typical of it against everyone, and a rule.

        Parameters
        ----------
        number : int
            The segment.

        Returns
        -------
        str
            The sentences.

        Raises
        ------
        SettingError
            For a segment that does not exist.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 9, 11]})
        >>> found = gauger.profile(gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2))
        >>> found.in_words(2).split(". ")[0]
        'segment 2: 2 customers, 50% of all'
        """
        return narrative(self, number)
