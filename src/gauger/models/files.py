"""Model files: JSON in a published form, validated in full, with a check on every part."""

import hashlib
import json
from collections.abc import Iterable, Mapping
from os import PathLike
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import ValidationError

from gauger.errors import MissingFileError, ModelFileError
from gauger.features import Cap, Fill, Indicator, Level, Power, Rank, Scale, Transform, Treatment, Weight
from gauger.models.form import (
    FORMAT,
    VERSION,
    BandsPart,
    CustomerPart,
    FeaturePart,
    ModelPart,
    Numbers,
    OriginPart,
    Part,
)
from gauger.models.learned import Exceptions, LearnedFeature, LearnedModel, LearnedSegment
from gauger.models.rules import Assigner, FeatureBands, NearestCentre, NearestCustomer, SameBands
from gauger.tables import result_folder

_LISTS = ("features", "segments")

_KINDS: dict[str, type[Any]] = {
    "fill": Fill,
    "cap": Cap,
    "transform": Transform,
    "power": Power,
    "scale": Scale,
    "rank": Rank,
    "weight": Weight,
}


def save_model(model: LearnedModel, file: Path, *, replace: bool = False) -> Path:
    """Write a model as JSON, whole, by a rename."""
    content = _content(model)
    content["checks"] = _checks(content)
    ModelPart.model_validate(content)
    with result_folder(file.parent, [file.name], replace=replace) as results:
        text = json.dumps(content, ensure_ascii=False, allow_nan=False, indent=1)
        results.path(file.name).write_text(text + "\n", encoding="utf-8")
    return file


def read_model(path: str | PathLike[str]) -> LearnedModel:
    """As `load_model` tells."""
    file = Path(path)
    if not file.is_file():
        raise MissingFileError.at(file)
    try:
        content = json.loads(file.read_text(encoding="utf-8"), parse_constant=_refuse_constant)
    except UnicodeDecodeError as error:
        raise ModelFileError(f"{file} is not a model: it is not text.") from error
    except (ValueError, RecursionError) as error:
        raise ModelFileError.unreadable(file, error) from error
    if isinstance(content, dict) and content.get("format") == FORMAT and content.get("version") != VERSION:
        raise ModelFileError(
            f"{file} has format version {content.get('version')!r}, and this Gauger reads {VERSION}: update Gauger, or "
            "build the model again."
        )
    try:
        part = ModelPart.model_validate(content)
    except ValidationError as error:
        raise ModelFileError.malformed(file, [_fault(one) for one in error.errors()]) from error
    _refuse_altered(file, content)
    _refuse_strange_segments(file, part)
    return _model(file, part)


def _refuse_constant(word: str) -> float:
    raise ValueError(f"{word} is no number")


def _fault(error: Mapping[str, Any]) -> str:
    where = "".join(f"[{step}]" if isinstance(step, int) else f".{step}" for step in error["loc"]).lstrip(".")
    return f"{where or 'the whole'}: {error['msg'][:1].lower()}{error['msg'][1:]}"


def _content(model: LearnedModel) -> dict[str, Any]:
    return {
        "format": FORMAT,
        "version": VERSION,
        "origin": {name: getattr(model, name) for name in OriginPart.model_fields},
        "key": model.key,
        "features": [_feature(one) for one in model.features],
        "segments": [
            {**vars(one), "centre": centre} for one, centre in zip(model.segments, model.centres.tolist(), strict=True)
        ],
        "rule": _rule(model.rule),
        "exceptions": {
            "points": model.exceptions.points.tolist(),
            "segments": model.exceptions.codes.tolist(),
        },
    }


def _feature(one: LearnedFeature) -> dict[str, Any]:
    return {
        "name": one.name,
        "column": one.column,
        "is_indicator": one.indicator is not None,
        "level": vars(one.indicator.level) if one.indicator and one.indicator.level else None,
        "unit": one.unit,
        "treatments": [_treatment(step) for step in one.treatments],
        **{name: getattr(one, name) for name in ("low", "high", "mean", "standard_deviation", "missing")},
        "quartiles": list(one.quartiles),
        "edges": list(one.edges),
        "shares": list(one.shares),
    }


def _treatment(step: Treatment) -> dict[str, Any]:
    (kind,) = [name for name, made in _KINDS.items() if type(step) is made]
    values = {name: list(value) if isinstance(value, tuple) else value for name, value in vars(step).items()}
    return {"treatment": kind, **values}


def _rule(rule: Assigner) -> dict[str, Any]:
    if isinstance(rule, NearestCustomer):
        return {
            "way": "nearest customer",
            "metric": rule.metric,
            "radius": rule.radius,
            "points": rule.points.tolist(),
            "segments": rule.codes.tolist(),
        }
    if isinstance(rule, SameBands):
        return {
            "way": "same bands",
            "bands": [
                {"feature": one.feature, "edges": list(one.edges), "low_is_good": one.low_is_good} for one in rule.bands
            ],
            "added_up": rule.scored,
            "cells": rule.cells.tolist(),
            "segments": rule.segments.tolist(),
        }
    return {"way": "nearest centre"}


