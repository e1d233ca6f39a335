"""Where a study's customers come from: read again as they were read, and compared with what they were."""

import hashlib
import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, TypeVar

import numpy as np
import pandas as pd

from gauger.errors import MissingFileError, SettingError, StudyError
from gauger.features import moment_of, summarise_events
from gauger.progress import task
from gauger.remarks import Remark, attach_remarks, remarks_of
from gauger.study.plan_files import from_environment, hidden_variables
from gauger.study.plan_parts import EventsPart, Plan, SourcePart
from gauger.tables import (
    PASSWORD_VARIABLE,
    Connection,
    PlanUrl,
    approve,
    approve_typed,
    is_url,
    password_as,
    read_table,
    refuse_unapproved,
    standing_in,
    without_password,
)

Part = TypeVar("Part", bound=SourcePart)

_READING = ("sheet", "table", "query", "decimal", "thousands", "dates", "as_text", "as_missing", "header", "encoding")
_EVENT_SETTINGS = tuple(
    name for name in EventsPart.model_fields if name not in (*SourcePart.model_fields, "period", "lookup", "on")
)


@dataclass(frozen=True)
class Content:
    """What a source holds: the bytes of a file, or the rows of a database's table; and their SHA-256."""

    bytes: int | None
    rows: int | None
    sha256: str


def source_part(source: str | os.PathLike[str], beside: Path, reading: dict[str, Any] | None = None) -> SourcePart:
    """The part of a plan in the folder `beside` that says where a table comes from and how it is read.

    A password in a URL becomes the name of an environment variable.
    """
    settings = {name: value for name, value in (reading or {}).items() if value not in (None, (), [], {}, "")}
    settings = {**settings, "as_text": list(settings.get("as_text", []))}
    settings["as_missing"] = {name: str(value) for name, value in settings.get("as_missing", {}).items()}
    settings["skip_bad_lines"] = bool(settings.get("skip_bad_lines"))
    if isinstance(source, str) and is_url(source):
        return SourcePart.model_validate({"url": password_as(source, PASSWORD_VARIABLE), **settings})
    return SourcePart.model_validate({"file": _relative(Path(source), beside), **settings})


def moved_part(part: Part, beside: Path, folder: Path) -> Part:
    """The same source as the plan in another folder says it."""
    if isinstance(part, EventsPart) and part.lookup is not None:
        part = part.model_copy(update={"lookup": moved_part(part.lookup, beside, folder)})
    if part.file is None:
        return part
    here = Path(part.file) if "${" in part.file else beside / part.file
    return part.model_copy(update={"file": _relative(here, folder)})


def elsewhere(
    plan: Plan,
    beside: Path,
    *,
    source: str | os.PathLike[str] | None = None,
    events: str | os.PathLike[str] | None = None,
    as_of: str | None = None,
) -> Plan:
    """The plan of the folder `beside` for other files or databases, or up to another moment."""
    changes: dict[str, Any] = {}
    for name, given in (("source", source), ("events", events)):
        if given is None:
            continue
        part = getattr(plan, name)
        if part is None:
            other = "events" if name == "source" else "source"
            raise SettingError(
                f"the plan has no part [{name}] that other files could stand in for: its customers come from [{other}]."
            )
        place = source_part(given, beside)
        if place.url is not None:
            approve_typed(str(given), part.query)
        there = {"table": part.table, "query": part.query} if place.url is not None else {"table": None, "query": None}
        changes[name] = part.model_copy(update={"file": place.file, "url": place.url, **there})
    if as_of is not None:
        if plan.events is None:
            raise SettingError("as_of= is up to when events count, and the plan has no part [events].")
        moment_of(as_of, "as_of")
        changes["events"] = changes.get("events", plan.events).model_copy(update={"as_of": as_of})
    return plan.model_copy(update=changes)


def parts_of(plan: Plan) -> list[SourcePart]:
    """Every source that a plan names."""
    handed = [] if plan.hand_off is None else [plan.hand_off.contacts, plan.hand_off.suppress]
    lookup = None if plan.events is None else plan.events.lookup
    found = [plan.source, plan.events, lookup, plan.profile.table, *(one.table for one in plan.compare), *handed]
    return [part for part in found if part is not None]


