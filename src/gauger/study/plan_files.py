"""Plan files: TOML that people edit, read with the place of every fault, written so that it reads back the same."""

import os
import re
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from os import PathLike
from pathlib import Path
from typing import Any

import tomlkit
from pydantic import BaseModel, ValidationError

from gauger.errors import GaugerError, MissingFileError, PlanError
from gauger.study.faults import faults_of
from gauger.study.plan_parts import PLAN_FORMAT, PLAN_VERSION, Plan
from gauger.wording import visible

PLAN_FILE = "plan.toml"
"""What a study's plan is called."""

_ABOUT = (
    "A plan of Gauger: what was done to find these segments, and all that it takes to do it again.",
    "Edit it, and run: gauger run plan.toml --out FOLDER. Paths are relative to this file.",
)
_ABOUT_DRAFT = (
    "A plan of Gauger, drafted from what the columns look like: read it, change what is not so, and run it.",
    "Then: gauger counts --plan plan.toml, gauger segment --plan plan.toml --out FOLDER, or all of it at once with",
    "gauger run plan.toml --out FOLDER. Paths are relative to this file.",
)
_SPOKEN = (
    "FeaturePart",
    "CategoryPart",
    "CountsPart",
    "KmeansPart",
    "TreePart",
    "DensityPart",
    "LevelsPart",
    "BandsPart",
)
"""Parts that are written in full, so that another default of a later version changes nothing."""

_TOLD = ("format", "version", "segments")
_QUIET = ("flag_missing", "optimal_order")
"""Settings that are always written, and switches that are only when they are on."""

_FROM_ENVIRONMENT = re.compile(r"\$\{(\w+)\}")


def read_plan(path: str | PathLike[str]) -> Plan:
    """Read a plan file.

    Parameters
    ----------
    path : str or path-like
        The file.

    Returns
    -------
    Plan
        What it says.

    Raises
    ------
    MissingFileError
        When there is no such file.
    PlanError
        With the line and the setting of every fault, when it is no TOML, or no plan of this version.

    Examples
    --------
    >>> import gauger, tempfile, pathlib
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     file = pathlib.Path(folder, "plan.toml")
    ...     _ = file.write_text('key = "who"\\n[source]\\nfile = "a.csv"\\n[features.visits]\\ntransform = "log"\\n')
    ...     gauger.read_plan(file).features["visits"].transform
    'log'
    """
    file = Path(path)
    if not file.is_file():
        raise MissingFileError.at(file)
    try:
        text = file.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as error:
        raise PlanError(f"{file} is no plan: it is not text in UTF-8.") from error
    return plan_from_text(text, file)


def plan_file(path: str | PathLike[str]) -> Path:
    """The plan file that a path means: itself, or that of a study's folder."""
    place = Path(path)
    return place / PLAN_FILE if (place / PLAN_FILE).is_file() else place


def plan_from_text(text: str, file: Path) -> Plan:
    """The plan that a text is; faults are told as those of `file`."""
    try:
        content = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise PlanError(f"{file.name} cannot be read as TOML: {error}.") from error
    except RecursionError as error:
        raise PlanError(f"{file.name} cannot be read as a plan: its lists or tables are nested too deeply.") from error
    _refuse_other_forms(file, content)
    try:
        return Plan.model_validate(content)
    except ValidationError as error:
        raise PlanError.faulty(file, faults_of(text, content, error)) from error


def _refuse_other_forms(file: Path, content: Mapping[str, Any]) -> None:
    """Raise PlanError for another form's plan, which is never guessed at."""
    form, version = content.get("format", PLAN_FORMAT), content.get("version", PLAN_VERSION)
    if form != PLAN_FORMAT:
        raise PlanError(f"{file.name} says that it is a {form!r}, not a {PLAN_FORMAT!r}.")
    if version != PLAN_VERSION:
        raise PlanError(
            f"{file.name} has plan version {version!r}, and this Gauger reads {PLAN_VERSION}: update Gauger, or "
            "draft a new one (gauger plan)."
        )


def text_of(plan: Plan) -> str:
    """The plan as a file holds it."""
    document = tomlkit.document()
    for line in _ABOUT:
        document.add(tomlkit.comment(line))
    document.add(tomlkit.nl())
    for name, value in _content(plan).items():
        document.add(name, tomlkit.item(value))
    return tomlkit.dumps(document)


def _content(part: BaseModel) -> dict[str, Any]:
    """What a part says, settings that say nothing left out."""
    found = {}
    for name, field in type(part).model_fields.items():
        value = getattr(part, name)
        spoken = (type(part).__name__ in _SPOKEN or name in _TOLD) and name not in _QUIET
        default = field.get_default(call_default_factory=True, validated_data={})
        if value is None or (value == default and (not spoken or value in ([], {}))):
            continue
        found[name] = _plain(value)
    return found


def _plain(value: object) -> Any:
    if isinstance(value, BaseModel):
        return _content(value)
    if isinstance(value, dict):
        return {name: _plain(entry) for name, entry in value.items()}
    return [_plain(entry) for entry in value] if isinstance(value, list) else value


def from_environment(text: str) -> str:
    """Text with every `${NAME}` replaced by what the environment has; raises PlanError where it has none."""

    def found(match: re.Match[str]) -> str:
        value = os.environ.get(match[1])
        if value is None:
            raise PlanError(f"the plan takes ${{{match[1]}}} from the environment, and there is none: set {match[1]}.")
        return value

    return _FROM_ENVIRONMENT.sub(found, text)


@contextmanager
def hidden_variables(text: str) -> Iterator[None]:
    """Let no message of the block show what the variables that a text names have as their values."""
    known = [(os.environ[name], name) for name in _FROM_ENVIRONMENT.findall(text) if os.environ.get(name)]
    try:
        yield
    except GaugerError as error:
        told = str(error)
        for value, name in known:
            told = told.replace(value, f"${{{name}}}")
        if told == str(error):
            raise
        raise type(error)(told) from None


def draft_text(plan: Plan, notes: Mapping[tuple[str, ...], str], about: Sequence[str], optional: str) -> str:
    """A plan with a comment beside each setting that has a note, on features as a whole, and on what may follow."""
    document = tomlkit.document()
    for line in _ABOUT_DRAFT:
        document.add(tomlkit.comment(line))
    document.add(tomlkit.nl())
    for name, value in _content(plan).items():
        if name == "features" and about:
            _add_lines(document, about)
        document.add(name, _noted(value, notes, (name,)))
    _add_lines(document, optional.strip().splitlines())
    return tomlkit.dumps(document)


def _add_lines(document: tomlkit.TOMLDocument, lines: Sequence[str]) -> None:
    document.add(tomlkit.nl())
    for line in lines:
        document.add(tomlkit.comment(visible(line).replace("\n", " ")))
    document.add(tomlkit.nl())


def _noted(value: Any, notes: Mapping[tuple[str, ...], str], place: tuple[str, ...]) -> Any:
    item = tomlkit.item(value)
    if isinstance(value, dict):
        item = tomlkit.table(is_super_table=place == ("features",))
        for name, inner in value.items():
            item.add(name, _noted(inner, notes, (*place, name)))
    if place in notes:
        item.comment(visible(notes[place]).replace("\n", " "))
    return item
