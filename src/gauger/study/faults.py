"""What is wrong with a plan, fault by fault: the line, the setting, and what it may be."""

import types
import typing
from collections.abc import Iterator, Mapping, Sequence
from functools import cache
from typing import Any

from pydantic import BaseModel, ValidationError

from gauger.clustering import METHODS
from gauger.study.plan_parts import Plan
from gauger.study.toml_lines import Place, TomlLines
from gauger.wording import listed, nearest, plural

_KINDS = {
    "string_type": "text in quotes",
    "int_type": "a whole number",
    "int_from_float": "a whole number",
    "float_type": "a number",
    "finite_number": "a number",
    "bool_type": "true or false",
    "list_type": "a list",
    "dict_type": "a part of its own, [in brackets]",
    "model_type": "a part of its own, [in brackets]",
    "model_attributes_type": "a part of its own, [in brackets]",
}
"""What a setting must be, by the kind of pydantic's complaint."""

_MOST_FAULTS = 20
"""Faults that are listed: more than anyone mends at a time; chosen by us."""


def faults_of(text: str, content: Mapping[str, Any], error: ValidationError) -> list[str]:
    """A line for each fault, in the order of the file; of very many the first, and how many more there are."""
    lines, found = TomlLines(text), _by_place(content, error)
    ordered = sorted(found, key=lines.line_of)
    told = [
        f"line {lines.line_of(place)}, {_path(place)}: {_joined(_words(found[place], place, content))}"
        for place in ordered[:_MOST_FAULTS]
    ]
    more = len(ordered) - _MOST_FAULTS
    return [*told, f"and {more:,} more {plural(more, 'fault')} below"] if more > 0 else told


def _by_place(content: Mapping[str, Any], error: ValidationError) -> dict[Place, list[tuple[Any, Place]]]:
    """The complaints by the place they are about, each with the alternatives that pydantic tried."""
    found: dict[Place, list[tuple[Any, Place]]] = {}
    for one in error.errors():
        place, rest = _within(content, one["loc"], missing=one["type"] == "missing")
        found.setdefault(place, []).append((one, rest))
    return found


def _words(complaints: Sequence[tuple[Any, Place]], place: Place, content: Mapping[str, Any]) -> list[str]:
    said: list[str] = []
    for one, rest in complaints:
        word = _in_words(one, place, content)
        if word not in said and not (rest and one["type"] == "literal_error" and said):
            said.append(word)
    return said


def told_faults(content: Mapping[str, Any], error: ValidationError) -> list[tuple[str, str]]:
    """Each setting that is wrong, and how: of what was typed, not of a file."""
    found = _by_place(content, error)
    return [(_path(place), _joined([_in_words(one, place, content) for one, _ in own])) for place, own in found.items()]


def _has(content: Any, place: Place) -> bool:
    for step in place:
        try:
            content = content[step]
        except (KeyError, IndexError, TypeError):
            return False
    return True


def _within(content: object, loc: Place, *, missing: bool) -> tuple[Place, Place]:
    """The steps of a complaint that are in the file, without the alternatives that pydantic tried; and the rest."""
    place: list[str | int] = []
    for index, step in enumerate(loc):
        if place == ["segments"] and index == 1 and step in METHODS:
            continue  # the method, by which pydantic chose among the parts
        if _has(content, (*place, step)):
            place.append(step)
        elif missing and index == len(loc) - 1:
            return (*place, step), ()
    return tuple(place), tuple(loc[len(place) :])


def _in_words(error: Mapping[str, Any], place: Place, content: object) -> str:
    kind, context, given = error["type"], error.get("ctx", {}), error["input"]
    if kind == "extra_forbidden":
        near = nearest(str(place[-1]), _settings_at(place[:-1], content))
        return f"there is no such setting{f'; did you mean {near}?' if near else ''}".replace("'", "")
    if kind == "missing":
        return "it is needed and not there"
    if kind in _KINDS:
        return f"it must be {_KINDS[kind]}, not {given!r}"
    if kind == "literal_error":
        return f"{given!r} is not {context['expected']}"
    if kind == "union_tag_invalid":
        words = [word.strip("' ") for word in context["expected_tags"].split(",")]
        near = nearest(str(context["tag"]), words)
        hint = f"; did you mean {near}?".replace("'", "") if near else ""
        return f"method {context['tag']!r} is none of {listed(words, most=9, last='or')}{hint}"
    if kind in ("greater_than_equal", "greater_than", "less_than_equal", "less_than"):
        limit = next(iter(context.values()))
        word = {"greater_than_equal": "at least", "greater_than": "above", "less_than_equal": "at most"}
        return f"{given!r} must be {word.get(kind, 'below')} {limit:g}"
    if kind in ("too_short", "too_long"):
        return f"it must have {context.get('min_length', context.get('max_length'))} entries, not {given!r}"
    return str(error["msg"])


def _joined(words: Sequence[str]) -> str:
    """Several complaints about one setting, which could have been any of several things."""
    kinds = [word.removeprefix("it must be ").split(", not ")[0] for word in words if word.startswith("it must be ")]
    if len(kinds) == len(words) > 1:
        return f"it must be {' or '.join(kinds)}, not {words[0].split(', not ', 1)[1]}"
    return ", or ".join(words)


def _path(place: Place) -> str:
    """A place as it is typed: features.visits.transform, names[2].name."""
    told = "".join(f"[{step + 1}]" if isinstance(step, int) else f".{step}" for step in place)
    return told.lstrip(".") or "the whole"


def _settings_at(place: Place, content: Any) -> list[str]:
    """The settings that a part of the plan may have."""
    kinds: list[Any] = [Plan]
    for step in place:
        content = content[step]
        kinds = [inner for kind in kinds for inner in _inside(kind, step)]
    method = content.get("method") if isinstance(content, Mapping) else None
    models = [kind for kind in _models(kinds) if method is None or _method_of(kind) in (None, method)]
    return [name for model in models for name in model.model_fields]


def _inside(kind: Any, step: str | int) -> Iterator[Any]:
    for model in _models([kind]):
        if step in model.model_fields:
            yield model.model_fields[str(step)].annotation
    if typing.get_origin(kind) in (dict, list):
        yield typing.get_args(kind)[-1]


def _models(kinds: Sequence[Any]) -> Iterator[type[BaseModel]]:
    for kind in kinds:
        if isinstance(kind, type) and issubclass(kind, BaseModel):
            yield kind
        elif typing.get_origin(kind) in (typing.Union, types.UnionType, typing.Annotated):
            yield from _models(typing.get_args(kind))


@cache
def _method_of(model: type[BaseModel]) -> str | None:
    field = model.model_fields.get("method")
    return None if field is None else typing.get_args(field.annotation)[0]
