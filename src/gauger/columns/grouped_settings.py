"""Settings that travel together, as one value or named one by one, and what numbers among them may be."""

from collections.abc import Mapping
from dataclasses import MISSING, fields
from typing import Any, TypeVar

import numpy as np

from gauger.errors import SettingError
from gauger.wording import listed

Settings = TypeVar("Settings")


def as_one_value(kind: type[Settings], given: object, named: Mapping[str, Any], what: str) -> Settings:
    """Settings as one value of a data class: the one given, or made of those `named`; raises SettingError."""
    known = {one.name: one for one in fields(kind)}  # type: ignore[arg-type]
    strangers = [name for name in named if name not in known]
    if given is not None and (named or not isinstance(given, kind)):
        strangers = strangers or list(named) or [given]  # type: ignore[list-item]
    if strangers:
        shown = listed(map(repr, strangers))
        raise SettingError(f"{shown} cannot be given here: name {what} one by one, or as one {kind.__name__}.")
    if isinstance(given, kind):
        return given
    lacking = [one.name for one in known.values() if one.default is MISSING and one.name not in named]
    if lacking:
        raise SettingError(f"say {listed(lacking)} of {what}: {lacking[0]}=…")
    return kind(**named)


def refuse_no_whole_number(name: str, value: object, least: int) -> None:
    """Raise SettingError for a setting that is not a whole number, or is less than `least`."""
    if isinstance(value, bool) or not isinstance(value, (int, np.integer)) or value < least:
        raise SettingError(f"{name}={value!r} must be a whole number from {least} up.")
