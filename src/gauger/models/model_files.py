"""Model files: JSON in a published form, validated in full, with a check on every part."""

import hashlib
import json
from collections.abc import Mapping
from os import PathLike
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from gauger.errors import MissingFileError, ModelFileError
from gauger.models.form import (
    FORMAT,
    VERSION,
    BandsPart,
    CustomerPart,
    ModelPart,
)
from gauger.models.learned import LearnedModel
from gauger.tables import result_folder

_LISTS = ("features", "segments")


def save_model(model: LearnedModel, file: Path, *, replace: bool = False) -> Path:
    """Write a model as JSON, whole, by a rename."""
    content = ModelPart.of(model)
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
    _refuse_strange_features(file, part)
    _refuse_strange_segments(file, part)
    _refuse_bad_lengths(file, part)
    return part.made()


def _refuse_constant(word: str) -> float:
    raise ValueError(f"{word} is no number")


def _fault(error: Mapping[str, Any]) -> str:
    where = "".join(f"[{step}]" if isinstance(step, int) else f".{step}" for step in error["loc"]).lstrip(".")
    return f"{where or 'the whole'}: {error['msg'][:1].lower()}{error['msg'][1:]}"


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


def _refuse_strange_features(file: Path, part: ModelPart) -> None:
    """Raise ModelFileError unless no two features share a name, and what was learned of it fits together."""
    names = [one.name for one in part.features]
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise ModelFileError.malformed(file, [f"features: {twice[0]!r} is there more than once"])
    for at, one in enumerate(part.features):
        faults = [
            (not one.column, "column: it must have a name"),
            (one.low > one.high, "low: it must not be above high"),
            (one.quartiles != sorted(one.quartiles), "quartiles: they must rise"),
            (one.edges != sorted(one.edges), "edges: they must rise"),
            (len(one.shares) != len(one.edges) + 1, "shares: one more than edges are needed"),
            (not all(0.0 <= share <= 1.0 for share in one.shares), "shares: each must be from 0 to 1"),
            (one.standard_deviation < 0.0, "standard_deviation: it must not be negative"),
            (not 0.0 <= one.missing <= 1.0, "missing: it must be a share"),
            *((not step.makes_sense, f"treatments: a {step.treatment} that makes no sense") for step in one.treatments),
        ]
        wrong = [text for holds, text in faults if holds]
        if wrong:
            raise ModelFileError.malformed(file, [f"features[{at}].{wrong[0]}"])
    if isinstance(part.rule, BandsPart):
        strange = [one.feature for one in part.rule.bands if one.feature not in names]
        if strange or not part.rule.bands:
            told = f"{strange[0]!r} is none of the features" if strange else "there must be some"
            raise ModelFileError.malformed(file, [f"rule.bands: {told}"])
        if any(one.edges != sorted(one.edges) for one in part.rule.bands):
            raise ModelFileError.malformed(file, ["rule.bands: edges must rise"])


def _refuse_strange_segments(file: Path, part: ModelPart) -> None:
    """Raise ModelFileError unless segments are numbered from 1, and rule and exceptions speak of these."""
    count = len(part.segments)
    if [one.number for one in part.segments] != list(range(1, count + 1)):
        raise ModelFileError.malformed(file, [f"segments: they must be numbered from 1 to {count}"])
    spoken = {"exceptions.segments": part.exceptions.segments, "rule.segments": getattr(part.rule, "segments", [])}
    for part_name, numbers in spoken.items():
        if any(not 0 <= number <= count for number in numbers):
            raise ModelFileError.malformed(file, [f"{part_name}: a segment that there is not"])


def _refuse_bad_lengths(file: Path, part: ModelPart) -> None:
    """Raise ModelFileError for rows that do not have a number a feature, and for lists that go together and differ."""
    rows = {"segments": [one.centre for one in part.segments], "exceptions.points": part.exceptions.points}
    if isinstance(part.rule, CustomerPart):
        rows["rule.points"] = part.rule.points
        _refuse_length(file, "rule.segments", part.rule.segments, len(part.rule.points))
    if isinstance(part.rule, BandsPart):
        _refuse_length(file, "rule.segments", part.rule.segments, len(part.rule.cells))
        width = 1 if part.rule.added_up else len(part.rule.bands)
        if any(len(cell) != width for cell in part.rule.cells):
            raise ModelFileError.malformed(file, [f"rule.cells: {width} numbers are needed in each"])
    _refuse_length(file, "exceptions.segments", part.exceptions.segments, len(part.exceptions.points))
    features = len(part.features)
    for name, listed in rows.items():
        odd = [at for at, row in enumerate(listed) if len(row) != features]
        if odd:
            raise ModelFileError.malformed(file, [f"{name}[{odd[0]}]: {features} numbers are needed, one a feature"])


def _refuse_length(file: Path, name: str, found: list[int], wanted: int) -> None:
    if len(found) != wanted:
        raise ModelFileError.malformed(file, [f"{name}: {wanted} entries are needed, not {len(found)}"])
