"""`gauger compare`: segments against others or a known column: crossed, matched, and drawn."""

from contextlib import nullcontext
from pathlib import Path
from string import ascii_uppercase
from typing import TYPE_CHECKING, Annotated

import typer

from gauger.cli.customers import MaybeSource, Place
from gauger.cli.options import Preparation, Reading, Replace, option, two_features
from gauger.cli.segmented import segmented_customers

if TYPE_CHECKING:
    from collections.abc import Mapping

    import pandas as pd

    from gauger.features import FeatureSet
    from gauger.profiling import Comparison
    from gauger.segmentation import Segmentation

_NO_VALUE = "unassigned"
"""What a contingency table calls customers without a value."""

_ROOM = 85
"""Letters that the column names of a contingency table may take beside each other."""


def compare(
    *,
    origin: MaybeSource = None,
    other: Annotated[
        Path | None, typer.Argument(metavar="OTHER", help="The folder of another study, or another assignments.csv.")
    ] = None,
    preparation: Preparation,
    assignments: Annotated[
        Path | None, option("FILE", "Who is in which segment, for a TABLE. A study knows it.")
    ] = None,
    against: Annotated[
        Path | None, option("FILE", "As OTHER; or with --column any table with the key. Default: TABLE.")
    ] = None,
    column: Annotated[
        str | None, option("NAME", "A column that is known of customers, such as a panel's answer, to compare with.")
    ] = None,
    over: Annotated[str | None, option("X,Y", "Two features for the figure. Default: those that tell most.")] = None,
    out: Annotated[
        Path | None,
        option(
            "FOLDER", "Also write crossing.csv, matches.csv, customers.csv and figures: flow.png, side-by-side.png."
        ),
    ] = None,
    replace: Replace = False,
    place: Place,
    reading: Reading,
) -> None:
    """Compare segments with others, with an earlier quarter's, or with something that is known.

    The contingency table, which segment matches which, and how far the two agree. TABLE has the features that the
    first side's segments were made of. customers.csv says who is where on both sides.
    """
    from gauger.cli import console
    from gauger.study import COMPARE_FILES, COMPARE_FILES_OF_SOME
    from gauger.tables import result_folder

    axes = two_features(over)
    if other is not None and against is not None:
        raise typer.BadParameter("say either OTHER or --against.", param_hint="--against")
    against = other or against
    if against is None and column is None:
        raise typer.BadParameter("name another study, other assignments, or a --column.", param_hint="OTHER")
    if against is not None and str(against) in (str(assignments), origin):
        raise typer.BadParameter("both sides are the same.", param_hint="OTHER")
    segmented = segmented_customers(origin, place, reading, preparation, assignments)
    files = [*segmented.files, *([str(against)] if against else [])]
    folder = (
        result_folder(out, COMPARE_FILES, optional=COMPARE_FILES_OF_SOME, replace=replace, sources=files)
        if out
        else nullcontext()
    )
    with folder as results:
        seg = segmented.with_features()
        known = segmented.profiled_table() if against is None else _other_side(against, segmented.table, seg, column)
        found = _compared(seg, known, str(against or segmented.other or origin), column)
        if results is not None:
            from gauger.study import add_comparison_files

            add_comparison_files(results, found, *axes)
    _tell(found)
    console.wrote(results.paths if results is not None else ())


def _other_side(
    path: Path, like: "pd.DataFrame", seg: "Segmentation", column: str | None
) -> "pd.DataFrame | Segmentation":
    """The segments of another study of the same features, its assignments, or a file."""
    from gauger.study import open_study
    from gauger.tables import read_table

    if not path.is_dir():
        return read_table(path)
    study = open_study(path)
    alike = sorted({*study.plan.features, *study.plan.categories}) == sorted(_columns_of(seg))
    return study.segmentation if alike and column is None else study.assignments_like(like)


def _columns_of(seg: "Segmentation") -> set[str]:
    """The columns that segments were made of."""
    return {
        seg.features.indicators[name].column if name in seg.features.indicators else name for name in seg.features.names
    }


def _segments(prepared: "FeatureSet", assignments: "pd.DataFrame", name: str) -> "Segmentation":
    from gauger.profiling import segmentation_from_assignments

    return segmentation_from_assignments(prepared, assignments, method=name)


