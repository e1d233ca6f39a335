"""`gauger profile`: what the customers of each segment are like, and who is in it."""

from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.customers import MaybeSource, Place
from gauger.cli.options import Preparation, Reading, Replace, option, split_names
from gauger.cli.profile_view import show_profile
from gauger.cli.segmented import segmented_customers

if TYPE_CHECKING:
    from collections.abc import Mapping

    import pandas as pd

    from gauger.cli.segmented import SegmentedCustomers
    from gauger.tables import Results

MEMBER_FILES = ("members.csv",)

_MOST_MEMBERS, _LINE_WIDTH = 20, 100
"""Customers of a segment shown, and the columns that they must fit."""


def profile(
    *,
    origin: MaybeSource = None,
    preparation: Preparation,
    assignments: Annotated[
        Path | None, option("FILE", "Who is in which segment, for a TABLE. A study knows it.")
    ] = None,
    members: Annotated[
        str | None, option("SEGMENT", "Instead: who is in a segment, by its number, its name, or unassigned.")
    ] = None,
    where: Annotated[str | None, option("CONDITION", "With --members: only those, such as 'visits >= 9'.")] = None,
    sort: Annotated[
        str | None, option("COLUMN", "With --members: order by a column; -COLUMN from the highest.")
    ] = None,
    columns: Annotated[str | None, option("NAMES", "With --members: the columns to show: a,b.")] = None,
    ordered: Annotated[
        list[str] | None,
        option("COLUMN=LEVELS", "Levels that stand in an order: 'income=low<middle<high'. May be given several times."),
    ] = None,
    whole: Annotated[bool, typer.Option("--all", help="Print all tables: every measure, the index, drivers.")] = False,
    out: Annotated[Path | None, option("FOLDER", "Also write the tables and figures here, or members.csv.")] = None,
    replace: Replace = False,
    place: Place,
    reading: Reading,
) -> None:
    """Describe each segment against everyone, or list who is in one.

    Of each segment: how many customers, the three measures that set it apart with everyone's beside them, what is
    known of it more often than of others, a short rule, and whom it overlaps with. --all prints every table. TABLE with
    --assignments does the same for segments from elsewhere; with --features of what they were made of.

    Writes a .csv for each table, and figures: profile.png, heat.png, lines.png, bubbles.png, categories.png, and where
    features are known boxes.png, pairs.png and components.png.
    """
    from gauger.cli import console
    from gauger.study import PROFILE_FILES, PROFILE_FILES_OF_SOME
    from gauger.tables import result_folder

    if members is None and (where or sort or columns):
        raise typer.BadParameter("--where, --sort and --columns go with --members.", param_hint="--members")
    if members is None and origin is not None and _stays_there(origin, place, reading, preparation, assignments):
        _describe_inside(origin, out, replace=replace, whole=whole)
        return
    segmented = segmented_customers(origin, place, reading, preparation, assignments)
    files, optional = (PROFILE_FILES, PROFILE_FILES_OF_SOME) if members is None else (MEMBER_FILES, ())
    folder = (
        result_folder(out, files, optional=optional, replace=replace, sources=segmented.files) if out else nullcontext()
    )
    with folder as results:
        if members is not None:
            table = segmented.profiled_table()
            _list_members(segmented.assignments(), table, segmented.key, members, where, sort, columns, results)
        else:
            _describe(segmented, _orders(ordered), results, whole=whole)
    console.wrote(results.paths if results is not None else ())


def _stays_there(
    origin: str, place: Place, reading: Reading, preparation: Preparation, assignments: Path | None
) -> bool:
    """Whether a study is to be profiled whose customers stay in their database, by the columns of their own table."""
    from gauger.study import is_study, open_study

    plain = place == Place() and reading == Reading() and preparation == Preparation() and assignments is None
    return plain and is_study(origin) and open_study(origin).in_database


