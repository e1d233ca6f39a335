"""The plan: all that it takes to do a study again, part by part; docs/plan.schema.json is made from it."""

from typing import Annotated, Any, Literal, Self

from pydantic import Field, FiniteFloat, field_validator, model_validator
from pydantic_core import PydanticCustomError

from gauger.clustering import CUSTOMER_METRICS
from gauger.features import MISSING_RULES, SCALES, TRANSFORMS, WITHOUT_CUSTOMER
from gauger.remark_register import REMARK_CODES
from gauger.study.words import PlanPart, Positive, Quantiles, Seed, Share, Url, Whole, word

PLAN_FORMAT, PLAN_VERSION = "gauger plan", 1
"""What a plan says it is, and the form it has."""

_LINKAGES = ("single", "complete", "average", "weighted", "centroid", "median", "ward")
_WARD_HEIGHTS = ("distance", "squared", "wcss")


class SourcePart(PlanPart):
    """Where a table is read from, and how; size and SHA-256 say what it held when the study was made."""

    file: str | None = None
    url: Url | None = None
    table: str | None = None
    query: str | None = None
    sheet: str | None = None
    decimal: str = "."
    thousands: str | None = None
    dates: str | dict[str, str] | None = None
    as_text: list[str] = Field(default_factory=list)
    as_missing: dict[str, str] = Field(default_factory=dict)
    header: bool | None = None
    encoding: str | None = None
    skip_bad_lines: bool = False
    bytes: Annotated[int, Field(ge=0)] | None = None
    rows: Annotated[int, Field(ge=0)] | None = None
    sha256: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")] | None = None

    def without_content(self) -> Self:
        """The same place, whatever it holds."""
        return self.model_copy(update={"bytes": None, "rows": None, "sha256": None})

    def reading(self) -> dict[str, Any]:
        """The settings of `read_table` that are not as they usually are, but for what only a database has."""
        told = self.model_dump(exclude={"file", "url", "bytes", "rows", "sha256", "table", "query"})
        own = SourcePart.model_fields
        return {
            name: value
            for name, value in told.items()
            if name in own and value != own[name].get_default(call_default_factory=True, validated_data={})
        }

    @model_validator(mode="after")
    def _one_place(self) -> "SourcePart":
        if (self.file is None) == (self.url is None):
            raise PydanticCustomError("place", "say where it is: file = a path, or url = a database")
        if self.url is not None and (self.table is None) == (self.query is None):
            raise PydanticCustomError("place", "a database needs table = or query =, one of them")
        return self


class EventsPart(SourcePart):
    """Events that become one row of behaviour a customer, known by the key, in the words of `summarise_events`.

    `period` are the first day and the day as of which the events were counted when the study was made.
    """

    when: str
    amount: str | None = None
    quantity: str | None = None
    category: str | None = None
    event_key: str | None = None
    measures: Annotated[list[str], Field(min_length=1)] | Literal["all"] | None = None
    as_of: str | None = None
    since: str | None = None
    window: str | None = None
    zone: str | None = None
    without_customer: word(WITHOUT_CUSTOMER) = "refuse"  # type: ignore[valid-type]
    only_customers: bool = False
    lookup: SourcePart | None = None
    on: str | None = None
    event_noun: str = "visits"
    amount_noun: str = "spend"
    quantity_noun: str | None = None
    category_noun: str | None = None
    period: Annotated[list[str], Field(min_length=2, max_length=2)] | None = None

    def without_content(self) -> Self:
        """The same place, whatever it holds."""
        lookup = None if self.lookup is None else self.lookup.without_content()
        return super().without_content().model_copy(update={"period": None, "lookup": lookup})


class FeaturePart(PlanPart):
    """What is done to one feature, in this order."""

    missing: word(MISSING_RULES) | FiniteFloat = "refuse"  # type: ignore[valid-type]
    flag_missing: bool = False
    cap: Quantiles | None = None
    transform: word(TRANSFORMS) | None = None  # type: ignore[valid-type]
    scale: word(SCALES) = "zscore"  # type: ignore[valid-type]
    weight: Positive | None = None


class CategoryPart(PlanPart):
    """A category that enters as indicators, one a level."""

    missing: word(("refuse", "drop", "zero")) = "refuse"  # type: ignore[valid-type]
    scale: word(SCALES) = "zscore"  # type: ignore[valid-type]
    weight: Positive | None = None


class CountsPart(PlanPart):
    """The study of the count."""

    lowest: Whole = 1
    highest: Whole = 10
    starts: Whole = 10
    max_iterations: Whole = 300
    seed: Seed = 0


class _MethodPart(PlanPart):
    """What the methods have in common."""

    not_repeatable: str | None = None