def _compared(seg: "Segmentation", other: "pd.DataFrame | Segmentation", name: str, column: str | None) -> "Comparison":
    """Against a column of another table, or against assignments: as segments of the same features where they can be."""
    from gauger.columns import checked_table, refuse_bad_key
    from gauger.profiling import compare as compare_segments
    from gauger.segmentation import Segmentation

    if isinstance(other, Segmentation):
        return compare_segments(seg, other)
    key = seg.features.key
    if column is not None:
        other = checked_table(other, [key, column])
        refuse_bad_key(other[key])
        return compare_segments(seg, other.set_index(key)[column])
    same = set(seg.features.keys) <= set(checked_table(other, [key, "segment"])[key])
    return compare_segments(seg, _segments(seg.features, other, name) if same else other)


def _tell(found: "Comparison") -> None:
    from gauger.cli import console

    if found.association is not None:
        _tell_known(found)
    else:
        _tell_segments(found)
    if found.answer:
        console.say()
        console.say(found.answer)
    console.remarks(found.remarks)


def _tell_segments(found: "Comparison") -> None:
    """Two divisions of the same kind: which matches which, and how far they agree."""
    from gauger.cli import console

    console.heading(
        f"{found.agreement:.0%} of {found.noun.counted(len(found.customers))} agree, adjusted Rand "
        f"{found.adjusted_rand:.2f} (1: the same, 0: chance)"
    )
    console.say(f"Down: {found.seg.method}. Across: {found.other.title}.")
    crossing = console.largest(console.largest(found.crossing).T).T
    letters = _letters(crossing)
    _tell_letters(letters)
    console.table(crossing.rename(columns=lambda name: letters.get(name, str(name))))
    console.heading("Best match of each segment, one to one")
    named = any(found.matched["name"] != [f"segment {number}" for number in found.matched.index])
    shown = found.matched if named else found.matched.drop(columns="name")
    shown = shown.drop(columns="other_name").rename(columns={"other": "matches", "share": "share of the segment"})
    shown["matches"] = shown["matches"].map(lambda label: letters.get(label, label))
    shown["share of the segment"] = console.percent_column(shown["share of the segment"])
    shown["overlap"] = console.percent_column(shown["overlap"])
    console.table(console.largest(shown))


def _tell_known(found: "Comparison") -> None:
    """Segments against a known column: shares both ways, each with the customers that it is of."""
    import pandas as pd

    from gauger.cli import console

    assert found.association is not None
    console.heading(f"{found.other.title}: {found.association.headline()}")
    known = found.crossing.drop(columns=_NO_VALUE, errors="ignore")
    crossing = console.largest(console.largest(known).T).T
    letters = _letters(crossing)
    console.heading(f"Of each segment, the share with each {found.other.title}")
    _tell_letters(letters)
    rows = _shares_with_bases(crossing, known.sum(axis=1))
    names = found.seg.names
    if any(names[number] != f"segment {number}" for number in found.seg.numbers):
        rows.insert(0, "name", [names.get(row, "") if isinstance(row, int) else "" for row in rows.index])
    console.table(rows.rename(columns=lambda name: letters.get(name, str(name))))
    console.heading(f"Of each {found.other.title}, the share in each segment")
    turned = _shares_with_bases(crossing.T, known.sum(axis=0))
    turned.index = pd.Index([letters.get(name, str(name)) for name in turned.index], name=found.other.title)
    console.table(turned.rename(columns=str))


def _shares_with_bases(counts: "pd.DataFrame", bases: "pd.Series[int]") -> "pd.DataFrame":
    """Each row's shares and what they are of; where that is fewer than 30 customers, counts in their place."""
    from gauger.profiling import FEWEST_SHARED
    from gauger.wording import percent

    shown = counts.astype(object)
    for row in counts.index:
        base = int(bases.loc[row])
        few = base < FEWEST_SHARED
        shown.loc[row] = [f"{int(one)}" if few else percent(one / base) for one in counts.loc[row]]
    shown["known"] = [
        f"{int(bases.loc[row]):,}{' (counts)' if bases.loc[row] < FEWEST_SHARED else ''}" for row in shown.index
    ]
    shown.index.name = counts.index.name
    return shown


def _tell_letters(letters: "Mapping[object, str]") -> None:
    from gauger.cli import console

    for name, letter in letters.items():
        console.say(f"{letter}: {name}")


def _letters(crossing: "pd.DataFrame") -> dict[object, str]:
    """A letter for each column, where their names are too wide to stand beside each other."""
    columns = list(crossing.columns)
    if sum(len(str(name)) + 2 for name in columns) <= _ROOM or len(columns) > len(ascii_uppercase):
        return {}
    return dict(zip(columns, ascii_uppercase, strict=False))
