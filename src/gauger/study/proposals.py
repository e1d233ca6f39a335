"""What is proposed for the columns of a table: tried, and what is remarked of it taken in, until nothing is."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
import pandas as pd

from gauger.algorithms.statistics import correlation_matrix, skewness
from gauger.columns import TableLook
from gauger.errors import SettingError
from gauger.features import HIGH_CORRELATION, FeatureSet, prepare
from gauger.study.plan_parts import FeaturePart, Plan, SourcePart
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


@dataclass(frozen=True)
class Proposal:
    """What is proposed for each column: its treatment with a reason for each setting, or why it is no feature."""

    features: Mapping[str, FeaturePart]
    reasons: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    left_out: Mapping[str, str] = field(default_factory=dict)

    def without(self, name: str, why: str) -> "Proposal":
        kept = {one: part for one, part in self.features.items() if one != name}
        return replace(self, features=kept, left_out={**self.left_out, name: why})

    def having(self, name: str, setting: str, value: object, why: str) -> "Proposal":
        part = self.features[name].model_copy(update={setting: value})
        reasons = {**self.reasons.get(name, {}), setting: why}
        return replace(self, features={**self.features, name: part}, reasons={**self.reasons, name: reasons})


def first_proposal(seen: TableLook, key: str) -> tuple[Proposal, dict[str, str]]:
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
    return Proposal(features, {}, left_out), as_missing


def _stand_in(seen: TableLook, name: str) -> float:
    """The extreme value that stands for none: the lowest where that is below zero, else the highest."""
    low, high = (float(seen.columns.loc[name, end]) for end in ("min", "max"))  # type: ignore[arg-type]
    return low if low < 0.0 else high


def with_gaps(table: pd.DataFrame, as_missing: Mapping[str, str]) -> pd.DataFrame:
    changed = {
        name: table[name].astype(np.float64).mask(table[name] == float(value)) for name, value in as_missing.items()
    }
    return table.assign(**changed)


def settled(table: pd.DataFrame, key: str, found: Proposal, of_events: bool) -> tuple[Proposal, FeatureSet]:
    """What is proposed once it has been tried, and what was remarked of it has been taken in."""
    found = _filled(table, found, of_events)
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


def _prepared(table: pd.DataFrame, key: str, found: Proposal) -> FeatureSet:
    plan = Plan(key=key, source=SourcePart(file="-"), features=dict(found.features))
    return prepare(table, **plan.preparation())


def _filled(table: pd.DataFrame, found: Proposal, of_events: bool) -> Proposal:
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


def _taken_in(table: pd.DataFrame, found: Proposal, prepared: FeatureSet) -> Proposal | None:
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


def _with_shorter_tails(table: pd.DataFrame, found: Proposal, names: tuple[str, ...]) -> Proposal:
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


def _with_caps(found: Proposal, prepared: FeatureSet) -> Proposal | None:
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
