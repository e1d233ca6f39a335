"""Types of what a plan holds: words among those that are known, shares, names of environment variables."""

import re
from collections.abc import Sequence
from typing import Annotated, Any

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, FiniteFloat
from pydantic.json_schema import WithJsonSchema
from pydantic_core import PydanticCustomError

from gauger.study.settings_told import described
from gauger.wording import listed, nearest

_LITERAL_SECRET = re.compile(
    r"://[^:/@]*:(?!\$\{\w+\}@)[^@]+@|[?&][^=&]*(?:pass|pwd|secret|token)[^=&]*=(?!\$\{)", re.I
)


class PlanPart(BaseModel):
    """A part of a plan: nothing besides what is named, nothing taken for another type, never changed."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, json_schema_extra=described)


def word(allowed: Sequence[str]) -> Any:
    """The type of a word that must be among those allowed."""

    def checked(given: str) -> str:
        shown = sorted(allowed, key=lambda one: one == "none")
        if given not in allowed:
            near = nearest(given, allowed)
            raise PydanticCustomError(
                "word", "{told}", {"told": f"{given!r} is none of {listed(shown, most=20, last='or')}" + _meant(near)}
            )
        return given

    return Annotated[str, AfterValidator(checked), WithJsonSchema({"type": "string", "enum": list(allowed)})]


def _meant(near: str) -> str:
    return f"; did you mean {near.replace(chr(39), '')}?" if near else ""


def _without_secret(url: str) -> str:
    if _LITERAL_SECRET.search(url):
        raise PydanticCustomError(
            "secret", "a plan holds no password: write ${NAME} for it, and set NAME in the environment"
        )
    return url


def _rising(quantiles: list[float]) -> list[float]:
    low, high = quantiles
    if not low < high:
        raise PydanticCustomError("quantiles", "the first quantile must be below the second, such as [0, 0.99]")
    return quantiles


Whole = Annotated[int, Field(ge=1)]
"""A whole number from 1."""
Seed = Annotated[int, Field(ge=0)]
"""A whole number from 0."""
Share = Annotated[FiniteFloat, Field(ge=0.0, le=1.0)]
"""A number from 0 to 1."""
Positive = Annotated[FiniteFloat, Field(gt=0.0)]
"""A number above 0."""
Quantiles = Annotated[list[Share], Field(min_length=2, max_length=2), AfterValidator(_rising)]
"""Two quantiles, the lower one first."""
Url = Annotated[str, AfterValidator(_without_secret)]
"""A database's URL without a password of its own."""
