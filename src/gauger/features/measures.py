"""The measures of behaviour that events are summarised to: each one's name and its SQL."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Literal

from gauger.errors import SettingError
from gauger.tables import sql_day, sql_moment, sql_text
from gauger.wording import listed, nearest

WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
PARTS_OF_DAY = {"night": (0, 6), "morning": (6, 12), "afternoon": (12, 18), "evening": (18, 24)}
"""From which hour to which, six hours each."""


@dataclass(frozen=True)
class Measure:
    """One column of behaviour: SQL over a customer's events, and what it is for customers without any.

    `over` is what is added up: "events", the "lines" that events have where a key tells which are one event, or the
    "gaps" between active days.
    """

    name: str
    family: str
    sql: str
    without_events: str = "0"
    over: Literal["events", "lines", "gaps"] = "events"


@dataclass(frozen=True)
class Nouns:
    """What events, amounts, quantities and categories are called; None where there is no such column."""

    event: str
    amount: str | None = None
    quantity: str | None = None
    category: str | None = None


@dataclass(frozen=True)
class Period:
    """The moments that events count between, and the levels of the category seen meanwhile."""

    start: datetime
    as_of: datetime
    levels: tuple[str, ...] = ()
    times_of_day: bool = False

    @property
    def middle(self) -> datetime:
        """The moment that halves the period."""
        return self.start + (self.as_of - self.start) / 2

    @property
    def days(self) -> int:
        """Whole days from the first event's day to `as_of`."""
        return (self.as_of.date() - self.start.date()).days