def connections_of(plan: Plan) -> list[Connection]:
    """Every database that a plan names, with what it does there."""
    lookup = None if plan.events is None else plan.events.lookup
    parts = {"source": plan.source, "events": plan.events, "events.lookup": lookup, "profile.table": plan.profile.table}
    parts |= {f"compare.table {at}": one.table for at, one in enumerate(plan.compare, 1)}
    if plan.hand_off is not None:
        parts |= {"hand_off.contacts": plan.hand_off.contacts, "hand_off.suppress": plan.hand_off.suppress}
    found = [
        Connection(part.url, part.query, named == "source" and plan.into is not None, named)
        for named, part in parts.items()
        if part is not None and part.url is not None
    ]
    if plan.hand_off is not None and is_url(plan.hand_off.format):
        found.append(Connection(plan.hand_off.format, writes=True, named="hand_off"))
    return found


def approve_plan(plan: Plan) -> None:
    """Approve and remember every database and query that a plan names."""
    for one in connections_of(plan):
        approve(one)


def moved_plan(plan: Plan, beside: Path, folder: Path) -> Plan:
    """The same plan for another folder: its paths lead to the same places from there."""
    changed: dict[str, Any] = {name: _moved(getattr(plan, name), beside, folder) for name in ("source", "events")}
    changed["profile"] = plan.profile.model_copy(update={"table": _moved(plan.profile.table, beside, folder)})
    changed["compare"] = [
        one.model_copy(
            update={
                "table": _moved(one.table, beside, folder),
                "study": None if one.study is None else _relative(beside / one.study, folder),
            }
        )
        for one in plan.compare
    ]
    if plan.hand_off is not None:
        own = {name: _moved(getattr(plan.hand_off, name), beside, folder) for name in ("contacts", "suppress")}
        changed["hand_off"] = plan.hand_off.model_copy(update=own)
    return plan.model_copy(update=changed)


def _moved(part: Part | None, beside: Path, folder: Path) -> Part | None:
    return None if part is None else moved_part(part, beside, folder)


def _relative(file: Path, beside: Path) -> str:
    """A path as seen from a folder; as it is where none leads there, as between two drives, or the environment does."""
    if "${" in str(file):
        return str(file)
    try:
        return Path(os.path.relpath(file.resolve(), beside.resolve())).as_posix()
    except ValueError:
        return str(file)


def with_content(part: Part, beside: Path, table: pd.DataFrame) -> Part:
    """The part with what the source holds now; `table` is what was read of it."""
    found = _content(part, beside, table)
    return part.model_copy(update={"bytes": found.bytes, "rows": found.rows, "sha256": found.sha256})


def place_of(part: SourcePart, beside: Path, *, named: str = "source", writes: bool = False) -> str:
    """The path of a source, or its URL as it is written.

    Raises UnapprovedError for a connection or a query that the user has not approved. A file that the study keeps may
    still wait for its place.
    """
    if part.url is not None:
        refuse_unapproved([Connection(part.url, part.query, writes, named)])
        return PlanUrl(part.url)
    file = Path(from_environment(part.file or ""))
    return str(standing_in(beside).path(file.name) if file.name == str(file) else beside / file)


def shown_file(part: SourcePart, beside: Path) -> str:
    """The path of a source with its variables as they are written."""
    return str(beside / (part.file or ""))


def shown_place(part: SourcePart) -> str:
    """The path or URL of a source as it may be shown."""
    return without_password(part.url or part.file or "")


def read_source(part: SourcePart, beside: Path, *, named: str = "") -> pd.DataFrame:
    """The table of a source, as a plan in the folder `beside` says; a remark tells when it holds something else now.

    Raises StudyError when a file is gone, with the option to give, or with the part of the plan that has `named` it.
    """
    place = place_of(part, beside, named=named or "source")
    try:
        with hidden_variables(part.file or ""), _bad_lines(part) as kept:
            table = read_table(place, **{name: _setting(part, name) for name in _READING}, skip_bad_lines=kept)
    except MissingFileError as error:
        raise StudyError(_gone(shown_file(part, beside), named)) from error
    changed = list(about_change(part, beside, table))
    if changed:
        attach_remarks(table, [*remarks_of(table), *changed])
    return table


def _gone(place: str, named: str) -> str:
    if named:
        return f"there is no file {place}, which the plan names in [{named}]. Correct the path there."
    return f"the source of this study is gone: there is no file {place}. Say where it is now: --source FILE."


