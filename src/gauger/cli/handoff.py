"""`gauger handoff`: audience files for a campaign, and the account of who went in and who did not."""

from math import isnan
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.options import Replace, Seed, option, split_names

if TYPE_CHECKING:
    import pandas as pd

    from gauger.campaigns import HandOff

_NO_CONSENT = "none"


Contact = Annotated[
    str,
    option("WAY", "Which row counts of a customer with several: first, last, 'newest COLUMN' or every. Default: none."),
]


def handoff(
    *,
    assignments: Annotated[
        Path,
        typer.Argument(metavar="STUDY|ASSIGNMENTS", help="The folder of a study, or what `gauger assign` wrote."),
    ],
    contacts: Annotated[
        str, typer.Argument(metavar="CONTACTS", help="The contacts: a file, with the key, consent and addresses.")
    ],
    key: Annotated[str | None, option("COLUMN", "The column that identifies a customer; a study knows it.")] = None,
    campaign: Annotated[str, option("NAME", "The campaign; it decides who is held out.")],
    out: Annotated[Path, option("FOLDER", "A folder of its own for the hand-off.")],
    segments: Annotated[
        str | None, option("NAMES", "Only these segments, by number or name: 2,5. Default: all; unassigned when named.")
    ] = None,
    holdout: Annotated[float, option("SHARE", "The share of each segment that is not contacted, to measure by.")] = 0.1,
    suppress: Annotated[
        Path | None, option("FILE", "A table of keys, e-mail addresses or telephone numbers that must not go in.")
    ] = None,
    consent: Annotated[
        str, option("COLUMN|none", "The column of contacts that says yes or no; none if no consent is needed.")
    ] = "consent_email",
    region: Annotated[
        str | None, option("COUNTRY", "The country of telephone numbers that do not say theirs, such as GB.")
    ] = None,
    contact: Contact = "refuse",
    refusal_binds: Annotated[
        str, option("person|customer", "Whom a refusal of consent binds: all who share the address, or only that one.")
    ] = "person",
    sub_addresses: Annotated[
        str, option("together|apart", "Whether name@… and name+shop@… are one person; a suppression entry stops both.")
    ] = "together",
    skip_unreadable: Annotated[
        bool, typer.Option("--skip-unreadable", help="Go on without suppression entries that cannot be read.")
    ] = False,
    min_size: Annotated[int, option("N", "Leave out segments of which fewer could be contacted.")] = 0,
    match_on: Annotated[
        str | None, option("KINDS", "Also write hashed addresses: email, phone or email,phone.")
    ] = None,
    address: Annotated[str, option("COLUMN|none", "The address that the campaign needs.")] = "email",
    columns: Annotated[
        str | None, option("NAMES", "Columns of contacts in the files: a,b. Default: only the address.")
    ] = None,
    format: Annotated[  # noqa: A002 - the word for it
        str, option("WORD|URL", "csv, jsonl, parquet, xlsx, sqlite, or the URL of a PostgreSQL database.")
    ] = "csv",
    base_rate: Annotated[float, option("SHARE", "The response expected without the campaign.")] = 0.02,
    model: Annotated[Path | None, option("FILE", "model.json: its fingerprint goes into the manifest.")] = None,
    seed: Seed = 0,
    replace: Replace = False,
) -> None:
    """Write audience files for a campaign: consent asked, the suppressed left out, everyone once, some held out.

    Everyone leaves at the first step that applies, and the steps add up. Writes audience files (one a segment and one
    of all), arms.csv (contacted and holdout, for `gauger measure`), manifest.json and manifest.html, all at once or not
    at all, for your eyes only.
    """
    from gauger.cli import console
    from gauger.models import load_model
    from gauger.report import hand_off
    from gauger.tables import read_table

    people = read_table(contacts)
    who, model, key = _assigned(assignments, people, model, key)
    done = hand_off(
        who,
        people,
        out,
        campaign=campaign,
        key=key,
        segments=None if segments is None else split_names(segments),
        columns=None if columns is None else split_names(columns),
        holdout=holdout,
        suppress=None if suppress is None else read_table(suppress),
        consent=None if consent == _NO_CONSENT else consent,
        region=region,
        contact=contact,
        refusal_binds=refusal_binds,
        sub_addresses=sub_addresses,
        unreadable="skip" if skip_unreadable else "refuse",
        min_size=min_size,
        match_on=split_names(match_on or ""),
        address=None if address == _NO_CONSENT else address,
        format=format,
        base_rate=base_rate,
        seed=seed,
        model=None if model is None else load_model(model),
        replace=replace,
    )
    _tell(done)
    console.remarks(done.remarks)
    console.wrote(done.paths)
    console.next_step(f"gauger measure {out} OUTCOMES --responded COLUMN")


def _assigned(
    source: Path, contacts: "pd.DataFrame", model: Path | None, key: str | None
) -> "tuple[pd.DataFrame, Path | None, str]":
    """The assignments typed, or those of a study, which also knows its model and its key."""
    from gauger.study import MODEL, open_study
    from gauger.tables import read_table

    if not source.is_dir():
        if key is None:
            raise typer.BadParameter("say which column identifies a customer.", param_hint="--key")
        return read_table(source), model, key
    study = open_study(source)
    own = study.files.path(MODEL)
    return study.assignments_like(contacts), model or (own if own.is_file() else None), key or study.plan.key


def _tell(done: "HandOff") -> None:
    """The waterfall, steps down and segments across; then what each holdout can show."""
    from gauger.cli import console

    console.title(done.headline())
    steps = console.largest(done.waterfall.drop(columns="name")).T
    told = steps.loc[[step for step in steps.index if step in ("everyone", "contacted") or steps.loc[step].any()]]
    console.table(told.rename_axis("step").rename(columns=str))
    if len(done.holdouts):
        console.heading(f"The smallest uplift each holdout can show, from {done.manifest['power']['base_rate']:.1%}")
        shown = console.largest(done.holdouts)
        points = ["none" if isnan(value) else f"{100.0 * value:.1f} points" for value in shown["uplift"]]
        console.table(shown.assign(uplift=points))
