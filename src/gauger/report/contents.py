"""What a report is made of: the results it tells of, and where they come from."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from gauger.campaigns import Outcome
from gauger.choosing import CountStudy, RadiusStudy
from gauger.features import FeatureSet
from gauger.monitoring import Migration
from gauger.profiling import Comparison, Profile
from gauger.remarks import Remark
from gauger.segmentation import Segmentation
from gauger.wording import Noun


@dataclass(frozen=True)
class Provenance:
    """Where segments come from, as a report says it; a study knows its own.

    Attributes
    ----------
    source : str, optional
        What the page calls the source.
    period : (first, as of), optional
        The first day that was counted, and the day as of which.
    made_at, made_by : str, optional
        When the segments were made, and by which version.
    fingerprints : mapping
        The SHA-256 of each thing that has one.
    rows : int, optional
        How many rows the source has.
    plan : str, optional
        The plan as text.

    See Also
    --------
    write_report : Shows it.

    Examples
    --------
    >>> import gauger
    >>> gauger.Provenance("visits.csv", ("2025-01-01", "2026-01-01")).source
    'visits.csv'
    """

    source: str | None = None
    period: tuple[str, str] | None = None
    made_at: str | None = None
    made_by: str | None = None
    fingerprints: Mapping[str, str] = field(default_factory=dict)
    rows: int | None = None
    plan: str | None = None


@dataclass(frozen=True, eq=False)
class Contents:
    """Everything that a report tells; what a study does not have is None or empty, and its part says so or is left out.

    `migrations` and `outcomes` are by what they are called. `with_keys` shows whose figures are shown. Where the report
    is of a sample, `everyone` is how many were segmented.
    """

    seg: Segmentation
    profile: Profile
    counts: CountStudy | None = None
    radii: RadiusStudy | None = None
    comparisons: tuple[Comparison, ...] = ()
    migrations: Mapping[str, Migration] = field(default_factory=dict)
    outcomes: tuple[Outcome, ...] = ()
    provenance: Provenance = Provenance()
    title: str | None = None
    with_keys: bool = False
    sample: int = 2_000
    everyone: int | None = None

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented."""
        return self.profile.noun

    @property
    def features(self) -> FeatureSet:
        """What the segments were made of."""
        return self.seg.features

    @property
    def customers(self) -> int:
        """How many there are, of whom perhaps some, or none, are at hand."""
        return int(self.profile.sizes["customers"].iloc[-1])

    @property
    def at_hand(self) -> bool:
        """Whether there are customers to show; those of a database stay there."""
        return len(self.seg.codes) > 0

    @property
    def heading(self) -> str:
        """The title that was given, else what was found."""
        found = f"{self.seg.count} segments" if self.seg.count != 1 else "One segment"
        return self.title or f"{found} of {self.noun.counted(self.customers)}"

    @property
    def remarks(self) -> tuple[Remark, ...]:
        """Every caution of every part, each once."""
        parts = (
            self.features,
            self.seg,
            self.counts,
            self.radii,
            self.profile,
            *self.comparisons,
            *self.migrations.values(),
            *self.outcomes,
        )
        told = [one for part in parts if part is not None for one in part.remarks]
        return tuple({(one.code, one.text): one for one in told}.values())
