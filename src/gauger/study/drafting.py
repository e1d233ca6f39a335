"""Draft a plan: what each column is, which are features and which are not and why, and a treatment for each."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from os import PathLike
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
from pandas.api import types

from gauger.algorithms.statistics import correlation_matrix, skewness
from gauger.columns import TableLook, checked_table, look
from gauger.errors import SettingError
from gauger.features import HIGH_CORRELATION, FeatureSet, prepare
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.study.plan import EventsPart, FeaturePart, Plan, SourcePart
from gauger.study.plan_files import draft_text
from gauger.study.sources import read_customers, read_source, source_part
from gauger.tables import result_folder
from gauger.wording import listed, percent, plain_number, plural, short_number

_MOST_MISSING = 0.5
"""A column that more than half of the customers lack is no feature: judgement."""

_ROUNDS = 8
"""Times that what is proposed is tried, and what is remarked of it taken in; four have been the most that it took."""

_FAR = 6.0
"""Standard deviations from which a value is pulled in where customers lie far outside all the others: judgement."""

_CAP = (0.0, 0.99)
"""The quantiles of a cap that remarks propose."""

_CAP_OF_TRANSFORMED = (0.0, 0.95)
"""The same of a feature whose tail a transform has not pulled in."""

_NOT_MEASURES = {
    "flag": "a flag: a filter tells those customers apart; for the profile",
    "category": "text; for the profile. To segment by it, put it under [categories]",
    "ordinal code": "a code in steps, no amount; for the profile. To segment by it, put it under [categories]",
    "date": "a date: turn it into days first (such as recency_days)",
    "text": "free text",
    "constant": "the same for everyone",
    "empty": "empty",
    "key": "it names customers or their records",
}
"""Why a column of a role is no feature."""


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


@dataclass(frozen=True)
class _Proposal:
    """What is proposed for each column: its treatment with a reason for each setting, or why it is no feature."""

    features: Mapping[str, FeaturePart]
    reasons: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    left_out: Mapping[str, str] = field(default_factory=dict)

    def without(self, name: str, why: str) -> "_Proposal":
        kept = {one: part for one, part in self.features.items() if one != name}
        return replace(self, features=kept, left_out={**self.left_out, name: why})

    def having(self, name: str, setting: str, value: object, why: str) -> "_Proposal":
        part = self.features[name].model_copy(update={setting: value})
        reasons = {**self.reasons.get(name, {}), setting: why}
        return replace(self, features={**self.features, name: part}, reasons={**self.reasons, name: reasons})


def draft_plan(
    table: str | PathLike[str] | pd.DataFrame | None,
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
    table : str, path-like or pandas.DataFrame, optional
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
    start, as_missing = _first(seen, key)
    if part is not None and as_missing:
        part = part.model_copy(update={"as_missing": {**as_missing, **part.as_missing}})
        customers = _with_gaps(customers, as_missing)
    found, prepared = _settled(customers, key, start, of_events is not None)
    return _drafted(found, prepared, seen, key, part, of_events)


def _source(
    table: object, source: str | PathLike[str] | None, reading: dict[str, Any], folder: Path
) -> SourcePart | None:
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
    own = {name: settings.pop(name) for name in list(settings) if name not in SourcePart.model_fields}
    part = source_part(place, folder, settings)
    if own.get("when") is None:
        own["when"] = _only_date(read_source(part, folder, option="--events"), key)
    return EventsPart.model_validate({**part.model_dump(), **own})


def _only_date(table: pd.DataFrame, key: str) -> str:
    """The column of dates among events, where there is one."""
    checked_table(table, [key])
    dates = [str(name) for name in table.columns if types.is_datetime64_any_dtype(table[name])]
    if len(dates) != 1:
        found = f"{listed(dates, most=6)} hold dates" if dates else "no column holds dates"
        raise SettingError(f"say when events happened: when= (on the command line: --when COLUMN); {found}.")
    return dates[0]


def _first(seen: TableLook, key: str) -> tuple[_Proposal, dict[str, str]]:
    """Every measure as a feature, every other column left out with its reason; and values that stand for none."""
    features, left_out = {}, {}
    for name, row in seen.columns.iterrows():
        if name == key:
            continue
        if row["role"] in ("measure", "count"):
            features[str(name)] = FeaturePart()
        else:
            left_out[str(name)] = _NOT_MEASURES.get(str(row["role"]), str(row["because"]))
    stand_ins = [remark for remark in seen.remarks if remark.code == "sentinel"]
    named = {name for remark in stand_ins for name in remark.features if name in features}
    as_missing = {name: f"{_stand_in(seen, name):g}" for name in sorted(named)}
    return _Proposal(features, {}, left_out), as_missing


def _stand_in(seen: TableLook, name: str) -> float:
    """The extreme value that stands for none: the lowest where that is below zero, else the highest."""
    low, high = (float(seen.columns.loc[name, end]) for end in ("min", "max"))  # type: ignore[arg-type]
    return low if low < 0.0 else high


def _with_gaps(table: pd.DataFrame, as_missing: Mapping[str, str]) -> pd.DataFrame:
    changed = {
        name: table[name].astype(np.float64).mask(table[name] == float(value)) for name, value in as_missing.items()
    }
    return table.assign(**changed)


def _settled(table: pd.DataFrame, key: str, found: _Proposal, of_events: bool) -> tuple[_Proposal, FeatureSet]:
    """What is proposed once it has been tried, and what was remarked of it has been taken in."""
    found = _without_gaps(table, found, of_events)
    for _ in range(_ROUNDS):
        if not found.features:
            raise SettingError(
                "nothing in the table can be a feature: there is no column of amounts or counts. Summarise events to "
                "behaviour first (gauger features)."
            )
        prepared = _prepared(table, key, found)
        better = _taken_in(table, found, prepared)
        if better is None:
            break
        found = better
    return found, prepared


def _prepared(table: pd.DataFrame, key: str, found: _Proposal) -> FeatureSet:
    plan = Plan(key=key, source=SourcePart(file="-"), features=dict(found.features))
    return prepare(table, **plan.preparation())


def _without_gaps(table: pd.DataFrame, found: _Proposal, of_events: bool) -> _Proposal:
    """A meaning for every missing value, and a reason for it."""
    for name in list(found.features):
        gaps = int(table[name].isna().sum())
        share = gaps / len(table)
        if share > _MOST_MISSING:
            found = found.without(name, f"missing for {percent(share)} of the customers")
        elif gaps:
            many = f"{gaps:,} {plural(gaps, 'customer lacks', 'customers lack')} it ({percent(share)})"
            other = "" if of_events else '; "zero" if nothing happened, "drop" to leave them out'
            found = found.having(name, "missing", "median", f"{many}: taken as usual{other}")
    return found


def _taken_in(table: pd.DataFrame, found: _Proposal, prepared: FeatureSet) -> _Proposal | None:
    """The proposal with the first thing changed that its remarks ask for; None when they ask for nothing more."""
    remarks = {remark.code: remark for remark in prepared.remarks}
    for code, why in (
        ("identifier", "different for every customer, like an identifier"),
        ("constant", "the same for everyone"),
        ("near-constant", "nearly the same for everyone: it would set a few customers far apart"),
        ("code-as-measure", _NOT_MEASURES["ordinal code"]),
    ):
        if code in remarks:
            for name in remarks[code].features:
                found = found.without(name, why)
            return found
    if "zero-for-missing" in remarks:
        for name in remarks["zero-for-missing"].features:
            found = found.having(name, "missing", "median", "zero would mean the opposite of unknown")
        return found
    if "heavy-tail" in remarks:
        return _with_shorter_tails(table, found, remarks["heavy-tail"].features)
    if "composite" in remarks:
        total, *parts = remarks["composite"].features
        return found.without(total, f"the sum of {listed(parts, most=6)}: both would count twice")
    twice = _most_alike(prepared)
    if twice is not None:
        first, second, r = twice
        return found.without(second, f"it says the same as {first} (r = {r:.2f}): both would count twice")
    if "extreme-customers" in remarks:
        return _with_caps(found, prepared)
    return None


def _with_shorter_tails(table: pd.DataFrame, found: _Proposal, names: tuple[str, ...]) -> _Proposal:
    for name in names:
        part = found.features[name]
        skew = f"skew {skewness(table[name].dropna().to_numpy(dtype=np.float64)):.1f}"
        if part.transform is None:
            curve = "signed_log" if float(table[name].min()) < 0.0 else "log"
            found = found.having(name, "transform", curve, f"a long tail ({skew})")
        elif part.cap is None:
            cap = list(_CAP_OF_TRANSFORMED)
            found = found.having(name, "cap", cap, f"a tail that the transform leaves ({skew})")
        else:
            usual = plain_number(float(table[name].median()))
            found = found.without(name, f"a tail that neither transform nor cap pulls in: most have about {usual}")
    return found


def _most_alike(prepared: FeatureSet) -> tuple[str, str, float] | None:
    """Two features that say the same, the one that stands first in the table first; None when no two do."""
    names = prepared.names
    if len(names) < 2 or len(prepared.keys) < 3:
        return None
    r = np.triu(correlation_matrix(prepared.values), k=1)
    r = np.nan_to_num(r)
    one, other = np.unravel_index(int(np.abs(r).argmax()), r.shape)
    if abs(r[one, other]) < HIGH_CORRELATION:
        return None
    return names[int(one)], names[int(other)], float(r[one, other])


def _with_caps(found: _Proposal, prepared: FeatureSet) -> _Proposal | None:
    """Caps on what sets a few customers far outside all the others."""
    spread = np.maximum(prepared.values.std(axis=0), np.finfo(np.float64).tiny)
    far = np.abs(prepared.values - prepared.values.mean(axis=0)).max(axis=0) / spread
    open_to = [
        (float(distance), name)
        for distance, name in zip(far, prepared.names, strict=True)
        if name in found.features and found.features[name].cap is None
    ]
    chosen = [(distance, name) for distance, name in open_to if distance >= _FAR] or sorted(open_to)[-1:]
    for distance, name in chosen:
        why = f"a few lie {short_number(distance)} standard deviations out"
        found = found.having(name, "cap", list(_CAP), why)
    return found if chosen else None


def _drafted(
    found: _Proposal,
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


def _about(found: _Proposal, remaining: tuple[Remark, ...]) -> Iterator[str]:
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

[remarks]  # cautions that a scheduled run does not accept
refuse = ["raw-scales", "few-customers"]
"""
