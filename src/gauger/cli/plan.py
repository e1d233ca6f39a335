"""`gauger plan`: draft a plan from a table, to edit and to run."""

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Annotated

import typer

from gauger.cli.options import Reading, Replace, option, split_names


@dataclass(frozen=True)
class EventsOptions:
    """Events that become the customers' behaviour."""

    events: Annotated[
        str | None, option("FILE", "Events that become the customers' behaviour, which features are then made of.")
    ] = None
    when: Annotated[str | None, option("COLUMN", "With --events: when. Default: their only column of dates.")] = None
    amount: Annotated[str | None, option("COLUMN", "With --events: the money; negative amounts are refunds.")] = None
    quantity: Annotated[str | None, option("COLUMN", "With --events: the number of things.")] = None
    category: Annotated[str | None, option("COLUMN", "With --events: what was chosen.")] = None
    event_key: Annotated[str | None, option("COLUMN", "With --events: rows that share it are lines of one.")] = None
    measures: Annotated[str | None, option("NAMES", "With --events: measures or families of them; or all.")] = None
    as_of: Annotated[str | None, option("DATE", "With --events: count only what happened before.")] = None

    def settings(self) -> dict[str, object] | None:
        """What `draft_plan` takes of events; None where there are none."""
        given = {name: value for name, value in asdict(self).items() if value is not None}
        file = given.pop("events", None)
        if file is None:
            for name in given:
                flag = f"--{name.replace('_', '-')}"
                raise typer.BadParameter("goes with --events.", param_hint=flag)
            return None
        if given.get("measures") not in (None, "all"):
            given["measures"] = split_names(given["measures"])
        return {"file": file, **given}


def plan(
    *,
    origin: Annotated[
        str | None, typer.Argument(metavar="TABLE", help="The customers: a file or a database's URL.")
    ] = None,
    key: Annotated[str, option("COLUMN", "The column that identifies a customer.")],
    of_events: EventsOptions,
    out: Annotated[Path, option("FILE", "The plan to write, such as plan.toml.")],
    replace: Replace = False,
    reading: Reading,
) -> None:
    """Draft a plan to edit: which columns are features and which are not and why, and how each is prepared.

    Every treatment has its reason beside it, and is what the remarks would ask for. With --events features are made of
    behaviour, and TABLE says who has none.
    """
    from gauger.cli import console
    from gauger.study import draft_plan

    events = of_events.settings()
    if origin is None and events is None:
        raise typer.BadParameter("say which customers: a TABLE, or --events.", param_hint="TABLE")
    if out.suffix != ".toml":
        raise typer.BadParameter(f"{out.name}: a plan is a .toml file.", param_hint="--out")
    draft = draft_plan(origin, key=key, reading=reading.settings(), events=events, beside=out.parent)
    draft.save(out, replace=replace)
    console.title(draft.headline())
    console.table(draft.overview())
    if draft.left_out:
        console.heading("Not features, and why")
        for name, why in draft.left_out.items():
            console.step(name, why)
    console.remarks(draft.remarks)
    console.wrote([out])
    console.say("Read it and change what is not so: it is a draft.")
    console.next_step(f"gauger counts --plan {out}")
