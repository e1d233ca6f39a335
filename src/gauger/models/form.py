"""The form of a model file, part by part; docs/model.schema.json is made from it."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

FORMAT, VERSION = "gauger model", 3
"""What a model file says it is, and the form it has."""

Numbers = list[FiniteFloat]


class Part(BaseModel):
    """A part of a file: nothing besides what is named, nothing taken for another type."""

    model_config = ConfigDict(extra="forbid", strict=True)


class FillPart(Part):
    """Gaps become a value; none under the rules refuse and drop."""

    treatment: Literal["fill"]
    rule: str
    value: FiniteFloat | None
    filled: int


class CapPart(Part):
    """Values beyond two limits become the limits."""

    treatment: Literal["cap"]
    low: FiniteFloat
    high: FiniteFloat
    capped: int


class TransformPart(Part):
    """A fixed curve: log(x + 1), sign(x) log(|x| + 1), or the square root."""

    treatment: Literal["transform"]
    rule: Literal["log", "signed_log", "sqrt"]


class PowerPart(Part):
    """The power transformation of Yeo and Johnson."""

    treatment: Literal["power"]
    exponent: FiniteFloat


class ScalePart(Part):
    """(value - shift) / width."""

    treatment: Literal["scale"]
    rule: str
    shift: FiniteFloat
    width: FiniteFloat


class RankPart(Part):
    """Linear interpolation from learned values to shares."""

    treatment: Literal["rank"]
    values: Numbers
    shares: Numbers


class WeightPart(Part):
    """Values times a factor."""

    treatment: Literal["weight"]
    factor: FiniteFloat


TreatmentPart = Annotated[
    FillPart | CapPart | TransformPart | PowerPart | ScalePart | RankPart | WeightPart, Field(discriminator="treatment")
]


class LevelPart(Part):
    """A level of a category: its kind, and its text in the one form that the kind has."""

    kind: Literal["text", "flag", "number", "date"]
    text: str


class FeaturePart(Part):
    """One feature: the column it comes from, what it says of it if it is an indicator, and what was learned."""

    name: str
    column: str
    is_indicator: bool
    level: LevelPart | None
    unit: str | None
    treatments: list[TreatmentPart]
    low: FiniteFloat
    high: FiniteFloat
    mean: FiniteFloat
    standard_deviation: FiniteFloat
    missing: FiniteFloat
    quartiles: Numbers = Field(min_length=3, max_length=3)
    edges: Numbers
    shares: Numbers


class SegmentPart(Part):
    """One segment: its centre on the working scale, how far 'gate' its customers are, and how many they were."""

    number: int = Field(ge=1)
    name: str
    customers: int
    centre: Numbers
    gate: FiniteFloat = Field(ge=0.0)
    mean_distance: FiniteFloat


class CentrePart(Part):
    """The nearest centre; ties go to the lowest number."""

    way: Literal["nearest centre"]


class CustomerPart(Part):
    """The segment of the nearest learned point, 0 for none; within the radius if there is one."""

    way: Literal["nearest customer"]
    metric: Literal["euclidean", "city_block"]
    radius: FiniteFloat | None
    points: list[Numbers]
    segments: list[int]


class BandPart(Part):
    """The bands of one feature, from 1: each but the first begins at an edge, in original units."""

    feature: str
    edges: Numbers
    low_is_good: bool


class BandsPart(Part):
    """The segment of customers with the same bands, or the same sum of bands."""

    way: Literal["same bands"]
    bands: list[BandPart]
    added_up: bool
    cells: list[list[int]]
    segments: list[int]


class ExceptionsPart(Part):
    """Learned points whose segment the rule does not tell."""

    points: list[Numbers]
    segments: list[int]


class OriginPart(Part):
    """Where the model comes from."""

    method: str
    customers: int
    unassigned: int
    gate_share: FiniteFloat
    made_at: str
    made_by: str
    seed: int | None
    fingerprint: str


class ModelPart(Part):
    """A Gauger model: what it takes to treat customers and find their segments."""

    format: Literal["gauger model"]
    version: Literal[3]
    origin: OriginPart
    key: str
    features: list[FeaturePart] = Field(min_length=1)
    segments: list[SegmentPart] = Field(min_length=1)
    rule: Annotated[CentrePart | CustomerPart | BandsPart, Field(discriminator="way")]
    exceptions: ExceptionsPart
    checks: dict[str, str | list[str]]
