"""Hand an audience to a campaign: the files, the manifest, and the page that tells it to people."""

from collections.abc import Sequence
from datetime import datetime
from os import PathLike

from gauger.campaigns import HandOff, HandOffSettings, write_hand_off
from gauger.columns import AnyTable
from gauger.models import SegmentModel
from gauger.report.manifest_page import hand_off_page
from gauger.segmentation import Segmentation
from gauger.tables import approve_typed, is_url


def hand_off(
    assignments: AnyTable | Segmentation,
    contacts: AnyTable,
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
    sub_addresses: str = "together",
    unreadable: str = "refuse",
    format: str = "csv",  # noqa: A002 - the word for it
    base_rate: float = 0.02,
    seed: int = 0,
    model: SegmentModel | None = None,
    made_at: datetime | None = None,
    replace: bool = False,
) -> HandOff:
    """Write one audience file a segment and one of all, the arms, and a manifest, into a folder of their own.

    Everything appears at once, by a rename, or nothing; files can be read by their owner only. No address is in remarks
    or messages. The same call gives the same bytes but for the time.

    Parameters
    ----------
    assignments : Segmentation, pandas.DataFrame or another table
        A row a customer: the key (its first column, or `key`), segment, perhaps segment_name; or a Segmentation.
    contacts : pandas.DataFrame or another table
        The same key, consent, and addresses.
    folder : str or path-like
        Where; it must be empty, or hold an earlier hand-off that `replace` allows to replace.
    campaign : str
        Its name; it decides who is held out.
    key : str, optional
        The key column.
    segments : sequence of int or str, optional
        By number or name; by default all. The unassigned go in only when 0 or "unassigned" is named.
    columns : sequence of str, optional
        The columns of contacts that the files have after key, segment, segment_name and arm; by default only the
        address.
    holdout : float
        The share of each segment that is not contacted, to measure by.
    suppress : pandas.DataFrame or list, optional
        A table with the key, the e-mail or the telephone column, or a list of any of them. Who shares an address with
        somebody suppressed is suppressed too, also by way of contacts in no segment. A key that is nobody's as it is
        written names whoever's differs only by case, leading zeros, `.0` or Unicode form.
    consent : str, optional
        The column of contacts that says yes or no; a gap is no. None says in so many words that none is needed.
    min_size : int
        Segments of fewer who could be contacted are left out.
    match_on : {"email", "phone"} or both, optional
        Also write SHA-256 hashes of addresses, for platforms that match by them, and no plain address beside them.
    address : str, optional
        The column that the campaign needs ("email", "phone" or another; None for none): who has no usable one is left
        out.
    email, phone : str, optional
        The columns by which one person is told twice: of those who may be contacted and share an address only the
        lowest key goes.
    region : str, optional
        The country (ISO 3166, such as "GB") of telephone numbers that do not say theirs.
    refusal_binds : {"person", "customer"}
        Whom a refusal of consent binds: all who share the address, or only that contact.
    sub_addresses : {"together", "apart"}
        Whether `name@…` and `name+shop@…` are one person, as most providers deliver them; a suppression entry then
        stops both.
    unreadable : {"refuse", "skip"}
        What to do with entries of the suppression list that cannot be read.
    format : str
        csv, jsonl, parquet, xlsx, sqlite, or the URL of a PostgreSQL database.
    base_rate : float
        The response expected without the campaign: the hand-off says what uplift over it each holdout can show.
    seed : int
        With the campaign's name it decides who is held out.
    model : SegmentModel, optional
        Lends the manifest its fingerprint.
    made_at : datetime.datetime, optional
        The manifest's time; by default now.
    replace : bool
        Whether a hand-off that stands in the folder, with nothing besides, may be replaced.

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
    if isinstance(format, str) and is_url(format):
        approve_typed(format)
    settings = HandOffSettings(
        campaign=campaign,
        key=key,
        segments=segments,
        columns=columns,
        holdout=holdout,
        suppress=suppress,
        consent=consent,
        min_size=min_size,
        match_on=match_on,
        address=address,
        email=email,
        phone=phone,
        region=region,
        refusal_binds=refusal_binds,
        sub_addresses=sub_addresses,
        unreadable=unreadable,
        format=format,
        base_rate=base_rate,
        seed=seed,
    )
    return write_hand_off(
        assignments, contacts, folder, settings, page=hand_off_page, model=model, made_at=made_at, replace=replace
    )
