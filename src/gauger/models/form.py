"""The form of a model file, part by part, and what each part stands for; docs/model.schema.json is made from it."""

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from gauger.features import Cap, Fill, Indicator, Level, Power, Rank, Scale, Transform, Treatment, Weight
from gauger.models.assignment_rules import Assigner, FeatureBands, NearestCentre, NearestCustomer, SameBands
from gauger.models.learned import Exceptions, LearnedFeature, LearnedModel, LearnedSegment

FORMAT, VERSION = "gauger model", 3
"""What a model file says it is, and the form it has."""

Numbers = list[FiniteFloat]
Values = NDArray[np.float64]


class Part(BaseModel):
    """A part of a file: nothing besides what is named, nothing taken for another type."""

    model_config = ConfigDict(extra="forbid", strict=True)


class _Treated(Part):
    """One treatment: the fields of the class that it `stands_for`, lists for its tuples."""

    stands_for: ClassVar[type[Any]]
    treatment: str

    @property
    def makes_sense(self) -> bool:
        """Whether values can be treated so."""
        return True

    def made(self) -> Treatment:
        """The treatment that the file tells of."""
        values = self.model_dump(exclude={"treatment"})
        step: Treatment = self.stands_for(
            **{name: tuple(value) if isinstance(value, list) else value for name, value in values.items()}
        )
        return step


class FillPart(_Treated):
    """Gaps become a value; none under the rules refuse and drop."""

    stands_for = Fill
    treatment: Literal["fill"]
    rule: str
    value: FiniteFloat | None
    filled: int


class CapPart(_Treated):
    """Values beyond two limits become the limits."""

    stands_for = Cap
    treatment: Literal["cap"]
    low: FiniteFloat
    high: FiniteFloat
    capped: int

    @property
    def makes_sense(self) -> bool:
        """Whether the limits are in their order."""
        return self.low <= self.high


class TransformPart(_Treated):
    """A fixed curve: log(x + 1), sign(x) log(|x| + 1), or the square root."""

    stands_for = Transform
    treatment: Literal["transform"]
    rule: Literal["log", "signed_log", "sqrt"]


class PowerPart(_Treated):
    """The power transformation of Yeo and Johnson."""

    stands_for = Power
    treatment: Literal["power"]
    exponent: FiniteFloat


class ScalePart(_Treated):
    """(value - shift) / width."""

    stands_for = Scale
    treatment: Literal["scale"]
    rule: str
    shift: FiniteFloat
    width: FiniteFloat

    @property
    def makes_sense(self) -> bool:
        """Whether there is something to divide by."""
        return self.width > 0.0


class RankPart(_Treated):
    """Linear interpolation from learned values to shares."""

    stands_for = Rank
    treatment: Literal["rank"]
    values: Numbers
    shares: Numbers

    @property
    def makes_sense(self) -> bool:
        """Whether shares go with rising values."""
        return 0 < len(self.values) == len(self.shares) and self.values == sorted(self.values)


class WeightPart(_Treated):
    """Values times a factor."""

    stands_for = Weight
    treatment: Literal["weight"]
    factor: FiniteFloat

    @property
    def makes_sense(self) -> bool:
        """Whether the feature still counts."""
        return self.factor > 0.0


TreatmentPart = Annotated[
    FillPart | CapPart | TransformPart | PowerPart | ScalePart | RankPart | WeightPart, Field(discriminator="treatment")
]


def _treatment(step: Treatment) -> dict[str, Any]:
    """A treatment as the file has it."""
    parts = {part.stands_for: part for part in _Treated.__subclasses__()}
    word = parts[type(step)].model_fields["treatment"].annotation.__args__[0]  # type: ignore[union-attr]
    values = {name: list(value) if isinstance(value, tuple) else value for name, value in vars(step).items()}
    return {"treatment": word, **values}


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

    @classmethod
    def of(cls, one: LearnedFeature) -> dict[str, Any]:
        """A learned feature as the file has it."""
        indicator = one.indicator
        return {
            "name": one.name,
            "column": one.column,
            "is_indicator": indicator is not None,
            "level": vars(indicator.level) if indicator and indicator.level else None,
            "unit": one.unit,
            "treatments": [_treatment(step) for step in one.treatments],
            **{name: getattr(one, name) for name in ("low", "high", "mean", "standard_deviation", "missing")},
            **{name: list(getattr(one, name)) for name in ("quartiles", "edges", "shares")},
        }

    def made(self) -> LearnedFeature:
        """The learned feature that the file tells of."""
        level = None if self.level is None else Level(self.level.kind, self.level.text)
        return LearnedFeature(
            self.name,
            self.column,
            Indicator(self.column, level) if self.is_indicator else None,
            tuple(step.made() for step in self.treatments),
            low=self.low,
            high=self.high,
            mean=self.mean,
            standard_deviation=self.standard_deviation,
            missing=self.missing,
            quartiles=tuple(self.quartiles),
            edges=tuple(self.edges),
            shares=tuple(self.shares),
            unit=self.unit,
        )


