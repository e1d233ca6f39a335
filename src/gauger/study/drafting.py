"""Draft a plan: what each column is, which are features and which are not and why, and a treatment for each."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from os import PathLike
from pathlib import Path
from typing import Any

import pandas as pd
from pandas.api import types

from gauger.columns import AnyTable, TableLook, checked_table, look, whole_table
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.study.plan_files import draft_text
from gauger.study.plan_parts import EventsPart, Plan, SourcePart
from gauger.study.proposals import Proposal, first_proposal, settled, with_gaps
from gauger.study.sources import read_customers, read_source, source_part
from gauger.tables import approve_typed, is_url, result_folder
from gauger.wording import listed, plural


@dataclass(frozen=True, repr=False)
class PlanDraft(Readable):
    """A plan to edit, made by `draft_plan`.

    Attributes
    ----------
    plan : Plan
        What is proposed.
    text : str
        The same as a file holds it, with the reasons as comments.
    left_out : mapping
        Why each of the other columns is no feature.
    remarks : tuple of Remark
        The cautions that remain when it is followed.

    Examples
    --------
    >>> import gauger
    >>> draft = gauger.draft_plan(gauger.demo_file("members.csv"), key="member_id")
    >>> list(draft.plan.features)[0]
    'age'
    """

    plan: Plan
    text: str
    left_out: Mapping[str, str]
    remarks: tuple[Remark, ...]

    def headline(self) -> str:
        many = len(self.plan.features)
        return f"plan with {many} {plural(many, 'feature')} by {self.plan.key}"

    def overview(self) -> pd.DataFrame:
        parts = {
            name: part.model_dump(include={"missing", "transform", "cap", "scale"})
            for name, part in self.plan.features.items()
        }
        table = pd.DataFrame.from_dict(parts, orient="index").rename_axis("feature")
        shown = table.drop(columns=[name for name in ("transform", "cap") if table[name].isna().all()])
        return shown.astype(object).where(shown.notna(), "–")

    def save(self, path: str | PathLike[str], *, replace: bool = False) -> Path:
        """Write the plan.

        Parameters
        ----------
        path : str or path-like
            Where; the folder should be the one that `draft_plan` was told with `beside`.
        replace : bool
            Whether a file that is there already may be replaced.

        Returns
        -------
        pathlib.Path
            The file written.

        Raises
        ------
        OutputError
            As `write_table` does.

        Examples
        --------
        >>> import gauger, tempfile
        >>> draft = gauger.draft_plan(gauger.demo_file("members.csv"), key="member_id")
        >>> with tempfile.TemporaryDirectory() as folder:
        ...     draft.save(f"{folder}/plan.toml").name
        'plan.toml'
        """
        file = Path(path)
        with result_folder(file.parent, [file.name], replace=replace) as results:
            results.path(file.name).write_text(self.text, encoding="utf-8")
        return file


def draft_plan(
    table: str | PathLike[str] | AnyTable | None,
    *,
    key: str,
    source: str | PathLike[str] | None = None,
    reading: Mapping[str, Any] | None = None,
    events: Mapping[str, Any] | None = None,
    beside: str | PathLike[str] = ".",
) -> PlanDraft:
    """Draft a plan to edit: each column's role, which are features and why not, and a treatment for each with a reason.

    Every proposal is what the remarks would ask for: it is tried, what is remarked of it is taken in, and what remains
    is said.

    Parameters
    ----------
    table : str, path-like, pandas.DataFrame or another table, optional
        The customers, a row each: a file, a database's URL, or what was read. With `events` it may be left out; it then
        says who has no event too.
    key : str
        The column that identifies a customer.
    source : str or path-like, optional
        Where a DataFrame was read from, and will be again.
    reading : mapping, optional
        The keyword arguments of `read_table` that the table needs.
    events : mapping, optional
        Events that become the customers' behaviour: "file" (or "url" with "table"), and what `summarise_events` takes:
        `{"file": "visits.csv", "when": "visited_on", "amount": "ticket_spend"}`.
    beside : str or path-like
        The folder that the plan will be in: its paths are relative to that.

    Returns
    -------
    PlanDraft
        `.save("plan.toml")` writes it.

    Raises
    ------
    SettingError
        When nothing in the table can be a feature.
    UnknownColumnError, KeyColumnError
        For a key that is not there, is missing or repeats.

    Examples
    --------
    >>> import gauger
    >>> visits = {"file": gauger.demo_file("visits.csv"), "when": "visited_on", "amount": "ticket_spend"}
    >>> draft = gauger.draft_plan(None, key="member_id", events=visits)
    >>> draft.plan.features["visits"].transform
    'log'
    """
    folder = Path(beside)
    if table is not None and not isinstance(table, (str, PathLike)):
        table = whole_table(table)
    part = _source(table, source, dict(reading or {}), folder)
    of_events = None if events is None else _events_part(events, key, folder)
    if part is None and of_events is None:
        raise SettingError("say which customers: a table, or events.")
    if of_events is not None:
        blank = Plan(key=key, source=part, events=of_events)
        customers = read_customers(blank, folder)
    elif isinstance(table, pd.DataFrame):
        customers = table
    else:
        assert part is not None
        customers = read_source(part, folder)
    seen = look(customers, key=key)
    start, as_missing = first_proposal(seen, key)
    if part is not None and as_missing:
        part = part.model_copy(update={"as_missing": {**as_missing, **part.as_missing}})
        customers = with_gaps(customers, as_missing)
    found, prepared = settled(customers, key, start, of_events is not None)
    return _drafted(found, prepared, seen, key, part, of_events)


def _source(
    table: object, source: str | PathLike[str] | None, reading: dict[str, Any], folder: Path
) -> SourcePart | None:
    for typed in (table, source):
        if isinstance(typed, str) and is_url(typed):
            approve_typed(typed, reading.get("query"))
    if isinstance(table, (str, PathLike)):
        return source_part(table, folder, reading)
    if isinstance(table, pd.DataFrame):
        return source_part("customers.csv" if source is None else source, folder, reading)
    return None


def _events_part(events: Mapping[str, Any], key: str, folder: Path) -> EventsPart:
    settings = dict(events)
    place = settings.pop("file", None) or settings.pop("url", None)
    if place is None:
        raise SettingError("say where the events are: file, or url with a table.")
    if is_url(str(place)):
        approve_typed(str(place), settings.get("query"))
    own = {name: settings.pop(name) for name in list(settings) if name not in SourcePart.model_fields}
    part = source_part(place, folder, settings)
    if own.get("when") is None:
        own["when"] = _only_date(read_source(part, folder, named="events"), key)
    return EventsPart.model_validate({**part.model_dump(), **own})


def _only_date(table: pd.DataFrame, key: str) -> str:
    """The column of dates among events, where there is one."""
    checked_table(table, [key])
    dates = [str(name) for name in table.columns if types.is_datetime64_any_dtype(table[name])]
    if len(dates) != 1:
        found = f"{listed(dates, most=6)} hold dates" if dates else "no column holds dates"
        raise SettingError(f"say when events happened: when= (on the command line: --when COLUMN); {found}.")
    return dates[0]


def _drafted(
    found: Proposal,
    prepared: FeatureSet,
    seen: TableLook,
    key: str,
    source: SourcePart | None,
    events: EventsPart | None,
) -> PlanDraft:
    plan = Plan.model_validate(
        {
            "key": key,
            "source": None if source is None else source.model_dump(),
            "events": None if events is None else events.model_dump(),
            "features": {name: part.model_dump() for name, part in found.features.items()},
        }
    )
    notes: dict[tuple[str, ...], str] = {("segments", "count"): "or a number, once gauger counts --plan has told"}
    for name in found.features:
        notes["features", name] = ": ".join(map(str, seen.columns.loc[name, ["role", "because"]]))
        for setting, why in found.reasons.get(name, {}).items():
            notes["features", name, setting] = why
    remaining = tuple(remark for remark in prepared.remarks if remark.code != "columns-left-out")
    text = draft_text(plan, notes, list(_about(found, remaining)), _OPTIONAL)
    return PlanDraft(plan, text, found.left_out, remaining)


def _about(found: Proposal, remaining: tuple[Remark, ...]) -> Iterator[str]:
    if found.left_out:
        yield "Not features, and why:"
        for name, why in found.left_out.items():
            yield f"  {name}: {why}"
    for remark in remaining:
        yield f"What remains: {remark.text}"


_OPTIONAL = """
Parts that a run follows where they stand without the sign for comments:

[profile.table]  # describe segments by another table of the same customers
file = "members.csv"

[[compare]]  # compare segments with something that is known of customers
column = "answer"
table = { file = "panel.csv" }

[hand_off]  # write audience files for a campaign, with a holdout
campaign = "autumn"
contacts = { file = "members.csv" }

[report]  # one page for people; a workbook too
title = "Our customers this quarter"
workbook = true

[remarks]  # cautions that a scheduled run does not accept
refuse = ["raw-scales", "few-customers"]
"""
