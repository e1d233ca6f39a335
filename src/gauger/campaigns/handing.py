"""Hand an audience to a campaign: consent, suppression, duplicates, a holdout, and the account of all of it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from os import PathLike
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from gauger.campaigns import eligible
from gauger.campaigns.arms import detectable_uplift
from gauger.campaigns.eligible import STEPS
from gauger.campaigns.files import FORMATS, database_of, write_files
from gauger.campaigns.folders import whole_folder
from gauger.campaigns.journey import Journey
from gauger.campaigns.manifest import MANIFEST, PAGE, manifest_of, write_manifest
from gauger.campaigns.people import People
from gauger.campaigns.suppression import Suppression, about_suppression
from gauger.columns import checked_table, refuse_bad_key
from gauger.errors import SettingError, UnknownColumnError
from gauger.models import SegmentModel
from gauger.profiling import checked_assignments
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME, Segmentation
from gauger.wording import listed, plural

MATCHES = ("email", "phone")

_LEAST_UPLIFT = 0.05


@dataclass(frozen=True, repr=False, eq=False)
class HandOff(Readable):
    """A hand-off as it was written.

    `.waterfall` has a row a segment (and "unassigned", "all") and a column for everyone, each step on which customers
    left, and the contacted: rows add up. `.holdouts` has a row a segment that is contacted: contacted, holdout, and the
    smallest uplift that its holdout can show (`uplift`, a share, from `base_rate`). `.customers` has a row a customer:
    the key, segment and step. `.manifest` is what manifest.json says, `.folder` where everything stands.
    """

    folder: Path
    waterfall: pd.DataFrame
    holdouts: pd.DataFrame
    customers: pd.DataFrame
    manifest: dict[str, Any]
    remarks: tuple[Remark, ...] = ()

    @property
    def paths(self) -> list[Path]:
        """The files written; tables of a database are not among them."""
        names = [one["name"] for one in self.manifest["files"] if one["sha256"] is not None]
        return [self.folder / name for name in (*names, MANIFEST, PAGE)]

    def headline(self) -> str:
        steps = self.manifest["waterfall"]["customers"]["all"]
        return (
            f"{self.manifest['campaign']}: {steps['contacted']:,} of {steps['everyone']:,} "
            f"{plural(steps['everyone'], 'customer')} to be contacted, {steps['holdout']:,} held out"
        )

    def overview(self) -> pd.DataFrame:
        return self.waterfall


def hand_off(
    assignments: pd.DataFrame | Segmentation,
    contacts: pd.DataFrame,
    folder: str | PathLike[str],
    *,
    campaign: str,
    key: str | None = None,
    segments: Sequence[int | str] | None = None,
    columns: Sequence[str] | None = None,
    holdout: float = 0.1,
    suppress: object = None,
    consent: str | None = "consent_email",
    min_size: int = 0,
    match_on: str | Sequence[str] | None = None,
    address: str | None = "email",
    email: str | None = "email",
    phone: str | None = "phone",
    region: str | None = None,
    refusal_binds: str = "person",
    unreadable: str = "refuse",
    format: str = "csv",  # noqa: A002 - the word for it
    base_rate: float = 0.02,
    seed: int = 0,
    model: SegmentModel | None = None,
    made_at: datetime | None = None,
    replace: bool = False,
) -> HandOff:
    """Write one audience file a segment and one of all, the arms, and a manifest, into a folder of their own.

    - `assignments` has a row a customer: the key (its first column, or `key`), segment, perhaps segment_name; or a
      Segmentation. `contacts` has the same key, consent, and addresses. The unassigned go in only when `segments` names
      0 or "unassigned"; by default all segments go in, else those named by number or name.
    - `consent` is a column of contacts that says yes or no; a gap is no. consent=None says in so many words that none
      is needed. Where one of several contacts who share an address says no, that binds all of them; with
      `refusal_binds="customer"` only that one.
    - `suppress` is a table with the key, the e-mail or the telephone column, or a list of any of them. Who shares an
      address with somebody suppressed is suppressed too, also by way of contacts in no segment. A key that is nobody's
      as it is written names whoever's differs only by case, leading zeros, `.0` or Unicode form. A remark and the
      manifest say how many entries were read, matched somebody, matched nobody; entries that cannot be read are refused
      unless `unreadable="skip"`.
    - `region` is the country (ISO 3166, such as "GB") of telephone numbers that do not say theirs.
    - `address` is the column that the campaign needs ("email", "phone" or another; None for none): who has no usable
      one is left out. `email` and `phone` name the columns by which one person is told twice: of those who may be
      contacted and share an address only the lowest key goes.
    - `holdout` is the share of each segment that is not contacted, to measure by. Segments of fewer than `min_size` who
      could be contacted are left out. `base_rate` is the response expected without the campaign: the hand-off says what
      uplift over it each holdout can show.
    - `columns` are those of contacts that the files have after key, segment, segment_name and arm; by default only the
      address. `format` is csv, jsonl, parquet, xlsx, sqlite, or the URL of a PostgreSQL database. `match_on` "email" or
      "phone" (or both) also writes SHA-256 hashes of addresses, for platforms that match by them, and no plain address
      beside them.
    - `model` lends the manifest its fingerprint, `made_at` its time (by default now). The same call gives the same
      bytes but for the time.

    Everything appears at once, by a rename, or nothing; files can be read by their owner only. No address is in remarks
    or messages.

    Raises UnknownColumnError for columns that are not there (a missing consent column among them), KeyColumnError for a
    member that comes twice, ColumnValuesError for consent in other words, SettingError for settings that are none, and
    OutputError when the folder holds something or writing fails.

    >>> import gauger, pandas as pd, tempfile
    >>> who = pd.DataFrame({"who": list("abcd"), "segment": [1, 1, 2, 0]})
    >>> contacts = pd.DataFrame({"who": list("abcd"), "consent_email": [1, 0, 1, 1]})
    >>> contacts["email"] = [f"{one}@example.org" for one in "abcd"]
    >>> with tempfile.TemporaryDirectory() as place:
    ...     made = gauger.hand_off(who, contacts, f"{place}/spring", campaign="spring", holdout=0.0)
    >>> made.waterfall.loc["all", ["everyone", "unassigned", "no consent", "contacted"]].tolist()
    [4, 1, 1, 2]
    """
    match = [match_on] if isinstance(match_on, str) else list(match_on or ())
    _refuse(campaign, holdout, min_size, match, format, base_rate)
    for setting, given, words in (
        ("refusal_binds", refusal_binds, ("person", "customer")),
        ("unreadable", unreadable, ("refuse", "skip")),
    ):
        if given not in words:
            raise SettingError.not_one_of(setting, given, words)
    customers, names = _assigned(assignments, key)
    own_key = str(customers.columns[0])
    people = _contacts(contacts, own_key, [consent, *(columns or ()), address])
    chosen = _chosen(segments, names)
    known = People.of(people, email, phone, region)
    suppression = Suppression.of(suppress, key=own_key, email=email, phone=phone, region=region)
    if unreadable == "refuse":
        suppression.refuse_unreadable()
    suppressed, account = suppression.found_among(people.index, known)
    state = Journey.of(customers, people, own_key, known)
    remarks = list(about_suppression(account))
    remarks += state.sort_out(
        chosen,
        consent=consent,
        refusal_binds=refusal_binds,
        suppressed=suppressed,
        address=address,
        kinds={email: "email", phone: "phone"},
        min_size=min_size,
    )
    state.hold_out(holdout, campaign, seed)
    waterfall = _waterfall(state, names)
    holdouts = _holdouts(state, names, base_rate)
    remarks += list(_about_holdouts(holdouts, base_rate))
    audience, arms_table = _tables(state, names, [*(columns if columns is not None else [address] if address else [])])
    settings = {
        "segments": "all" if segments is None else sorted(chosen),
        "columns": list(audience.columns),
        "holdout": holdout,
        "refusal_binds": refusal_binds,
        "suppression": {
            "read": account.read,
            "matched": account.matched,
            "nobody": account.nobody,
            "unreadable": account.unreadable,
        },
        "consent": consent if consent is not None else "not needed, as the caller said",
        "address": address,
        "min_size": min_size,
        "match_on": match,
        "base_rate": base_rate,
        "seed": seed,
        "format": format if format in FORMATS else "database",
    }
    target = Path(folder)
    with database_of(format) as connection, whole_folder(target, replace=replace) as stage:
        hashes = state.hashes(match)
        files = write_files(
            stage, audience, arms_table, hashes, names, campaign=campaign, kind=format, connection=connection
        )
        manifest = manifest_of(
            campaign=campaign,
            made_at=(made_at or datetime.now(UTC)).isoformat(timespec="seconds"),
            key=own_key,
            settings=settings,
            names=names,
            waterfall=waterfall,
            holdouts=holdouts,
            files=files,
            fingerprint=model.fingerprint if model is not None else None,
            unmatched={name: int(hashes[name].isna().sum()) for name in hashes},
        )
        write_manifest(stage, manifest)
    return HandOff(target, waterfall, holdouts, state.outcome(), manifest, tuple(remarks))


def _refuse(campaign: str, holdout: float, min_size: int, match: list[str], kind: str, base_rate: float) -> None:
    if not isinstance(campaign, str) or not campaign.strip():
        raise SettingError("campaign must be a name: it decides who is held out.")
    if isinstance(holdout, bool) or not isinstance(holdout, (int, float)) or not 0.0 <= holdout < 1.0:
        raise SettingError(f"holdout={holdout!r} must be a share from 0 to below 1.")
    if isinstance(min_size, bool) or not isinstance(min_size, (int, np.integer)) or min_size < 0:
        raise SettingError(f"min_size={min_size!r} must be a whole number from 0 up.")
    if not 0.0 < base_rate < 1.0:
        raise SettingError(f"base_rate={base_rate!r} must be a share between 0 and 1.")
    strange = [one for one in match if one not in MATCHES]
    if strange:
        raise SettingError.not_one_of("match_on", strange[0], MATCHES)
    if kind not in FORMATS and "://" not in kind:
        raise SettingError.not_one_of("format", kind, (*FORMATS, "a database's URL"))


def _assigned(assignments: pd.DataFrame | Segmentation, key: str | None) -> tuple[pd.DataFrame, dict[int, str]]:
    """The key and segment of each customer, and what segments are called; unassigned is 0."""
    table = assignments.assignments if isinstance(assignments, Segmentation) else checked_table(assignments)
    own = key if key is not None else str(table.columns[0]) if len(table.columns) else ""
    keys, codes, found = checked_assignments(table, own)
    names = {int(number): found[int(number)] for number in np.unique(codes) if number != UNASSIGNED}
    return pd.DataFrame({own: keys, "segment": codes}), names


def _contacts(contacts: pd.DataFrame, key: str, needed: Sequence[str | None]) -> pd.DataFrame:
    asked = [key, *dict.fromkeys(name for name in needed if name is not None and name != key)]
    table = checked_table(contacts)
    lacking = [name for name in asked if name not in table.columns]
    if lacking and lacking == [needed[0]]:
        raise UnknownColumnError(
            f"the contacts have no column {needed[0]!r}: consent is required, not assumed. Name the column that has it "
            "(consent='…'), or say consent=None if none is needed (on the command line: --consent none)."
        )
    if lacking:
        raise UnknownColumnError.among(asked, list(table.columns))
    refuse_bad_key(table[key])
    return table.set_index(key, drop=False).rename_axis(index=None)


def _chosen(segments: Sequence[int | str] | None, names: dict[int, str]) -> set[int]:
    """The numbers of the segments that go in."""
    if segments is None:
        return set(names)
    if isinstance(segments, (str, int)):
        raise SettingError(f"segments={segments!r} must be a list: segments=[{segments!r}].")
    known: dict[object, int] = {UNASSIGNED: UNASSIGNED, UNASSIGNED_NAME: UNASSIGNED}
    known |= {number: number for number in names} | {name: number for number, name in names.items()}
    known |= {str(number): number for number in (UNASSIGNED, *names)}
    strangers = [repr(one) for one in segments if one not in known]
    if strangers:
        present = [f"{number} ({name})" for number, name in sorted(names.items())]
        raise SettingError(f"there is no segment {listed(strangers, last='or')}. There are {listed(present, most=12)}.")
    return {known[one] for one in segments}


def _waterfall(state: Journey, names: dict[int, str]) -> pd.DataFrame:
    numbers = [*sorted(names), *([UNASSIGNED] if (state.segments == UNASSIGNED).any() else [])]
    rows = [[int(((state.segments == number) & (state.step == step)).sum()) for step in STEPS] for number in numbers]
    index = pd.Index([number or UNASSIGNED_NAME for number in numbers], dtype=object, name="segment")
    table = pd.DataFrame(rows, index=index, columns=list(STEPS), dtype=np.int64)
    table.loc["all"] = table.sum()
    table.insert(0, "everyone", table.sum(axis=1))
    table.insert(0, "name", [names.get(row, UNASSIGNED_NAME) if row != "all" else "all" for row in table.index])
    return table


def _holdouts(state: Journey, names: dict[int, str], base_rate: float) -> pd.DataFrame:
    arms = []
    for number in (*sorted(names), UNASSIGNED):
        own = state.segments == number
        contacted, held = (int((own & (state.step == step)).sum()) for step in (eligible.CONTACTED, eligible.HELD_OUT))
        if contacted or held:
            arms.append((number, names.get(number, UNASSIGNED_NAME), contacted, held))
    rows = [(*arm, detectable_uplift(arm[2], arm[3], base_rate, len(arms))) for arm in arms]
    table = pd.DataFrame(rows, columns=["segment", "name", "contacted", "holdout", "uplift"])
    return table.set_index("segment")


def _about_holdouts(holdouts: pd.DataFrame, base_rate: float) -> Iterator[Remark]:
    uplifts = holdouts["uplift"].to_numpy(dtype=np.float64)
    weak = (holdouts["holdout"].to_numpy() > 0) & ~(uplifts <= _LEAST_UPLIFT)
    if not weak.any():
        return
    numbers = [int(number) for number in holdouts.index[weak].tolist()]
    parts = [
        f"segment {number} ({'none' if np.isnan(uplift) else f'{100.0 * uplift:.1f} points'})"
        for number, uplift in zip(numbers, uplifts[weak].tolist(), strict=True)
    ]
    yield Remark(
        "holdout-too-small",
        f"from a response of {base_rate:.1%} the holdout can show, at 80 % power, no smaller uplift than in "
        f"{listed(parts, most=4)}. Hold out more, or measure these segments together.",
        segments=tuple(numbers),
    )


def _tables(state: Journey, names: dict[int, str], columns: list[str]) -> tuple[pd.DataFrame, pd.DataFrame]:
    """The audience (who is contacted), and the arms of all who take part."""
    called = {**names, UNASSIGNED: UNASSIGNED_NAME}
    part = np.isin(state.step, (eligible.CONTACTED, eligible.HELD_OUT))
    table = pd.DataFrame(
        {
            state.key: state.keys[part],
            "segment": state.segments[part],
            "segment_name": pd.Series(state.segments[part]).map(called).to_numpy(),
            "arm": state.step[part],
        }
    )
    order = np.lexsort((table[state.key].astype(str), table["segment"]))
    arms_table = table.iloc[order].reset_index(drop=True)
    own = [name for name in dict.fromkeys(columns) if name not in table.columns]
    audience = table.join(state.people[own]).iloc[order]
    return audience[audience["arm"] == eligible.CONTACTED].reset_index(drop=True), arms_table
