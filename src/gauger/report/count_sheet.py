"""The count study's sheet: its table and native charts, or what each radius makes of everyone."""

import pandas as pd

from gauger.appearance import FAINT, SEGMENT_COLOURS
from gauger.report.contents import Contents
from gauger.report.sheets import Sheet, Sheets

_CHARTS = ("wcss", "silhouette", "gap", "stability")
_COUNTS = frozenset(("count", "segments", "fair_segments"))
_LEFT_OF_CHARTS = 2
"""Empty rows between the table and the charts."""


def add_count_study(sheets: Sheets, contents: Contents) -> None:
    """A row a count (or radius) with every criterion, charts of the four that are read most, and the advice."""
    sheet = sheets.new("count study")
    if contents.counts is not None:
        table = contents.counts.table.rename_axis("count").reset_index()
        advice = contents.counts.advice
    elif contents.radii is not None:
        table = contents.radii.table.rename_axis("radius").reset_index()
        advice = contents.radii.advice  # type: ignore[assignment]
    else:
        sheet.line("How many segments there are was not studied.")
        return
    kinds = ["whole" if name in _COUNTS else "share" if str(name).endswith("share") else "fine" for name in table]
    sheet.table([str(name).replace("_", " ") for name in table], table.to_numpy(dtype=object).tolist(), kinds)
    if contents.counts is not None:
        _add_charts(sheets, sheet, table)
    last = len(table) + _LEFT_OF_CHARTS + (34 if contents.counts is not None else 0)
    for at, sentence in enumerate([advice.headline(), *advice.sentences()]):
        sheet.sheet.write_string(last + at, 0, sentence, sheet.formats["plain"])


def _add_charts(sheets: Sheets, sheet: Sheet, table: pd.DataFrame) -> None:
    """Line charts that the spreadsheet draws from the table itself."""
    names = [str(name) for name in table.columns]
    look = {"color": SEGMENT_COLOURS[0]}
    for at, name in enumerate(name for name in _CHARTS if name in names):
        chart = sheets.book.add_chart({"type": "line"})
        column = names.index(name)
        chart.add_series(
            {
                "name": name,
                "categories": ["count study", 1, 0, len(table), 0],
                "values": ["count study", 1, column, len(table), column],
                "line": {**look, "width": 2.0},
                "marker": {"type": "circle", "size": 5, "fill": look, "border": look},
            }
        )
        chart.set_title({"name": name, "name_font": {"size": 12}})
        chart.set_x_axis({"name": "number of segments", "name_font": {"size": 9, "bold": False}})
        chart.set_y_axis({"major_gridlines": {"visible": True, "line": {"color": FAINT}}})
        chart.set_legend({"none": True})
        chart.set_size({"width": 460, "height": 300})
        row = len(table) + _LEFT_OF_CHARTS + 16 * (at // 2)
        sheet.sheet.insert_chart(row, 0 if at % 2 == 0 else 5, chart)
