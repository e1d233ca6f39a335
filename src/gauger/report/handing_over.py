"""Hand an audience to a campaign: the files, the manifest, and the page that tells it to people."""

from datetime import datetime
from os import PathLike
from typing import Unpack

from gauger.campaigns import HandOff, HandOffRuleNames, HandOffRules, write_hand_off
from gauger.columns import AnyTable
from gauger.models import SegmentModel
from gauger.report.manifest_page import hand_off_page
from gauger.segmentation import Segmentation
from gauger.tables import approve_typed, is_url


def hand_off(
    assignments: AnyTable | Segmentation,
    contacts: AnyTable,
    folder: str | PathLike[str],
    rules: HandOffRules | None = None,
    *,
    model: SegmentModel | None = None,
    made_at: datetime | None = None,
    replace: bool = False,
    **named: Unpack[HandOffRuleNames],
) -> HandOff:
    """Write an audience file per segment and one of all, the arms, and a manifest into a folder.

    Everything appears at once, by a rename, or nothing; files can be read by their owner only. No address is in remarks
    or messages. The same call gives the same bytes but for the time.

    Parameters
    ----------
    assignments : Segmentation, pandas.DataFrame or another table
        One row per customer: the key (its first column, or `key`), segment, perhaps segment_name; or a Segmentation.
    contacts : pandas.DataFrame or another table
        The same key, consent, and addresses.
    folder : str or path-like
        Where; it must be empty, or hold an earlier hand-off that `replace` allows to replace.
    rules : HandOffRules, optional
        The campaign's name and the rules it follows. Or name them one by one: `campaign="spring", holdout=0.2`.
    model : SegmentModel, optional
        Lends the manifest its fingerprint.
    made_at : datetime.datetime, optional
        The manifest's time; by default now.
    replace : bool
        Whether a hand-off that is already in the folder may be replaced; nothing else may be there.
    **named
        The settings of `HandOffRules`, one by one.

    Returns
    -------
    HandOff
        Remarks and the manifest say how many entries of the suppression list were read, matched somebody, matched
        nobody, and which holdouts are too small to show anything.

    Raises
    ------
    UnknownColumnError
        For columns that are not there, a missing consent column among them.
    KeyColumnError
        For a contact that comes twice.
    ColumnValuesError
        For consent in other words than yes and no.
    SettingError
        For settings that are none.
    OutputError
        When the folder holds something, or writing fails.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> who = pd.DataFrame({"who": list("abcd"), "segment": [1, 1, 2, 0]})
    >>> contacts = pd.DataFrame({"who": list("abcd"), "consent_email": [1, 0, 1, 1]})
    >>> contacts["email"] = [f"{one}@example.org" for one in "abcd"]
    >>> with tempfile.TemporaryDirectory() as place:
    ...     made = gauger.hand_off(who, contacts, f"{place}/spring", campaign="spring", holdout=0.0)
    >>> made.waterfall.loc["all", ["everyone", "unassigned", "no consent", "contacted"]].tolist()
    [4, 1, 1, 2]
    """
    own = HandOffRules.given(rules, named)
    if is_url(own.format):
        approve_typed(own.format)
    return write_hand_off(
        assignments, contacts, folder, own, page=hand_off_page, model=model, made_at=made_at, replace=replace
    )
