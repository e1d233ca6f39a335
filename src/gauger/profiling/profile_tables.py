"""The tables of a profile: all that was found out about each segment."""

from collections.abc import Mapping
from dataclasses import dataclass, field, fields

import pandas as pd

from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.wording import CUSTOMER, Noun, percent, plural

FEWEST_SHARED = 30
"""Customers whose value is known, below whom a level is counted and not given as a share: a share of fewer has an
interval wider than 35 points (Newcombe 1998)."""

_OF_SOME = ("overlap", "dates", "differences")
"""Tables that only some profiles have: without columns they are not written."""


@dataclass(frozen=True, repr=False, eq=False)
class ProfileTables(Readable):
    """The tables of a `Profile`, which tells what each of them holds."""

    sizes: pd.DataFrame
    means: pd.DataFrame
    medians: pd.DataFrame
    lower_quartiles: pd.DataFrame
    upper_quartiles: pd.DataFrame
    standard_deviations: pd.DataFrame
    index: pd.DataFrame
    differences: pd.DataFrame
    scores: pd.DataFrame
    measures: pd.DataFrame
    categories: pd.DataFrame
    category_index: pd.DataFrame
    known: pd.DataFrame
    drivers: pd.DataFrame
    associations: pd.DataFrame
    rules: pd.DataFrame
    overlap: pd.DataFrame
    dates: pd.DataFrame
    exemplars: pd.DataFrame
    suggested_names: Mapping[int, str] = field(default_factory=dict)
    ordered: Mapping[str, str] = field(default_factory=dict)
    remarks: tuple[Remark, ...] = ()
    noun: Noun = CUSTOMER

    @property
    def numbers(self) -> list[int]:
        """The segments' numbers."""
        return [row for row in self.sizes.index if isinstance(row, int)]

    def name_of(self, row: object) -> str:
        """Give what a row of the tables is called.

        Parameters
        ----------
        row : int or str
            A segment's number, "unassigned" or "everyone".

        Returns
        -------
        str
            The segment's name, or the same word.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 9, 11]})
        >>> gauger.profile(gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)).name_of(2)
        'segment 2'
        """
        return str(self.sizes["name"].to_dict()[row])

    def share_in_words(self, column: str, level: str, row: object) -> str:
        """Give a share of those whose level is known: a percentage, or of fewer than 30 a count.

        Parameters
        ----------
        column, level : str
            The category and its level.
        row : int or str
            A segment's number, "unassigned" or "everyone".

        Returns
        -------
        str
            Such as "38%", or "6 of 16".

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 9, 11], "kind": ["x", "x", "y", "x"]})
        >>> features = gauger.prepare(table, key="who", features=["visits"])
        >>> found = gauger.profile(gauger.segment_by_kmeans(features, 2), table)
        >>> found.share_in_words("kind", "x", 2)
        '2 of 2'
        """
        known = int(self.known.loc[[column]].iloc[0].to_dict()[row])
        share = float(self.categories.loc[[(column, level)]].iloc[0].to_dict()[row])
        if known < FEWEST_SHARED:
            return f"{round(share * known) if known else 0} of {known}"
        return percent(share)

    @property
    def typical(self) -> pd.DataFrame:
        """The median of each measure with a long tail, the mean of the others: a column a measure."""
        leads = self.measures["leads"]
        return pd.DataFrame(
            {name: (self.medians if leads[name] == "median" else self.means)[name] for name in self.means.columns}
        )

    @property
    def tables(self) -> dict[str, pd.DataFrame]:
        """All tables by name, with their rows' names in the first columns, ready to be written.

        Overlap, exemplars and dates are among them where there are any.
        """
        parts = {part.name: getattr(self, part.name) for part in fields(ProfileTables) if part.type is pd.DataFrame}
        exemplars = parts.pop("exemplars")
        found = {
            name: part.rename(columns=str).reset_index()
            for name, part in parts.items()
            if name not in _OF_SOME or part.shape[1]
        }
        names = pd.Series(dict(self.suggested_names), name="suggested_name").rename_axis("segment")
        found |= {"exemplars": exemplars} if len(exemplars) else {}
        return {**found, "names": names.reset_index()}

    def headline(self) -> str:
        customers = self.sizes["customers"].iloc[-1]
        count = len(self.numbers)
        return f"{count} {plural(count, 'segment')} of {self.noun.counted(int(customers))}"

    def overview(self) -> pd.DataFrame:
        return self.sizes.join(self.typical)