def _checks(content: Mapping[str, Any]) -> dict[str, str | list[str]]:
    """A SHA-256 of each part, of lists one of each entry, so that an altered place can be named."""
    return {
        name: [_sha256(entry) for entry in part] if name in _LISTS else _sha256(part)
        for name, part in content.items()
        if name != "checks"
    }


def _sha256(part: object) -> str:
    text = json.dumps(part, ensure_ascii=False, allow_nan=False, sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


def _refuse_altered(file: Path, content: Mapping[str, Any]) -> None:
    given, own = content["checks"], _checks(content)
    altered = []
    for name, check in own.items():
        told = given.get(name)
        if isinstance(check, list) and isinstance(told, list) and len(check) == len(told):
            altered += [f"{name}[{at}]" for at, one in enumerate(check) if one != told[at]]
        elif check != told:
            altered.append(name)
    if altered:
        raise ModelFileError.altered(file, altered)


def _refuse_strange_segments(file: Path, part: ModelPart) -> None:
    """Raise ModelFileError unless segments are numbered from 1, and rule and exceptions speak of these."""
    count = len(part.segments)
    if [one.number for one in part.segments] != list(range(1, count + 1)):
        raise ModelFileError.malformed(file, [f"segments: they must be numbered from 1 to {count}"])
    spoken = {"exceptions.segments": part.exceptions.segments, "rule.segments": getattr(part.rule, "segments", [])}
    for part_name, numbers in spoken.items():
        if any(not 0 <= number <= count for number in numbers):
            raise ModelFileError.malformed(file, [f"{part_name}: a segment that there is not"])
    _same_length(file, "exceptions.segments", part.exceptions.segments, len(part.exceptions.points))


def _model(file: Path, part: ModelPart) -> LearnedModel:
    centres = _rows(file, "segments", [one.centre for one in part.segments], len(part.features))
    return LearnedModel(
        key=part.key,
        features=tuple(_learned(one) for one in part.features),
        segments=tuple(
            LearnedSegment(one.number, one.name, one.customers, one.gate, one.mean_distance) for one in part.segments
        ),
        rule=_rule_from(file, part, centres),
        centres=centres,
        exceptions=Exceptions(
            _rows(file, "exceptions.points", part.exceptions.points, len(part.features)),
            np.array(part.exceptions.segments, dtype=np.int32),
        ),
        **part.origin.model_dump(),
    )


def _learned(one: FeaturePart) -> LearnedFeature:
    steps = tuple(_step(step) for step in one.treatments)
    level = None if one.level is None else Level(one.level.kind, one.level.text)
    indicator = Indicator(one.column, level) if one.is_indicator else None
    facts = one.low, one.high, one.mean, one.standard_deviation, one.missing
    spread = tuple(one.quartiles), tuple(one.edges), tuple(one.shares)
    return LearnedFeature(one.name, one.column, indicator, steps, *facts, *spread, one.unit)


def _step(part: Part) -> Treatment:
    values = part.model_dump(exclude={"treatment"})
    made = _KINDS[part.treatment]  # type: ignore[attr-defined]
    step: Treatment = made(**{name: tuple(v) if isinstance(v, list) else v for name, v in values.items()})
    return step


def _rule_from(file: Path, part: ModelPart, centres: np.ndarray) -> Assigner:
    rule = part.rule
    if isinstance(rule, CustomerPart):
        points = _rows(file, "rule.points", rule.points, len(part.features))
        _same_length(file, "rule.segments", rule.segments, len(points))
        return NearestCustomer(points, np.array(rule.segments, dtype=np.int32), rule.metric, rule.radius)
    if isinstance(rule, BandsPart):
        bands = tuple(FeatureBands(one.feature, tuple(one.edges), one.low_is_good) for one in rule.bands)
        _same_length(file, "rule.segments", rule.segments, len(rule.cells))
        cells = np.array(rule.cells, dtype=np.intp).reshape(len(rule.cells), -1)
        return SameBands(bands, cells, np.array(rule.segments, dtype=np.int32), rule.added_up, centres)
    return NearestCentre.of(centres, [one.name for one in part.features])


def _rows(file: Path, part_name: str, rows: Iterable[Numbers], features: int) -> np.ndarray:
    listed = list(rows)
    odd = [at for at, row in enumerate(listed) if len(row) != features]
    if odd:
        raise ModelFileError.malformed(file, [f"{part_name}[{odd[0]}]: {features} numbers are needed, one a feature"])
    return np.array(listed, dtype=np.float64).reshape(len(listed), features)


def _same_length(file: Path, part_name: str, found: list[int], wanted: int) -> None:
    if len(found) != wanted:
        raise ModelFileError.malformed(file, [f"{part_name}: {wanted} entries are needed, not {len(found)}"])