class SegmentPart(Part):
    """One segment: its centre on the working scale, how far 'gate' its customers are, and how many they were."""

    number: int = Field(ge=1)
    name: str
    customers: int = Field(ge=0)
    centre: Numbers
    gate: FiniteFloat = Field(ge=0.0)
    mean_distance: FiniteFloat

    def made(self) -> LearnedSegment:
        """The learned segment that the file tells of."""
        return LearnedSegment(self.number, self.name, self.customers, self.gate, self.mean_distance)


class CentrePart(Part):
    """The nearest centre; ties go to the lowest number."""

    way: Literal["nearest centre"]

    def made(self, centres: Values, names: list[str]) -> Assigner:
        """The rule that the file tells of."""
        return NearestCentre.of(centres, names)


class CustomerPart(Part):
    """The segment of the nearest learned point, 0 for none; within the radius if there is one."""

    way: Literal["nearest customer"]
    metric: Literal["euclidean", "city_block"]
    radius: FiniteFloat | None
    points: list[Numbers]
    segments: list[int]

    @classmethod
    def of(cls, rule: NearestCustomer) -> dict[str, Any]:
        """A rule as the file has it."""
        return {
            "way": "nearest customer",
            "metric": rule.metric,
            "radius": rule.radius,
            "points": rule.points.tolist(),
            "segments": rule.codes.tolist(),
        }

    def made(self, _centres: Values, names: list[str]) -> Assigner:
        """The rule that the file tells of."""
        points = np.array(self.points, dtype=np.float64).reshape(len(self.points), len(names))
        return NearestCustomer(points, np.array(self.segments, dtype=np.int32), self.metric, self.radius)


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

    @classmethod
    def of(cls, rule: SameBands) -> dict[str, Any]:
        """A rule as the file has it."""
        return {
            "way": "same bands",
            "bands": [{**vars(one), "edges": list(one.edges)} for one in rule.bands],
            "added_up": rule.scored,
            "cells": rule.cells.tolist(),
            "segments": rule.segments.tolist(),
        }

    def made(self, centres: Values, _names: list[str]) -> Assigner:
        """The rule that the file tells of."""
        bands = tuple(FeatureBands(one.feature, tuple(one.edges), one.low_is_good) for one in self.bands)
        cells = np.array(self.cells, dtype=np.intp).reshape(len(self.cells), -1)
        return SameBands(bands, cells, np.array(self.segments, dtype=np.int32), self.added_up, centres)


class ExceptionsPart(Part):
    """Learned points whose segment the rule does not tell."""

    points: list[Numbers]
    segments: list[int]


class OriginPart(Part):
    """Where the model comes from."""

    method: str
    customers: int = Field(ge=1)
    unassigned: int = Field(ge=0)
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

    @classmethod
    def of(cls, model: LearnedModel) -> dict[str, Any]:
        """A model as the file has it, but for its checks."""
        rule: dict[str, Any] = {"way": "nearest centre"}
        if isinstance(model.rule, NearestCustomer):
            rule = CustomerPart.of(model.rule)
        elif isinstance(model.rule, SameBands):
            rule = BandsPart.of(model.rule)
        centres = model.centres.tolist()
        return {
            "format": FORMAT,
            "version": VERSION,
            "origin": {name: getattr(model, name) for name in OriginPart.model_fields},
            "key": model.key,
            "features": [FeaturePart.of(one) for one in model.features],
            "segments": [{**vars(one), "centre": centre} for one, centre in zip(model.segments, centres, strict=True)],
            "rule": rule,
            "exceptions": {
                "points": model.exceptions.points.tolist(),
                "segments": model.exceptions.codes.tolist(),
            },
        }

    def made(self) -> LearnedModel:
        """The model that the file tells of; rows and lists must be as long as they have to."""
        names = [one.name for one in self.features]
        centres = np.array([one.centre for one in self.segments], dtype=np.float64)
        points = np.array(self.exceptions.points, dtype=np.float64).reshape(-1, len(names))
        return LearnedModel(
            key=self.key,
            features=tuple(one.made() for one in self.features),
            segments=tuple(one.made() for one in self.segments),
            rule=self.rule.made(centres, names),
            centres=centres,
            exceptions=Exceptions(points, np.array(self.exceptions.segments, dtype=np.int32)),
            **self.origin.model_dump(),
        )