def _setting(part: SourcePart, name: str) -> Any:
    return getattr(part, name) or None if name == "as_missing" else getattr(part, name)


@contextmanager
def _bad_lines(part: SourcePart) -> Iterator[Path | None]:
    """A file that malformed lines go to and that nobody needs again: the first reading kept them."""
    if not part.skip_bad_lines:
        yield None
        return
    with TemporaryDirectory() as folder:
        yield Path(folder, "bad-lines.csv")


def read_customers(plan: Plan, beside: Path, *, named: bool = False) -> pd.DataFrame:
    """The customers that a plan speaks of: its source, or the behaviour that its events come to.

    Where a file is gone, the error says which part of the plan has `named` it, or the option to give.
    """
    if plan.events is None:
        assert plan.source is not None
        return read_source(plan.source, beside, named="source" if named else "")
    everyone = None if plan.source is None else read_source(plan.source, beside, named="source")
    events = plan.events
    file = place_of(events, beside, named="events")
    settings = event_settings(plan, beside)
    if _plain(events) and Path(file).is_file():
        with hidden_variables(events.file or ""):
            behaviour: pd.DataFrame = summarise_events(file, customers=everyone, **settings)
        changed = list(about_change(events, beside, behaviour)) if events.sha256 else []
    else:
        table = read_source(events, beside, named="events")
        behaviour = summarise_events(table, customers=everyone, **settings)
        changed = list(remarks_of(table))
    attach_remarks(behaviour, [*remarks_of(behaviour), *changed])
    return behaviour


def event_settings(plan: Plan, beside: Path) -> dict[str, Any]:
    """The keyword arguments of `summarise_events` that a plan says, its lookup read."""
    events = plan.events
    assert events is not None
    settings = {**{name: getattr(events, name) for name in _EVENT_SETTINGS}, "customer": plan.key}
    if events.lookup is not None:
        settings |= {"lookup": read_source(events.lookup, beside, named="events.lookup"), "on": events.on}
    return settings


def _plain(part: SourcePart) -> bool:
    """Whether a file needs no telling how to read it, so that one larger than memory can be summarised."""
    default = SourcePart.model_construct(file=part.file)
    told = [name for name in (*_READING, "skip_bad_lines") if getattr(part, name) != getattr(default, name)]
    return not told and Path(part.file or "").suffix.lower() in (".csv", ".tsv", ".parquet")


def about_change(part: SourcePart, beside: Path, table: pd.DataFrame) -> Iterator[Remark]:
    """A remark when a source no longer holds what it did."""
    if part.sha256 is None:
        return
    now = _content(part, beside, table)
    if now.sha256 != part.sha256:
        yield Remark(
            "source-changed",
            f"{shown_place(part)} has changed since the study was made ({_told(part)} then, {_told(now)} now): what "
            "follows is of the customers as they are now. Segment them again if the segments shall be too.",
        )


def about_changed_events(part: EventsPart, beside: Path) -> Iterator[Remark]:
    """A remark when a file of events, whose behaviour was kept, no longer holds what it did."""
    if part.sha256 is None or part.file is None or not Path(place_of(part, beside)).is_file():
        return
    if _content(part, beside, pd.DataFrame()).sha256 != part.sha256:
        yield Remark(
            "source-changed",
            f"{shown_place(part)} has changed since the study was made: what follows is of the behaviour as it was. "
            "Run the plan again for the behaviour as it is (gauger run).",
        )


def _told(content: SourcePart | Content) -> str:
    return f"{content.bytes:,} bytes" if content.bytes is not None else f"{content.rows or 0:,} rows"


def _content(part: SourcePart, beside: Path, table: pd.DataFrame) -> Content:
    if part.url is not None:
        return Content(None, len(table), digest_of_rows(table))
    file = Path(place_of(part, beside))
    with task(f"checking {Path(part.file or '').name}"), file.open("rb") as stream:
        return Content(file.stat().st_size, None, hashlib.file_digest(stream, hashlib.sha256).hexdigest())


def digest_of_rows(table: pd.DataFrame) -> str:
    """SHA-256 of a table's names and rows, whatever the order of rows: a database has none."""
    rows = pd.util.hash_pandas_object(table, index=False).to_numpy()
    digest = hashlib.sha256("\n".join(map(str, table.columns)).encode())
    digest.update(np.sort(rows).tobytes())
    return digest.hexdigest()