class KmeansPart(_MethodPart):
    """Segments around centres; out of core where memory does not hold the customers, or in the database where they are
    to stay (`into` is the table there that says who is where); looked at by a sample of them, if there is one."""

    method: Literal["kmeans"] = "kmeans"
    count: Whole | Literal["auto"] = "auto"
    seeding: word(("kmeans++", "random", "first")) = "kmeans++"  # type: ignore[valid-type]
    starts: Whole = 10
    max_iterations: Whole = 300
    learn_on: Positive | None = None
    out_of_core: bool = False
    into: str | None = None
    sample: Annotated[int, Field(ge=0)] | None = None
    seed: Seed = 0


class TreePart(_MethodPart):
    """Segments that a merge tree is cut into: at a count or a height, or as advised."""

    method: Literal["tree"]
    linkage: word(_LINKAGES) | None = None  # type: ignore[valid-type]
    metric: word((*CUSTOMER_METRICS, "absolute_correlation")) | None = None  # type: ignore[valid-type]
    ward_heights: word(_WARD_HEIGHTS) = "distance"  # type: ignore[valid-type]
    optimal_order: bool = False
    condense: Annotated[int, Field(ge=2)] | None = None
    p: Positive = 3.0
    band: Annotated[int, Field(ge=0)] | None = None
    lag: Annotated[int, Field(ge=0)] | None = None
    seed: Seed = 0
    count: Whole | None = None
    height: FiniteFloat | None = None


class DensityPart(_MethodPart):
    """Segments by density at one radius; without one the advised is taken."""

    method: Literal["density"]
    radius: Positive | None = None
    coarseness: Share | None = None
    min_points: Annotated[int, Field(ge=2)] | None = None
    metric: word(CUSTOMER_METRICS) = "euclidean"  # type: ignore[valid-type]


class LevelsPart(_MethodPart):
    """Segments of differing density."""

    method: Literal["density-levels"]
    smallest: Annotated[int, Field(ge=2)] | None = None
    min_points: Annotated[int, Field(ge=2)] | None = None
    metric: word(CUSTOMER_METRICS) = "euclidean"  # type: ignore[valid-type]


class BandsPart(_MethodPart):
    """Segments by bands of each feature."""

    method: Literal["bands"]
    bands: dict[str, int | list[FiniteFloat]] | None = None
    combine: word(("cells", "score")) = "cells"  # type: ignore[valid-type]
    low_is_good: list[str] = Field(default_factory=list)
    score_bands: int | None = None


SegmentsPart = Annotated[KmeansPart | TreePart | DensityPart | LevelsPart | BandsPart, Field(discriminator="method")]


class FiguresPart(PlanPart):
    """What the figure of the segments shows."""

    over: Annotated[list[str], Field(min_length=2, max_length=2)] | None = None
    outline: word(("hull", "ellipse")) | None = None  # type: ignore[valid-type]
    also: Whole | None = None
    label: list[str] = Field(default_factory=list)


class NamePart(PlanPart):
    """A segment's name and the centre that it belongs to, in original units; `segment` is its number in this study."""

    name: Annotated[str, Field(min_length=1)]
    segment: Whole | None = None
    centre: dict[str, FiniteFloat]


class ProfilePart(PlanPart):
    """The profile: against the customers' own table, or another one of theirs."""

    table: SourcePart | None = None


class ComparePart(PlanPart):
    """What the segments are compared with: a known column, or the segments of another study."""

    column: str | None = None
    table: SourcePart | None = None
    study: str | None = None

    @model_validator(mode="after")
    def _one_side(self) -> "ComparePart":
        if (self.column is None) == (self.study is None):
            raise PydanticCustomError("side", "say what to compare with: column = of a table, or study = a folder")
        return self


class HandOffPart(PlanPart):
    """A hand-off to a campaign; only a plan that has this part makes one."""

    contacts: SourcePart
    campaign: str
    suppress: SourcePart | None = None
    segments: Annotated[list[str | int], Field(min_length=1)] | None = None
    columns: Annotated[list[str], Field(min_length=1)] | None = None
    holdout: Share = 0.1
    consent: str = "consent_email"
    region: str | None = None
    contact: str = "refuse"
    refusal_binds: word(("person", "customer")) = "person"  # type: ignore[valid-type]
    sub_addresses: word(("together", "apart")) = "together"  # type: ignore[valid-type]
    unreadable: word(("refuse", "skip")) = "refuse"  # type: ignore[valid-type]
    min_size: Annotated[int, Field(ge=0)] = 0
    match_on: list[str] = Field(default_factory=list)
    address: str = "email"
    format: Url = "csv"
    base_rate: Share = 0.02
    seed: Seed = 0


