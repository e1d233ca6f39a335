"""Hand an audience to a campaign: consent, suppression, duplicates, a holdout, and the account of all of it."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from datetime import UTC, datetime
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from gauger.campaigns import eligible
from gauger.campaigns.arms import detectable_uplift
from gauger.campaigns.contact_rows import EVERY, contacts_of
from gauger.campaigns.eligible import STEPS
from gauger.campaigns.folders import holds_only_a_hand_off
from gauger.campaigns.funnel import ContactFunnel, consenting, with_address
from gauger.campaigns.hand_off_files import database_of, write_files
from gauger.campaigns.hand_off_rules import HandOffRules, rules_in_words
from gauger.campaigns.manifest import MANIFEST, PAGE, manifest_of, write_manifest
from gauger.campaigns.people import People
from gauger.campaigns.suppression import Account, Suppression, about_suppression
from gauger.columns import AnyTable, CustomerRows, checked_table
from gauger.errors import SettingError
from gauger.models import SegmentModel
from gauger.profiling import checked_assignments
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME, Segmentation
from gauger.tables import whole_folder
from gauger.wording import listed, plural

if TYPE_CHECKING:
    from sqlalchemy.engine import Connection

_LEAST_UPLIFT = 0.05
"""A holdout that shows no smaller uplift than this is worth a remark: judgement."""


@dataclass(frozen=True, repr=False, eq=False)
class HandOff(CustomerRows, Readable):
    """A hand-off as it was written.

    Attributes
    ----------
    folder : pathlib.Path
        Where everything stands; `.paths` are the files.
    waterfall : pandas.DataFrame
        A row a segment (and "unassigned", "all") and a column for everyone, each step on which customers left, and the
        contacted: rows add up.
    holdouts : pandas.DataFrame
        A row a segment that is contacted: contacted, holdout, and the smallest uplift that its holdout can show (a
        share, from `base_rate`).
    customers : pandas.DataFrame
        A row a customer: the key, segment and step.
    manifest : dict
        What manifest.json says.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    hand_off : Makes one.
    measure : Says what came of it.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> who = pd.DataFrame({"who": list("abcd"), "segment": [1, 1, 1, 1]})
    >>> contacts = pd.DataFrame({"who": list("abcd"), "email": [f"{one}@example.org" for one in "abcd"]})
    >>> with tempfile.TemporaryDirectory() as place:
    ...     made = gauger.hand_off(who, contacts, f"{place}/spring", campaign="spring", consent=None, holdout=0.5)
    >>> made.holdouts[["contacted", "holdout"]].values.tolist()
    [[2, 2]]
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

    def customer_rows(self) -> pd.DataFrame:
        """Who went how far, and who is contacted."""
        return self.customers

    def headline(self) -> str:
        steps = self.manifest["waterfall"]["customers"]["all"]
        return (
            f"{self.manifest['campaign']}: {steps['contacted']:,} of {steps['everyone']:,} "
            f"{plural(steps['everyone'], 'customer')} to be contacted, {steps['holdout']:,} held out"
        )

    def overview(self) -> pd.DataFrame:
        return self.waterfall


def write_hand_off(
    assignments: AnyTable | Segmentation,
    contacts: AnyTable,
    folder: str | PathLike[str],
    settings: HandOffRules,
    *,
    page: Callable[[dict[str, Any]], str],
    model: SegmentModel | None = None,
    made_at: datetime | None = None,
    replace: bool = False,
    connection: "Connection | None" = None,
) -> HandOff:
    """As `gauger.hand_off` tells; `page` makes HTML of a manifest. With the `connection` of a transaction that belongs
    to a larger job, tables are written there, and the job commits them."""
    customers, names = _assigned(assignments, settings.key)
    chosen = _chosen(settings.segments, names)
    funnel, account, remarks = _travelled(customers, contacts, chosen, settings)
    waterfall = _waterfall(funnel, names)
    holdouts = _holdouts(funnel, names, settings.base_rate)
    remarks += _about_holdouts(holdouts, settings.base_rate)
    audience, arms_table = _tables(funnel, names, settings.columns_to_write, every=settings.contact == EVERY)
    target = Path(folder)
    with (
        whole_folder(target, "a hand-off", replaceable=holds_only_a_hand_off, replace=replace) as results,
        nullcontext(connection) if connection else database_of(settings.format, settings.campaign, results) as there,
    ):
        stage = results.stage
        hashes = funnel.hashes(settings.matches)
        files = write_files(
            stage,
            audience,
            arms_table,
            hashes,
            names,
            campaign=settings.campaign,
            kind=settings.format,
            connection=there,
        )
        manifest = manifest_of(
            campaign=settings.campaign,
            made_at=(made_at or datetime.now(UTC)).isoformat(timespec="seconds"),
            key=funnel.key,
            settings=rules_in_words(settings, chosen, list(audience.columns), account),
            names=names,
            waterfall=waterfall,
            holdouts=holdouts,
            files=files,
            fingerprint=model.fingerprint if model is not None else None,
            unmatched={name: int(hashes[name].isna().sum()) for name in hashes},
        )
        write_manifest(stage, manifest, page(manifest))
    return HandOff(target, waterfall, holdouts, funnel.outcome(), manifest, tuple(remarks))


