"""The reference of the Python names: a page a name, and what there is at a glance."""

import inspect
import textwrap

import gauger

GROUPS = {
    "Tables": "read_table write_table open_table OpenTable Execution look TableLook demo_file remarks_of Remark",
    "Behaviour": "summarise_events EventColumns EventScope Behaviour events_sql pivot_series",
    "Features": "prepare prepare_alike FeatureSet",
    "How many, and which settings": "study_counts CountStudy CountAdvice silhouette Silhouette study_radius RadiusStudy "
    "RadiusAdvice study_linkages LinkageStudy LinkageAdvice study_metrics MetricStudy MetricAdvice",
    "Segments": "segment_by_kmeans segment_by_density segment_by_density_levels segment_by_bands build_tree MergeTree "
    "Segmentation Assignments FeatureSummary segmentation_from_assignments",
    "What segments are like": "profile Profile profile_assignments members compare Comparison",
    "Studies, plans and reports": "save_study open_study Study name_study draft_plan PlanDraft read_plan Plan run_plan "
    "write_report Provenance write_workbook",
    "Models, and what changes": "build_model SegmentModel load_model drift Drift DriftAdvice migration Migration",
    "Campaigns": "hand_off HandOffRules HandOff measure Outcome",
    "Progress and errors": "listening GaugerError",
}
"""Every public name but the figures and the errors, in the order of the work."""

_INTRO = """
# Python

Everything is on `gauger`: `import gauger` loads nothing heavy, each name when it is first used. Figures are on
`gauger.draw` ([all of them](../gallery/index.md)), errors on `gauger.errors` ([their list](errors.rst)).

Whatever asks for a table takes a pandas DataFrame, or anything that hands out an Arrow stream or speaks the dataframe
protocol: polars, pyarrow, a relation of DuckDB, a dask DataFrame (which is computed). Levels that stand in an order keep it.
`look`, `summarise_events`, `prepare`, `SegmentModel.assign` and `drift` also take an `OpenTable`, whose customers stay in
files or in a database.
Results that are tables of customers (`FeatureSet`, `Segmentation`, `Comparison`, `Migration`, `HandOff`) have
`.to_arrow()`, and polars or DuckDB take them as they are.

Every result prints as a headline, a table and its remarks, and in a notebook beside its figure. All have `.remarks`, and
each remark says what to do in `.to_do`. Every advice has `.reasons`.
"""


def pages() -> dict[str, str]:
    """Every page, by its place."""
    return {"reference/python.md": _overview(), **{f"reference/generated/{name}.rst": _page(name) for name in names()}}


def names() -> list[str]:
    """The names in their order."""
    return [name for group in GROUPS.values() for name in group.split()]


def _overview() -> str:
    parts = [_INTRO.strip()]
    for title, group in GROUPS.items():
        rows = [f"| [`{name}`](generated/{name}.rst) | {_summary(name)} |" for name in group.split()]
        parts.append(f"## {title}\n\n| | |\n| --- | --- |\n" + "\n".join(rows))
    listed = "\n".join(f"generated/{name}" for name in names())
    parts.append(f"```{{toctree}}\n:hidden:\n\n{listed}\n```")
    return "\n\n".join(parts) + "\n"


def _summary(name: str) -> str:
    return (inspect.getdoc(getattr(gauger, name)) or "").split("\n")[0].replace("|", "\\|")


def _page(name: str) -> str:
    value = getattr(gauger, name)
    if name == "GaugerError":
        told = textwrap.indent(inspect.getdoc(value) or "", "   ")
        return f"{name}\n{'=' * len(name)}\n\n.. py:exception:: gauger.{name}\n\n{told}\n"
    kind = "autofunction" if inspect.isfunction(value) else "autoclass"
    members = "   :members:\n   :inherited-members: str, Exception\n" if kind == "autoclass" else ""
    return f"{name}\n{'=' * len(name)}\n\n.. currentmodule:: gauger\n\n.. {kind}:: gauger.{name}\n{members}"
