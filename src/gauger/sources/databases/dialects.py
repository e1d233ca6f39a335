"""What databases say differently: fences, whole numbers, hashes, quantiles. All else is said in words they share."""

from collections.abc import Sequence
from dataclasses import dataclass

from gauger.features import DOUBLE, sql_number
from gauger.tables import sql_name

_AT_ONCE = 1_000
"""The largest exponent of a power of two that floats hold, with room."""
_LOW_BITS = 24
"""SQLite adds up whole numbers of 64 bits alone: they are added in two parts, the lower one of so many bits, which fits
for some hundred thousand million rows."""


@dataclass(frozen=True)
class Dialect:
    """The words of one database: "postgres", "duckdb" or "sqlite"."""

    name: str

    @property
    def least(self) -> str:
        """The function that gives the least of several values."""
        return "MIN" if self.name == "sqlite" else "LEAST"

    def select(self, name: str, selected: Sequence[str], source: str) -> str:
        """A select to take from by a name, whose expressions are computed once whoever names them.

        PostgreSQL would put them in place of their names unless one changes from row to row, as the clock does, and
        unlike with other fences it may then still share the work. SQLite does not where there is a limit.
        """
        if self.name == "postgres":
            selected = [*selected, f"clock_timestamp() AS fence_{name}"]
        end = " LIMIT -1" if self.name == "sqlite" else ""
        return f"(SELECT {', '.join(selected)} FROM {source}{end}) AS {name}"

    def whole(self, number: str) -> str:
        """A number rounded to a whole one."""
        return f"CAST(ROUND({number}) AS BIGINT)" if self.name == "sqlite" else f"CAST({number} AS BIGINT)"

    def whole_sum(self, number: str) -> str:
        """The exact sum of a number, each rounded to a whole one; `int_of` reads it."""
        whole = self.whole(number)
        if self.name != "sqlite":
            return f"SUM({whole})"
        low = f"SUM(({whole}) & {(1 << _LOW_BITS) - 1})"
        return f"SUM(({whole}) >> {_LOW_BITS}) || ':' || {low}"

    def int_of(self, found: object) -> int:
        """A sum as `whole_sum` gives it; that of nothing is 0."""
        if found is None:
            return 0
        if isinstance(found, str):
            high, low = map(int, found.split(":"))
            return (high << _LOW_BITS) + low
        return int(found)  # type: ignore[call-overload, no-any-return]

    def known(self, number: str) -> str:
        """A number of floating point, NULL where it is none."""
        return number if self.name == "sqlite" else f"NULLIF({number}, CAST('NaN' AS {DOUBLE}))"

    def key_hash(self, key: str, seed: int) -> str:
        """A whole number of 64 bits by which keys fall in an order of chance; another seed gives another one."""
        text = f"CAST({key} AS TEXT)"
        if self.name == "postgres":
            return f"hashtextextended({text}, {seed % 2**63})"
        if self.name == "duckdb":
            return f"CAST(hash({text}, {seed}) AS HUGEINT) - 9223372036854775808"
        return f"key_hash({text}, {seed})"

    def quantiles(self, number: str, shares: Sequence[float]) -> str:
        """The values below which shares lie, as a list, interpolated between neighbours; SQLite has no such thing."""
        listed = ", ".join(sql_number(share) for share in shares)
        if self.name == "postgres":
            return f"percentile_cont(ARRAY[{listed}]) WITHIN GROUP (ORDER BY {number})"
        return f"quantile_cont({number}, [{listed}])"

    def temporary(self, name: str, select: str) -> str:
        """A table that only this transaction, or connection, sees."""
        end = " ON COMMIT DROP" if self.name == "postgres" else ""
        return f"CREATE TEMPORARY TABLE {sql_name(name)}{end} AS {select}"


def times_power(number: str, exponent: int) -> str:
    """A number times a power of two, which for the smallest of values is more than floats hold at once."""
    if abs(exponent) <= _AT_ONCE:
        return f"{number} * {sql_number(2.0**exponent)}"
    half = exponent // 2
    return f"{number} * {sql_number(2.0**half)} * {sql_number(2.0 ** (exponent - half))}"


class Nested:
    """Selects one inside the other, as a chain of steps."""

    def __init__(self, dialect: Dialect) -> None:
        self._dialect, self.least = dialect, dialect.least

    def add(self, name: str, selected: str, source: str) -> str:
        """One select more around a source."""
        return self._dialect.select(name, [selected], source)