class ReportPart(PlanPart):
    """A report for people; only a plan that has this part makes one."""

    title: str | None = None
    workbook: bool = False
    with_keys: bool = False


class RemarksPart(PlanPart):
    """Remarks, by code, that a run of this plan does not accept."""

    refuse: list[word(REMARK_CODES)] = Field(default_factory=list)  # type: ignore[valid-type]


class Plan(PlanPart):
    """All that it takes to do a study again, as a plan file holds it.

    `source` is where customers come from, or `events` is where their behaviour does. `key` is the column that
    identifies a customer, `features` and `categories` say what is prepared and how, `counts` and `segments` how many
    segments are looked for and by which method. `names` belong to centres. The other parts say what a run does besides.

    Examples
    --------
    >>> import gauger
    >>> plan = gauger.draft_plan(gauger.demo_file("homes.csv"), key="home_id").plan
    >>> plan.segments.method, plan.segments.count
    ('kmeans', 'auto')
    """

    format: Literal["gauger plan"] = "gauger plan"
    version: Literal[1] = 1
    made_by: str | None = None
    made_at: str | None = None
    key: str
    noun: Annotated[str, Field(min_length=1, max_length=40)] | None = None
    source: SourcePart | None = None
    events: EventsPart | None = None
    features: dict[str, FeaturePart] = Field(default_factory=dict)
    categories: dict[str, CategoryPart] = Field(default_factory=dict)
    counts: CountsPart = CountsPart()
    segments: SegmentsPart = KmeansPart()
    figures: FiguresPart = FiguresPart()
    names: list[NamePart] = Field(default_factory=list)
    profile: ProfilePart = ProfilePart()
    compare: list[ComparePart] = Field(default_factory=list)
    hand_off: HandOffPart | None = None
    report: ReportPart | None = None
    remarks: RemarksPart = RemarksPart()

    @field_validator("made_at")
    @classmethod
    def _a_time(cls, given: str | None) -> str | None:
        from datetime import datetime

        try:
            _ = given is None or datetime.fromisoformat(given)
        except ValueError:
            raise PydanticCustomError("time", "it must be a time such as 2026-10-01T06:00:00+00:00") from None
        return given

    @model_validator(mode="before")
    @classmethod
    def _a_method(cls, content: Any) -> Any:
        """k-means where segments do not name their method; settings that this version does not know are named. Earlier
        versions wrote `by_blocks` for out of core."""
        if isinstance(content, dict) and isinstance(content.get("segments"), dict):
            segments = {"method": "kmeans", **content["segments"]}
            if "by_blocks" in segments:
                segments.setdefault("out_of_core", segments.pop("by_blocks"))
            return {**content, "segments": segments}
        return content

    @model_validator(mode="after")
    def _somewhere(self) -> "Plan":
        if self.source is None and self.events is None:
            raise PydanticCustomError("place", "say where the customers come from: a part [source], or [events]")
        if self.into is not None and (self.source is None or self.source.table is None):
            raise PydanticCustomError("place", "into = a table needs a [source] with url = and table =, to read from")
        both = [name for name in self.features if name in self.categories]
        if both:
            raise PydanticCustomError(
                "both", "{name} is a feature and a category: leave one of them out", {"name": both[0]}
            )
        return self

    @property
    def out_of_core(self) -> bool:
        """Whether customers in files are segmented block by block, and looked at by a sample."""
        return isinstance(self.segments, KmeansPart) and self.segments.out_of_core

    @property
    def into(self) -> str | None:
        """The table of a database that says who is where, where customers are segmented inside it."""
        return self.segments.into if isinstance(self.segments, KmeansPart) else None

    def for_other_content(self) -> "Plan":
        """The same plan for whatever its source and events hold now."""
        parts = {name: getattr(self, name) for name in ("source", "events")}
        return self.model_copy(
            update={name: None if part is None else part.without_content() for name, part in parts.items()}
        )

    def preparation(self) -> dict[str, Any]:
        """The keyword arguments of `prepare`."""
        parts: dict[str, FeaturePart | CategoryPart] = {**self.features, **self.categories}
        return {
            "key": self.key,
            "noun": self.noun,
            "features": list(self.features) if parts else None,
            "categories": list(self.categories),
            "missing": {name: part.missing for name, part in parts.items()} if parts else "refuse",
            "flag_missing": [name for name, part in self.features.items() if part.flag_missing],
            "cap": {name: tuple(part.cap) for name, part in self.features.items() if part.cap is not None},
            "transform": {name: part.transform for name, part in self.features.items() if part.transform is not None},
            "scale": {name: part.scale for name, part in parts.items()} if parts else "zscore",
            "weight": {name: part.weight for name, part in parts.items() if part.weight is not None},
        }
