"""Every error Gauger raises on purpose: what was wrong, where, and what to do next."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path

from gauger.wording import LONGEST_PART, data_rows, listed, nearest, plural, shortened, written_like


class GaugerError(Exception):
    """The root of all errors that are the data's or the request's fault; its text is written for the analyst.

    All are on `gauger.errors`. Most are also what Python users expect: a ValueError, KeyError or OSError.

    Examples
    --------
    >>> import gauger
    >>> try:
    ...     gauger.read_table("nowhere.csv")
    ... except gauger.GaugerError as error:
    ...     print(type(error).__name__, isinstance(error, FileNotFoundError))
    MissingFileError True
    """

    def __str__(self) -> str:
        return str(self.args[0]) if self.args else ""


class MissingFileError(GaugerError, FileNotFoundError):
    """Raised when a file or folder to read does not exist."""

    @classmethod
    def at(cls, path: Path) -> "MissingFileError":
        """The path that was asked for, and the names beside it that come nearest."""
        if path.is_dir():
            return cls(f"{path} is a folder, and a file is wanted: name the file in it.")
        beside = [entry.name for entry in path.parent.iterdir()] if path.parent.is_dir() else []
        near = nearest(path.name, beside)
        hint = f" Did you mean {near}?" if near else " Check the folder and the spelling."
        return cls(f"there is no file {path}.{hint}")


class TableFileError(GaugerError, ValueError):
    """Raised when a file is there but cannot be read as the table that its ending promises."""

    @classmethod
    def damaged(cls, file: Path, error: Exception) -> "TableFileError":
        """A file that begins as it should and then cannot be read; what a reader says of it may quote cells."""
        told = getattr(error, "strerror", None)
        return cls(f"{file} is damaged or cut short{f' ({told})' if told else ''}. Export it again.")


class ModelFileError(GaugerError, ValueError):
    """Raised when a file is no model, is cut short, has another form, or was altered; the text names the place."""

    @classmethod
    def unreadable(cls, file: Path, error: Exception) -> "ModelFileError":
        """A file that is no JSON, or ends before its time."""
        line = getattr(error, "lineno", None)
        where = f" at line {line} column {getattr(error, 'colno', 0)}" if line else ""
        return cls(f"{file} cannot be read as a model: it is cut short or damaged{where}. Copy it again.")

    @classmethod
    def malformed(cls, file: Path, faults: Sequence[str]) -> "ModelFileError":
        """A file that is JSON and has not the form of a model."""
        told = "; ".join(shortened(fault, LONGEST_PART) for fault in faults[:3])
        return cls(f"{file} is no model that can be used: {told}. Build and save it again.")

    @classmethod
    def altered(cls, file: Path, parts: Sequence[str]) -> "ModelFileError":
        """A model that was changed since it was saved."""
        told = listed(shortened(part, LONGEST_PART) for part in parts)
        return cls(
            f"{file} was altered since it was saved, in {told}: it would no longer assign as it was learned. Take the "
            "file as it was, or build the model again."
        )


class PlanError(GaugerError, ValueError):
    """Raised when a plan cannot be read or followed; the text names the line and the setting of every fault."""

    @classmethod
    def faulty(cls, file: Path, faults: Sequence[str]) -> "PlanError":
        """Every fault of a plan, each with its place."""
        return cls("\n".join(f"{file.name}, {shortened(fault, 2 * LONGEST_PART)}" for fault in faults))


class UnapprovedError(PlanError):
    """Raised when a plan names a server or a query that this user has never approved; nothing was connected to."""

    @classmethod
    def naming(cls, told: Sequence[str]) -> "UnapprovedError":
        """What would be connected to, or run."""
        what = plural(len(told), "a database or query", "databases or queries")
        listing = "\n".join(told)
        return cls(
            f"the plan uses {what} that you have not approved:\n{listing}\nNothing was connected to. If you trust the "
            "plan, add --trust-plan to use them (in Python: trust=True); that is remembered. Scheduled jobs set "
            "GAUGER_TRUST_PLANS=1."
        )


class StudyError(GaugerError, ValueError):
    """Raised when a folder is no study, or a study lacks what is asked of it."""


class RefusedRemarkError(GaugerError, ValueError):
    """Raised when a remark comes up that a plan does not accept."""


class DatabaseError(GaugerError, OSError):
    """Raised when a database cannot be reached or refuses what it is asked; the text never holds a password."""


class UnknownTableError(GaugerError, KeyError):
    """Raised when a table that was asked for is not in the database."""

    @classmethod
    def among(cls, asked: str, present: Sequence[str], database: str) -> "UnknownTableError":
        """The table asked for, and the tables that are `present` in the `database`."""
        near = nearest(asked, present)
        hint = f" (did you mean {near}?)" if near else ""
        return cls(f"there is no table {asked!r} in {database}{hint}. It has: {listed(sorted(present), most=12)}.")


class UnknownColumnError(GaugerError, KeyError):
    """Raised when a column that was asked for is not in the table."""

    @classmethod
    def among(cls, asked: Iterable[str], present: Sequence[str]) -> "UnknownColumnError":
        """The columns asked for that are not `present`, each with the names that come nearest."""
        lacking = [name for name in asked if name not in present]
        parts = []
        for name in lacking:
            near = nearest(name, present)
            parts.append(f"there is no column {name!r}" + (f" (did you mean {near}?)" if near else ""))
        return cls(f"{'; '.join(parts)}. The table has: {listed(present, most=12)}.")


class KeyColumnError(GaugerError, ValueError):
    """Raised when the key does not identify every customer once."""

    @classmethod
    def repeated(cls, key: str, rows: Sequence[int], times: int | str, within: str = "") -> "KeyColumnError":
        """`times` rows have the key of an earlier one, first of all those at `rows`, counted from 0, and in the files
        `within` which they stand, where these are known."""
        where, files = f" in {data_rows(rows)}" if rows else "", f", in {within}" if within else ""
        count = times if isinstance(times, str) else f"{times:,} {plural(times, 'row')}"
        return cls(
            f"the key {key!r} repeats{where} ({count} too many{files}). A key names each customer "
            "once: remove the repeats, or summarise events to one row per customer first (summarise_events, gauger "
            "features)."
        )

    @classmethod
    def fractional(cls, key: str, rows: Sequence[int], count: int) -> "KeyColumnError":
        """`count` keys are floating-point numbers that are not whole, or too large to be exact."""
        where = f" ({data_rows(rows)})" if rows else ""
        return cls(
            f"the key {key!r} holds decimal numbers that are not whole, or are too large to be exact, in {count:,} "
            f"{plural(count, 'row')}{where}. A key is text or a whole number: name another column, or export this one "
            "as text."
        )

    @classmethod
    def mixed(cls, key: str) -> "KeyColumnError":
        """Some keys are text and some are numbers."""
        return cls(
            f"the key {key!r} mixes text and numbers, which no file keeps apart: 7 and '7' would become one customer. "
            f"Make it one of them first: table[{key!r}] = table[{key!r}].astype(str)."
        )

    @classmethod
    def missing(cls, key: str, rows: Sequence[int], count: int) -> "KeyColumnError":
        """`count` rows lack the key, first of all those at `rows`, counted from 0, where they are known."""
        where = f" ({data_rows(rows)})" if rows else ""
        return cls(
            f"the key {key!r} is missing in {count:,} {plural(count, 'row')}{where}. "
            "Fill it in or remove those rows: a customer without a key cannot be handed to anyone."
        )

    @classmethod
    def events_without(cls, key: str, rows: Sequence[int], count: int) -> "KeyColumnError":
        """`count` events lack a customer, first of all those at `rows`, counted from 0, where they are known."""
        where = f" ({data_rows(rows)})" if rows else ""
        return cls(
            f"{key!r} is missing in {count:,} {plural(count, 'event')}{where}: nobody knows whose they are. To count "
            "them and leave them out: without_customer='drop' (on the command line: --without-customer drop)."
        )


class MissingValuesError(GaugerError, ValueError):
    """Raised when features hold missing values and nothing was said about them."""

    @classmethod
    def in_features(cls, counts: Mapping[str, int], n_customers: int) -> "MissingValuesError":
        """How many of `n_customers` lack each feature."""
        counted = ", ".join(f"{name} ({count:,} of {n_customers:,})" for name, count in counts.items())
        return cls(
            f"missing values in {counted}. Say what they mean: missing='zero' if nothing happened, "
            "'median' if it was not recorded, 'drop' to leave those customers out "
            "(on the command line: --missing zero, median or drop)."
        )


class ColumnValuesError(GaugerError, ValueError):
    """Raised when a column's values cannot be what they are needed for."""

    @classmethod
    def not_numbers(cls, column: str, values: Sequence[object], count: int) -> "ColumnValuesError":
        """`count` values of a column that must be numeric are something else, first of all the given ones.

        What they look like is told, not what they are: a column may hold names or addresses.
        """
        return cls(
            f"{column!r} has {count:,} {plural(count, 'value')} that {plural(count, 'is', 'are')} not a number, "
            f"written {written_like(values)}. Correct or empty them, or leave the column out."
        )

    @classmethod
    def dates(cls, column: str) -> "ColumnValuesError":
        """A column that must be numeric has dates."""
        return cls(f"{column!r} holds dates or times; turn them into days first (such as recency_days).")

    @classmethod
    def beyond_years(cls, column: str) -> "ColumnValuesError":
        """A column has dates that neither Python nor most databases can tell."""
        return cls(f"{column!r} has dates beyond the years 1 to 9999. Correct or empty them where the column is made.")

    @classmethod
    def beyond_treatment(cls, counts: Mapping[str, int], n_customers: int) -> "ColumnValuesError":
        """How many of `n_customers` have a value that the treatment learned cannot take, by feature."""
        counted = ", ".join(f"{name} ({count:,} of {n_customers:,})" for name, count in counts.items())
        return cls(
            f"the treatment learned cannot take some values of {counted}, such as refunds under a logarithm. Prepare "
            "all customers together with 'signed_log' or 'power', or leave those customers out (missing='drop')."
        )

    @classmethod
    def infinite(cls, column: str, rows: Sequence[int], count: int) -> "ColumnValuesError":
        """`count` values are infinite or as good as, first of all those at `rows`, counted from 0, where they are
        known."""
        where = f" ({data_rows(rows)})" if rows else ""
        return cls(
            f"{column!r} is infinite or beyond measure in {count:,} {plural(count, 'row')}{where}. That is "
            "most often a division by zero: correct it where the column is made."
        )


