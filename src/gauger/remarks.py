"""Cautions that travel with a result: true, worth knowing, and not an error."""

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, replace
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import pandas as pd

REMARK_CODES = tuple(
    """
    after-as-of bad-lines-skipped beyond-treatment code-as-measure columns-left-out composite condensed constant
    correlated criteria-sampled customers-changed customers-left-out customers-not-in-table
    customers-not-segmented customers-of-one-side customers-of-one-time customers-unknown dates-as-text
    dense-by-copies dissolving encoding-guessed event-key-days event-key-missing event-key-shared
    extreme-customers far-customers few-customers few-for-drift fewer-bands filter-would-do future-dates
    half-precision header-missing heavy-tail holdout-too-small identifier infinite-left-out inverted-merges
    key-repeats large-matrix last-day-short leak learned-on-sample left-unassigned lines-added-up many-bands
    many-features many-unassigned metrics-left-out missing missing-together mixed-in-two moved-since-seeding
    names-not-placed near-constant nearly-numbers nested-left-out new-levels no-dense-groups no-events no-model
    nobody-dense not-converged not-in-contacts not-round one-holds-most one-large-segment other-sheets
    outcomes-of-others outside-learned-range overlapping periods-missing periods-scaled radius-at-edge
    raw-scales repeated-events repeated-rows repeats-dropped rule-misses sample-of-all segments-matched sentinel
    shared-moments significance silhouette-sampled single-levels small-dense-segments source-changed
    suppression-read tied-merges tiny-segment too-small-to-say top-level unassigned-on-one-side unequal-lengths
    unit-changed validity-sampled zero-for-missing
    """.split()
)
"""Every code that a remark of ours has."""


@dataclass(frozen=True)
class Remark:
    """One caution: true, worth knowing, and not an error.

    Parameters
    ----------
    code : str
        What scripts know it by; it stays the same.
    text : str
        What people read.
    features : tuple of str
        The features it speaks of.
    segments : tuple of int
        The segments it speaks of.
    who : tuple of str
        The parts of the text that name customers by their keys; `anonymous` leaves them out.

    Examples
    --------
    >>> import gauger
    >>> print(gauger.Remark("tiny-segment", "segment 3 has 1 customer", segments=(3,)))
    segment 3 has 1 customer [tiny-segment]
    """

    code: str
    text: str
    features: tuple[str, ...] = ()
    segments: tuple[int, ...] = ()
    who: tuple[str, ...] = ()

    @property
    def anonymous(self) -> "Remark":
        """The same without the keys of customers."""
        text = self.text
        for part in self.who:
            text = text.replace(f" ({part})", "")
        return replace(self, text=text, who=())

    def __str__(self) -> str:
        return f"{self.text} [{self.code}]"


def attach_remarks(table: "pd.DataFrame", remarks: Iterable[Remark]) -> None:
    """Keep remarks with a DataFrame that Gauger made, as plain data in `table.attrs["remarks"]`."""
    table.attrs["remarks"] = [asdict(remark) for remark in remarks]


def remarks_of(table: "pd.DataFrame") -> tuple[Remark, ...]:
    """Give the remarks that are kept with a DataFrame which Gauger made.

    Parameters
    ----------
    table : pandas.DataFrame
        Such as the result of `summarise_events`.

    Returns
    -------
    tuple of Remark
        Empty where there are none.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> gauger.remarks_of(pd.DataFrame({"visits": [3, 1]}))
    ()
    """
    return tuple(remark_from(entry) for entry in table.attrs.get("remarks", ()))


def remark_from(entry: Mapping[str, Any]) -> Remark:
    """A remark of what `asdict` made of it."""
    parts = {name: tuple(entry.get(name, ())) for name in ("features", "segments", "who")}
    return Remark(entry["code"], entry["text"], **parts)
