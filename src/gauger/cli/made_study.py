"""What `gauger segment` and `gauger tree` do with the segments that they found: write the study, and tell it."""

import shlex
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    import pandas as pd

    from gauger.cli.customers import Customers
    from gauger.segmentation import Segmentation
    from gauger.study import Found
    from gauger.tables import Results


def write_study(
    results: "Results",
    customers: "Customers",
    table: "pd.DataFrame",
    found: "Found",
    out: Path,
    figures: "Mapping[str, Any]",
) -> "Found":
    """Write the study of some segments; numbers and names follow those of the study that they come from or replace."""
    from gauger.cli.options import asked
    from gauger.study import FiguresPart, add_study, with_earlier_names

    found = with_earlier_names(found, customers.plan, customers.beside, out)
    customers.refuse(found.seg.remarks)
    known = FiguresPart() if customers.plan is None else customers.plan.figures
    add_study(
        results, found, customers.origin(table, out), base=customers.plan_for(out), figures=asked(known, dict(figures))
    )
    return found


def tell_study(
    seg: "Segmentation", paths: "Sequence[Path]", out: Path, customers: "Customers", remarks: "Sequence[Any]" = ()
) -> None:
    """The segments and their centres, the remarks, the files, and what to type next."""
    from gauger.cli import console

    console.heading(f"{seg.headline()}{', centres in original units' if seg.count else ''}")
    if seg.count:
        console.segments(seg.overview())
    console.remarks([*remarks, *seg.remarks])
    console.wrote(paths)
    if seg.count:
        console.next_step(f"gauger profile {shlex.quote(str(out))}")
    else:
        console.next_step(f"gauger radius {customers.words()}")