def _describe_inside(origin: str, out: Path | None, *, replace: bool, whole: bool) -> None:
    """Profile a study inside its database."""
    from gauger.cli import console
    from gauger.study import PROFILE_FILES, PROFILE_FILES_OF_SOME, add_profile_files, open_study
    from gauger.tables import result_folder

    folder = (
        result_folder(out, PROFILE_FILES, optional=PROFILE_FILES_OF_SOME, replace=replace) if out else nullcontext()
    )
    with folder as results:
        found = open_study(origin).profile
        if results is not None:
            add_profile_files(results, found, None)
        show_profile(found, whole=whole)
    console.say("Worked out inside the database: no row of a customer left it, and no rules are searched there.")
    console.wrote(results.paths if results is not None else ())


def _describe(
    segmented: "SegmentedCustomers",
    ordered: "Mapping[str, list[str]]",
    results: "Results | None",
    *,
    whole: bool,
) -> None:
    from gauger.profiling import profile as profile_segments
    from gauger.profiling import profile_assignments

    tables = segmented.profiled_tables()
    seg = segmented.segmentation()
    if seg is not None:
        found = profile_segments(seg, tables, ordered=ordered)
    else:
        found = profile_assignments(segmented.assignments(), tables, key=segmented.key, ordered=ordered)
    if results is not None:
        from gauger.study import add_profile_files

        add_profile_files(results, found, seg)
    show_profile(found, whole=whole)


def _orders(texts: list[str] | None) -> dict[str, list[str]]:
    """Orders as typed: income=low<middle<high."""
    found = {}
    for text in texts or ():
        name, sign, levels = text.partition("=")
        if not sign or "<" not in levels:
            raise typer.BadParameter(
                f"{text!r} must be a column and its levels from the lowest: 'income=low<middle<high'.",
                param_hint="--ordered",
            )
        found[name.strip()] = [level.strip() for level in levels.split("<")]
    return found


def _list_members(
    given: "pd.DataFrame",
    table: "pd.DataFrame",
    key: str,
    segment: str,
    where: str | None,
    sort: str | None,
    columns: str | None,
    results: "Results | None",
) -> None:
    """Who is in a segment: as many as a screen holds, all into the file."""
    from gauger.cli import console
    from gauger.profiling import members
    from gauger.remarks import remarks_of
    from gauger.wording import Noun

    by, descending = (sort.removeprefix("-"), sort.startswith("-")) if sort else (None, False)
    names = split_names(columns) if columns else None
    found = members(given, table, key=key, segment=segment, where=where, sort=by, descending=descending, columns=names)
    if results is not None:
        results.add_table("members.csv", found)
    condition = f" with {where}" if where else ""
    console.title(f"{Noun.of_key(key).counted(len(found))} in segment {segment}{condition}")
    shown = found.head(_MOST_MEMBERS).set_index(key)
    kept = list(shown.columns) if names else _that_fit(shown)
    if len(found):
        console.table(shown[kept])
    parts = [f"the first {_MOST_MEMBERS}"] if len(found) > _MOST_MEMBERS else []
    parts += [f"{len(kept)} of {len(shown.columns)} columns"] if len(kept) < len(shown.columns) else []
    if parts and len(found):
        rest = (
            "members.csv has all" if results is not None else "choose with --where and --columns, or write with --out"
        )
        console.say(f"Shown: {' and '.join(parts)}; {rest}.")
    console.remarks(remarks_of(found))


def _that_fit(table: "pd.DataFrame") -> list[str]:
    """The first columns that fit beside each other, those that say the same of everyone shown left out."""
    from gauger.cli import console

    room = _LINE_WIDTH - max([len(str(key)) for key in table.index] + [len(str(table.index.name))])
    kept = []
    for name in table.columns:
        width = max([len(str(name)), *(len(console.cell(value)) for value in table[name])]) + 2
        if name not in ("segment", "segment_name") and width <= room:
            kept.append(name)
            room -= width
    return kept
