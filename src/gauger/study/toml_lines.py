"""The line on which each setting of a TOML file begins, in one pass over a text that is known to be TOML."""

import re
import tomllib
from bisect import bisect_right

Place = tuple[str | int, ...]

_SPACE = re.compile(r"(?:[ \t\r\n]|#[^\n]*)*")
_KEY = re.compile(r"[ \t]*(?:(?P<bare>[A-Za-z0-9_-]+)|(?P<quoted>\"(?:[^\"\\\n]|\\.)*\"|'[^'\n]*'))[ \t]*(?P<dot>\.?)")
_STRING = re.compile(
    r'"""(?:[^"\\]|\\.|"{1,2}(?!"))*"{3,5}'
    r"|'''(?:[^']|'{1,2}(?!'))*'{3,5}"
    r'|"(?:[^"\\\n]|\\.)*"'
    r"|'[^'\n]*'",
    re.DOTALL,
)
_SCALAR = re.compile(r"[^,\]}#\n]+")


class TomlLines:
    """Where each setting of a text begins, by its place: `("features", "visits", "scale")`, with numbers in lists."""

    def __init__(self, text: str) -> None:
        self._text, self._at = text, 0
        self._part: Place = ()
        self._ends = [found.start() for found in re.finditer("\n", text)]
        self._lines: dict[Place, int] = {}
        self._last_of: dict[Place, int] = {}
        self._read()

    def line_of(self, place: Place) -> int:
        """The line, from 1, of a place; of what is nowhere, that of the part it belongs to."""
        known = (place[:depth] for depth in range(len(place), 0, -1) if place[:depth] in self._lines)
        return self._lines[next(known)] if place[:1] in self._lines else 1

    def _read(self) -> None:
        self._skip()
        while self._at < len(self._text):
            if self._text.startswith("[", self._at):
                self._header()
            else:
                self._setting(self._part)
            self._skip()

    def _skip(self) -> None:
        found = _SPACE.match(self._text, self._at)
        self._at = found.end() if found else self._at

    def _mark(self, place: Place, at: int) -> None:
        self._lines.setdefault(place, bisect_right(self._ends, at - 1) + 1)

    def _keys(self) -> list[str]:
        """The names of a dotted key."""
        names = []
        while True:
            found = _KEY.match(self._text, self._at)
            if found is None:
                raise ValueError(f"no key at {self._at}")
            self._at = found.end()
            names.append(found["bare"] or str(tomllib.loads(f"name = {found['quoted']}")["name"]))
            if not found["dot"]:
                return names

    def _header(self) -> None:
        """A line such as [features.visits], or [[names]], which begins one more of several."""
        start, several = self._at, self._text.startswith("[[", self._at)
        self._at += 2 if several else 1
        place: Place = ()
        names = self._keys()
        for number, name in enumerate(names, 1):
            place = (*place, name)
            self._mark(place, start)
            if several and number == len(names):
                self._last_of[place] = self._last_of.get(place, -1) + 1
            if place in self._last_of:
                place = (*place, self._last_of[place])
                self._mark(place, start)
        self._part = place
        self._at = self._text.index("]", self._at) + (2 if several else 1)

    def _setting(self, place: Place) -> None:
        """A key, and its value."""
        start = self._at
        for name in self._keys():
            place = (*place, name)
            self._mark(place, start)
        self._at = self._text.index("=", self._at) + 1
        self._value(place)

    def _value(self, place: Place) -> None:
        self._skip()
        sign = self._text[self._at : self._at + 1]
        if sign in ("[", "{"):
            self._listing(place, "]" if sign == "[" else "}")
            return
        found = (_STRING if sign in ("'", '"') else _SCALAR).match(self._text, self._at)
        if found is None:
            raise ValueError(f"no value at {self._at}")
        self._at = found.end()

    def _listing(self, place: Place, end: str) -> None:
        """What is in brackets: values by number, or settings by name."""
        self._at += 1
        number = 0
        while True:
            self._skip()
            if self._text.startswith(end, self._at):
                self._at += 1
                return
            if end == "}":
                self._setting(place)
            else:
                self._mark((*place, number), self._at)
                self._value((*place, number))
            number += 1
            self._skip()
            if self._text.startswith(",", self._at):
                self._at += 1
