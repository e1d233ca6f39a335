"""How much of a kind a test tries: a part in `make test`, all of it in `make test-all`."""

from collections.abc import Iterable, Sequence
from typing import Any, TypeVar
from zlib import crc32

import pytest
from hypothesis import settings

_THOROUGH = 100
"""The examples that the profile `thorough` draws: the numbers in the tests are those of this profile."""

_BY_TURNS = ("shop", "database", "dialect", "of_kind")
"""Parameters of which a test tries one in `make test`: the next test another one."""

Value = TypeVar("Value")


def examples(thorough: int) -> settings:
    """So many in the profile `thorough`, a tenth of them in `make test`, ten times as many in `make test-random`."""
    return settings(max_examples=max(2, thorough * settings.default.max_examples // _THOROUGH))


def thoroughly(values: Iterable[Any], quick: int = 1) -> list[Any]:
    """Parameters of which only the first few run in `make test`: the others are marked `slow`."""
    own = [value if isinstance(value, tuple) else (value,) for value in values]
    return [pytest.param(*each, marks=[pytest.mark.slow] if at >= quick else []) for at, each in enumerate(own)]


def some_of(values: Sequence[Value], turn: object) -> Sequence[Value]:
    """All values in the profile `thorough`; in `make test` one, which the turn chooses."""
    if settings.default.max_examples >= _THOROUGH:
        return values
    return [values[crc32(repr(turn).encode()) % len(values)]]


def mark_turns(items: Iterable[pytest.Item]) -> None:
    """Mark as `slow` the tests of all databases and kinds of tables but one, which the test's name chooses."""
    values: dict[tuple[str, str], list[object]] = {}
    by_turns = []
    for item in items:
        spec = getattr(item, "callspec", None)
        for name in _BY_TURNS if spec else ():
            if name in spec.params:
                test = item.nodeid.partition("[")[0]
                own = values.setdefault((test, name), [])
                if spec.params[name] not in own:
                    own.append(spec.params[name])
                others = sorted((one, str(value)) for one, value in spec.params.items() if one != name)
                by_turns.append((item, spec.params[name], own, f"{test} {others}"))
    for item, value, own, turn in by_turns:
        if value != own[crc32(turn.encode()) % len(own)]:
            item.add_marker(pytest.mark.slow)
