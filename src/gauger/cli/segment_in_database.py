"""`gauger segment` for customers who stay in their database."""

import shlex
from collections.abc import Mapping
from dataclasses import replace as with_values
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer

from gauger.cli.counts import tell_advice
from gauger.cli.in_database import DatabaseCustomers

if TYPE_CHECKING:
    from collections.abc import Sequence

    from gauger.study import DatabaseRequest, DatabaseSegments


def segment_inside(
    customers: DatabaseCustomers,
    method: str,
    count: str | None,
    kmeans: Mapping[str, Any],
    figures: Mapping[str, Any],
    out: Path,
    *,
    replace: bool,
) -> None:
    """Segment everyone by k-means inside the database, write the study, and tell it."""
    from gauger.choosing import study_counts
    from gauger.cli.options import asked
    from gauger.study import (
        FiguresPart,
        destination_of,
        refuse_remarks,
        result_of,
        segment_there,
        study_in,
        told_features,
    )
    from gauger.tables import can_be_sent

    _refuse(method, kmeans)
    into, plan = customers.database.named(), customers.plan
    request = customers.request()
    if customers.database.show_sql and not can_be_sent(customers.url):
        _show_only(customers, request, into, count)
        return
    known = {} if plan is None else plan.segments.model_dump(include={"starts", "max_iterations", "seed", "sample"})
    given = {name: kmeans[name] for name in ("starts", "max_iterations", "seed")} | {"sample": customers.sample}
    settings = _given(known) | _given(given)
    sample = settings.pop("sample", None)
    number = count or str(getattr(plan.segments if plan is not None else None, "count", "auto"))
    with study_in(out, replace=replace) as results, request.session(results, into) as session:
        wanted = request.wanted(session, **settings)
        if number == "auto":
            if sample is None:
                raise typer.BadParameter(
                    "auto studies a sample that leaves the database: say --sample N, or how many.", param_hint="--count"
                )
            advised = study_counts(
                told_features(session, request, with_values(wanted, sample=sample)), seed=wanted.seed
            )
            tell_advice(advised.advice)
            number = str(advised.advice.count)
        destination = destination_of(into, results, replace=replace)
        found = segment_there(session, request, destination, wanted, int(number), sample)
        if plan is not None:
            refuse_remarks(plan, found.remarks)
        if results is not None:
            drawn = asked(FiguresPart() if plan is None else plan.figures, dict(figures))
            request.write(results, found, figures=drawn, base=plan)
    paths = [] if results is None else results.paths
    _tell(result_of(into, out, found), paths, out)


def _show_only(customers: DatabaseCustomers, request: "DatabaseRequest", into: str, count: str | None) -> None:
    """The statements for a database that nothing is sent to."""
    from gauger.cli import console
    from gauger.engine import Wanted
    from gauger.warehouse import dialect_to_show, statements_for

    if not request.preparation.get("features") or count is None or not count.isdigit():
        raise typer.BadParameter(
            "nothing is asked of this database: say the columns, and how many segments.",
            param_hint="--features, --count",
        )
    dialect = dialect_to_show(customers.url)
    console.say(
        f"Nothing was sent. These statements in the words of {dialect} are untested. Figures in them are those of a "
        "stand-in table: each statement takes what the one before it gave, and that of an iteration is sent again and "
        "again, with new centres.",
    )
    wanted = Wanted(request.key, request.preparation)
    for statement in statements_for(dialect, customers.table, wanted, int(count), into):
        console.plain(f"\n{statement}")


def _given(settings: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in settings.items() if value is not None}


def _refuse(method: str, kmeans: Mapping[str, Any]) -> None:
    """Raise wrong usage for what there is not in a database."""
    if method != "kmeans":
        raise typer.BadParameter(f"in a database there is k-means alone, not {method}.", param_hint="--method")
    for name in ("learn_on", "seeding"):
        if kmeans.get(name) not in (None, "kmeans++"):
            flag = f"--{name.replace('_', '-')}"
            raise typer.BadParameter(f"in a database there is no {flag}.", param_hint=flag)


def _tell(found: "DatabaseSegments", paths: "Sequence[Path]", out: Path) -> None:
    from gauger.cli import console
    from gauger.wording import Noun, plural

    noun, count = Noun.of_key(found.model.key), len(found.sizes)
    left = f", {found.left_out:,} left out" if found.left_out else ""
    segments = plural(count, "segment")
    console.heading(
        f"{count} {segments} of {noun.counted(found.customers)} by k-means{left}, centres in original units"
    )
    console.segments(found.centres)
    console.say(
        f"{found.iterations} {plural(found.iterations, 'iteration')} over everyone inside the database"
        f"{'' if found.converged else ', not converged'}. No row of a customer left it"
        + (f" but for a sample of {len(found.sample.codes):,}." if found.sample is not None else ".")
    )
    console.remarks(found.remarks)
    console.say(f"Made tables {found.into} and {found.into}_centres in the database.")
    console.wrote(paths)
    console.next_step(f"gauger profile {shlex.quote(str(out))}")