def _travelled(
    customers: pd.DataFrame, contacts: AnyTable, chosen: set[int], settings: HandOffRules
) -> tuple[ContactFunnel, Account, list[Remark]]:
    """Every customer at the step where it left, or in its arm; what became of the suppression list; the remarks."""
    key, email, phone, region = str(customers.columns[0]), settings.email, settings.phone, settings.region
    needed = [settings.consent, *(settings.columns or ()), settings.address]
    contacts, said = contacts_of(contacts, key, needed, settings.contact)
    every = settings.contact == EVERY
    together = settings.sub_addresses == "together"
    people = People.of(contacts, email, phone, region, together=together, one_by_key=not every)
    suppression = Suppression.of(settings.suppress, key=key, email=email, phone=phone, region=region)
    if settings.unreadable == "refuse":
        suppression.refuse_unreadable()
    suppressed, account = suppression.found_among(contacts.index, people)
    kinds: dict[str | None, str] = {email: "email", phone: "phone"}
    allowed = ~people.spread(suppressed)
    if settings.consent is not None:
        allowed &= consenting(contacts, people, settings.consent, settings.refusal_binds)
    if settings.address is not None:
        allowed &= with_address(contacts, people, settings.address, kinds)
    funnel = ContactFunnel.of(customers, contacts, key, people, allowed, settings.contact)
    remarks = funnel.sort_out(
        chosen,
        consent=settings.consent,
        refusal_binds=settings.refusal_binds,
        suppressed=suppressed,
        address=settings.address,
        kinds=kinds,
        min_size=settings.min_size,
    )
    funnel.hold_out(settings.holdout, settings.campaign, settings.seed)
    return funnel, account, [*said, *about_suppression(account), *remarks]


def _assigned(assignments: AnyTable | Segmentation, key: str | None) -> tuple[pd.DataFrame, dict[int, str]]:
    """The key and segment of each customer, and what segments are called; unassigned is 0."""
    table = assignments.customer_rows() if isinstance(assignments, Segmentation) else checked_table(assignments)
    own = key if key is not None else str(table.columns[0]) if len(table.columns) else ""
    keys, codes, found = checked_assignments(table, own)
    names = {int(number): found[int(number)] for number in np.unique(codes) if number != UNASSIGNED}
    return pd.DataFrame({own: keys, "segment": codes}), names


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


def _waterfall(state: ContactFunnel, names: dict[int, str]) -> pd.DataFrame:
    numbers = [*sorted(names), *([UNASSIGNED] if (state.segments == UNASSIGNED).any() else [])]
    rows = [[int(((state.segments == number) & (state.step == step)).sum()) for step in STEPS] for number in numbers]
    index = pd.Index([number or UNASSIGNED_NAME for number in numbers], dtype=object, name="segment")
    table = pd.DataFrame(rows, index=index, columns=list(STEPS), dtype=np.int64)
    table.loc["all"] = table.sum()
    table.insert(0, "everyone", table.sum(axis=1))
    table.insert(0, "name", [names.get(row, UNASSIGNED_NAME) if row != "all" else "all" for row in table.index])
    return table


def _holdouts(state: ContactFunnel, names: dict[int, str], base_rate: float) -> pd.DataFrame:
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


def _tables(
    state: ContactFunnel, names: dict[int, str], columns: list[str], *, every: bool
) -> tuple[pd.DataFrame, pd.DataFrame]:
    """The audience (who is contacted), and the arms of all who take part."""
    called = {**names, UNASSIGNED: UNASSIGNED_NAME}
    part = np.flatnonzero(np.isin(state.step, (eligible.CONTACTED, eligible.HELD_OUT)))
    table = pd.DataFrame(
        {
            state.key: state.keys[part],
            "segment": state.segments[part],
            "segment_name": pd.Series(state.segments[part]).map(called).to_numpy(),
            "arm": state.step[part],
        }
    )
    arms_table = table.iloc[np.lexsort((table[state.key].astype(str), table["segment"]))].reset_index(drop=True)
    own = [name for name in dict.fromkeys(columns) if name not in table.columns]
    who, rows = state.audience_rows(np.flatnonzero(state.step == eligible.CONTACTED), every=every)
    audience = pd.concat(
        [table.loc[who].reset_index(drop=True), state.answers[own].iloc[rows].reset_index(drop=True)], axis=1
    )
    order = np.lexsort((rows, audience[state.key].astype(str), audience["segment"]))
    return audience.iloc[order].reset_index(drop=True), arms_table