@dataclass(frozen=True)
class Catalogue:
    """Every measure that some events allow; a refund (a negative amount) is no event."""

    nouns: Nouns
    period: Period

    @cached_property
    def measures(self) -> tuple[Measure, ...]:
        """All of them, in the order of the result's columns."""
        return tuple(self._all())

    def chosen(self, asked: Sequence[str] | str | None, key: str) -> tuple[Measure, ...]:
        """The measures asked for by name or by family, in order; without asking, those that most studies begin with."""
        if asked is None:
            found = [measure for measure in self.measures if measure.family in self._usual]
        elif asked == "all":
            found = list(self.measures)
        else:
            words = [asked] if isinstance(asked, str) else list(asked)
            self._refuse_unknown(words)
            found = [measure for word in words for measure in self.measures if word in (measure.name, measure.family)]
        names = [key, *(measure.name for measure in found)]
        twice = sorted({name for name in names if names.count(name) > 1})
        if twice:
            raise SettingError(
                f"two columns would be called {twice[0]!r}. Ask for each once, or give another noun (event_noun=, "
                "amount_noun=, quantity_noun=, category_noun=; on the command line --event-noun and so on)."
            )
        return tuple(found)

    @property
    def _usual(self) -> set[str]:
        nouns = self.nouns
        return {
            "recency_days",
            nouns.event,
            "active_days",
            "first_seen",
            f"{nouns.amount}_total",
            f"{nouns.amount}_mean",
            "refunds",
            f"{nouns.quantity}_total",
            f"{nouns.quantity}_mean",
            f"share_{nouns.category}",
            f"distinct_{nouns.category}",
        }

    def _refuse_unknown(self, words: Iterable[str]) -> None:
        known = list(dict.fromkeys(measure.family for measure in self.measures))
        names = {*known, *(measure.name for measure in self.measures)}
        for word in words:
            if "part_of_day" in word and not self.period.times_of_day:
                raise SettingError(f"{word!r} needs events with a time of day; these have dates only.")
            if word not in names:
                near = nearest(word, names)
                hint = f" Did you mean {near}?" if near else ""
                raise SettingError(
                    f"there is no measure {word!r}.{hint} With these columns there are: {listed(known, most=40)}. More "
                    "come with amount=, quantity= and category=."
                )

    def _all(self) -> Iterable[Measure]:
        yield from self._of_time()
        if self.nouns.amount:
            yield from self._of_amount(self.nouns.amount)
        if self.nouns.quantity:
            yield from self._of_sums(self.nouns.quantity, "quantity")
        for family, members in self._splits().items():
            over: Literal["events", "lines"] = "lines" if family == self.nouns.category else "events"
            for word, condition in members.items():
                share = _ratio(self._count(condition), self._count())
                yield Measure(f"share_{word}", f"share_{family}", share, over=over)
            if self.nouns.amount:
                for word, condition in members.items():
                    part, whole = (_number(f"sum(amount){self._where(test)}") for test in (condition, ""))
                    name = f"{self.nouns.amount}_share"
                    yield Measure(f"{name}_{word}", f"{name}_{family}", _ratio(part, whole), over=over)
        if self.nouns.category:
            name = f"distinct_{self.nouns.category}"
            yield Measure(name, name, f"count(DISTINCT category){self._where()}", over="lines")

    def _of_time(self) -> Iterable[Measure]:
        event = self.nouns.event
        as_of = sql_day(self.period.as_of.date())
        where = self._where()
        last = f"CAST(coalesce(max(moment){where}, max(moment)) AS DATE)" if where else "CAST(max(moment) AS DATE)"
        first = last.replace("max(", "min(")
        early, late = (self._count(f"moment {sign} {sql_moment(self.period.middle)}") for sign in ("<", ">="))
        mean = "CAST(gaps.total AS DOUBLE) / nullif(gaps.number, 0)"
        # The exact variance of whole numbers: (m * sum of squares - square of the sum) / m^2.
        spread = "sqrt(CAST(gaps.number * gaps.squares - gaps.total * gaps.total AS DOUBLE)) / nullif(gaps.number, 0)"
        yield Measure("recency_days", "recency_days", f"{as_of} - {last}", str(self.period.days))
        yield Measure(event, event, self._count())
        yield Measure("active_days", "active_days", f"count(DISTINCT CAST(moment AS DATE)){where}")
        yield Measure("first_seen", "first_seen", first, "NULL")
        yield Measure("tenure_days", "tenure_days", f"{as_of} - {first}")
        yield Measure(f"{event}_trend", f"{event}_trend", _change(early, late))
        yield Measure("gap_days_mean", "gap_days_mean", mean, "NULL", over="gaps")
        yield Measure("gap_days_spread", "gap_days_spread", spread, "NULL", over="gaps")

    def _of_amount(self, noun: str) -> Iterable[Measure]:
        where = self._where()
        median = f"percentile_cont(0.5) WITHIN GROUP (ORDER BY CAST(amount AS DOUBLE)){where}"
        late, early = (
            _number(f"sum(amount){self._where(f'moment {sign} {sql_moment(self.period.middle)}')}")
            for sign in (">=", "<")
        )
        yield from self._of_sums(noun, "amount")
        yield Measure(f"{noun}_median", f"{noun}_median", f"coalesce({median}, 0)")
        yield Measure(f"{noun}_largest", f"{noun}_largest", _number(f"max(amount){where}"))
        yield Measure(f"{noun}_trend", f"{noun}_trend", _change(early, late))
        yield Measure("refunds", "refunds", "count(*) FILTER (WHERE amount < 0)")
        yield Measure(f"{noun}_refunded", f"{noun}_refunded", _number("-sum(amount) FILTER (WHERE amount < 0)"))

    def _of_sums(self, noun: str, column: str) -> Iterable[Measure]:
        total = _number(f"sum({column})")
        yield Measure(f"{noun}_total", f"{noun}_total", total)
        yield Measure(f"{noun}_mean", f"{noun}_mean", _ratio(total, self._count()))

    def _splits(self) -> dict[str, dict[str, str]]:
        """Ways to split events into shares: the words of each way, and their conditions."""
        splits = {"weekday": {word: f"extract(isodow FROM moment) = {index}" for index, word in enumerate(WEEKDAYS, 1)}}
        if self.period.times_of_day:
            hours = "extract(hour FROM moment)"
            splits["part_of_day"] = {
                word: f"{hours} >= {start} AND {hours} < {end}" for word, (start, end) in PARTS_OF_DAY.items()
            }
        if self.nouns.category:
            noun = self.nouns.category
            splits[noun] = {f"{noun}_{_slug(level)}": f"category = {sql_text(level)}" for level in self.period.levels}
        return splits

    def _where(self, condition: str = "") -> str:
        real = "amount >= 0" if self.nouns.amount else ""
        tests = " AND ".join(filter(None, (real, condition)))
        return f" FILTER (WHERE {tests})" if tests else ""

    def _count(self, condition: str = "") -> str:
        return f"count(*){self._where(condition)}"


def noun_of(column: str) -> str:
    """What a category column is called by default: the last word of its name, `film_kind` a kind."""
    words = [word for word in column.split("_") if word]
    return next((word for word in reversed(words) if word.lower() not in ("id", "code", "name", "no")), column)


def _number(sql: str) -> str:
    return f"CAST(coalesce({sql}, 0) AS DOUBLE)"


def _ratio(part: str, whole: str) -> str:
    return f"coalesce(CAST({part} AS DOUBLE) / nullif({whole}, 0), 0)"


def _change(early: str, late: str) -> str:
    """(late - early) / (late + early): from -1, all before the middle, to 1, all after it."""
    return _ratio(f"({late} - {early})", f"{late} + {early}")


def _slug(level: str) -> str:
    return re.sub(r"\W+", "_", level.strip().lower()).strip("_") or "blank"
