"""What was done to the data: each feature's treatment, its gaps, and who was left out."""

from gauger.report.contents import Contents
from gauger.report.html_tables import Cell, HtmlTable, number_cell, table_of


def treatment_table(contents: Contents) -> HtmlTable:
    """A row a feature: what was done to it, and how many values were missing."""
    features = contents.features
    gaps = features.original.isna().sum().to_dict()
    if not contents.at_hand:
        gaps |= contents.profile.measures["missing"].to_dict()
    rows = []
    for name in features.names:
        steps = [step.text for step in features.treatments[name] if step.text]
        rows.append([Cell(name), Cell(", then ".join(steps) or "taken as it is"), number_cell(gaps[name])])
    return table_of("What was done to each feature, in this order", ("feature", "treatment", "values missing"), rows)


def left_out(contents: Contents) -> str:
    """How many rows of the source are not among those who were segmented."""
    rows, noun = contents.provenance.rows, contents.noun.everyone or contents.noun
    kept = contents.customers if contents.everyone is None else contents.everyone
    some = f" This report is of a sample of {contents.customers:,} of them." if kept > contents.customers else ""
    if rows is None or rows <= kept:
        return f"All {noun.counted(kept)} of the source were segmented.{some}"
    return f"Of {noun.counted(rows)} of the source {kept:,} were segmented; {rows - kept:,} were left out.{some}"