class SettingError(GaugerError, ValueError):
    """Raised when a setting is outside what the method, or the data at hand, allows."""

    @classmethod
    def not_one_of(cls, setting: str, given: object, allowed: Iterable[str]) -> "SettingError":
        """`given` is not among the words a setting may have."""
        words = list(allowed)
        near = nearest(str(given), words)
        hint = f" Did you mean {near}?" if near else ""
        return cls(f"{setting}={given!r} is not known; it can be {listed(words, most=16, last='or')}.{hint}")


class NoGroupsError(GaugerError):
    """Raised when the number of segments was left to the advice, and the customers form one group."""


class OutputError(GaugerError, OSError):
    """Raised when results cannot be written, or would overwrite what is there."""


class ClusterError(GaugerError, OSError):
    """Raised when a cluster is not there, is of another version, breaks off, or cannot see what it is to read."""

    @classmethod
    def scheduler_gone(cls) -> "ClusterError":
        """A scheduler that was there and is not any more."""
        return cls("the cluster's scheduler went away. Nothing was written: start it again, and segment again.")

    @classmethod
    def sees_no_file(cls, path: str) -> "ClusterError":
        """A path that a worker does not have."""
        return cls(
            f"a worker of the cluster cannot see a file ({path.rstrip('.')}). Files and results must be in a place "
            "that all workers share, under the same path."
        )


class MissingPackageError(GaugerError, ImportError):
    """Raised when something needs an optional package that is not installed."""


@contextmanager
def needed_package(package: str, extra: str) -> Iterator[None]:
    """Import an optional package inside this block: where it is missing, the error says which extra brings it."""
    try:
        yield
    except ModuleNotFoundError as error:
        raise MissingPackageError(f"this needs the package {package}: pip install 'gauger[{extra}]'.") from error
