"""`gauger segment` for customers who stay where they live."""

import shlex
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer

from gauger.cli.counts import tell_advice
from gauger.cli.customers_in_place import InPlaceCustomers

if TYPE_CHECKING:
    from gauger.segmentation import Segmentation


def segment_there(
    customers: InPlaceCustomers,
    method: str,
    count: str | None,
    kmeans: Mapping[str, Any],
    figures: Mapping[str, Any],
    assignments: str | None,
    out: Path,
    *,
    replace: bool,
) -> None:
    """Segment everyone by k-means where they live, write the study, and tell it."""
    from gauger.cli import console
    from gauger.cli.options import asked
    from gauger.clustering import segment_by_kmeans
    from gauger.study import FORMATS, FiguresPart, Target, add_everyone, refuse_remarks
    from gauger.tables import can_be_sent

    _refuse(method, kmeans)
    plan, into = customers.plan, customers.database.into
    if customers.in_database and into is None:
        raise typer.BadParameter("say which table is made there.", param_hint="--into")
    if customers.database.show_sql and not can_be_sent(customers.source):
        _show_only(customers, str(into), count)
        return
    known = {} if plan is None else plan.segments.model_dump(include={"starts", "max_iterations", "seed"})
    settings = _given(known) | _given({name: kmeans[name] for name in ("starts", "max_iterations", "seed")})
    number = count or str(getattr(plan.segments if plan is not None else None, "count", "auto"))
    if number == "auto" and customers.in_database and customers.blocks.sample is None:
        raise typer.BadParameter(
            "auto studies a sample that leaves the database: say --sample N, or how many.", param_hint="--count"
        )
    target = Target(customers.open(), into, assignments or FORMATS[0], replace)
    with target.results(out) as results, target.working(results) as place:
        features = customers.features(target.table, study=False)
        console.remarks([*target.table.about_source(), *features.remarks])
        if number == "auto":
            number = str(_advised(features, settings))
        seg = segment_by_kmeans(features, int(number), **settings)
        if plan is not None:
            refuse_remarks(plan, (*features.remarks, *seg.remarks))
        model = target.assign(place, seg, results, None)
        drawn = asked(FiguresPart() if plan is None else plan.figures, dict(figures))
        add_everyone(results, seg, model, target.source(out), figures=drawn, into=into)
    _tell(seg, results.paths, out, customers)


def _advised(features: Any, settings: Mapping[str, Any]) -> int:
    """The count that a study of the sample advises."""
    from gauger.choosing import study_counts
    from gauger.study import advised

    advice = study_counts(features, **{name: settings[name] for name in ("starts", "seed") if name in settings}).advice
    tell_advice(advice)
    return advised(advice)


def _show_only(customers: InPlaceCustomers, into: str, count: str | None) -> None:
    """The statements for a database that nothing is sent to."""
    from gauger.cli import console
    from gauger.sources import dialect_to_show, statements_for

    asked = customers.asked
    if not asked.features or count is None or not count.isdigit():
        raise typer.BadParameter(
            "nothing is asked of this database: say the columns, and how many segments.",
            param_hint="--features, --count",
        )
    dialect = dialect_to_show(customers.source)
    console.say(
        f"Nothing was sent. These statements in the words of {dialect} are untested. Figures in them are those of a "
        "stand-in table: each statement takes what the one before it gave, and that of an iteration is sent again and "
        "again, with new centres.",
    )
    for statement in statements_for(dialect, str(customers.reading.table), asked, int(count), into):
        console.plain(f"\n{statement}")


def _given(settings: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in settings.items() if value is not None}


def _refuse(method: str, kmeans: Mapping[str, Any]) -> None:
    """Raise wrong usage for options that need customers in memory."""
    if method != "kmeans":
        raise typer.BadParameter(
            f"out of core and in a database there is k-means alone, not {method}. Read a sample into memory for it.",
            param_hint="--method",
        )
    for name in ("learn_on", "seeding"):
        if kmeans.get(name) not in (None, "kmeans++"):
            flag = f"--{name.replace('_', '-')}"
            raise typer.BadParameter(f"out of core and in a database there is no {flag}.", param_hint=flag)


def _tell(seg: "Segmentation", paths: Sequence[Path], out: Path, customers: InPlaceCustomers) -> None:
    from gauger.cli import console
    from gauger.wording import plural

    everyone = seg.everyone
    assert everyone is not None
    left = f", {everyone.left_out:,} left out" if everyone.left_out else ""
    console.heading(f"{seg.headline()}{left}, centres in original units")
    console.segments(seg.overview())
    iterations = int(seg.iterations or 0)
    where = " inside the database" if customers.in_database and not everyone.fits else ""
    settled = "" if seg.converged else ", not converged"
    console.say(
        f"{iterations} {plural(iterations, 'iteration')} over everyone{where}{settled}.{_what_left(seg, customers)}"
    )
    console.remarks(seg.remarks)
    into = customers.database.into
    if into is not None:
        console.say(f"Made tables {into} and {into}_centres in the database.")
    parts = [path for path in paths if path.parent != out]
    console.wrote([*([out / "assignments"] if parts else []), *(path for path in paths if path.parent == out)])
    console.next_step(f"gauger profile {shlex.quote(str(out))}")


def _what_left(seg: "Segmentation", customers: InPlaceCustomers) -> str:
    """Which rows have left a database."""
    if not customers.in_database:
        return ""
    if len(seg.codes):
        return f" A sample of {len(seg.codes):,} left it."
    if seg.everyone is not None and seg.everyone.fits:
        return " Their features, without keys, were read into memory for this and not kept."
    return f" No row of a {seg.noun.one} left it."
