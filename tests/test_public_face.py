"""The public face: which names there are, that each is documented by an example that runs, and what it drags in."""

import doctest
import inspect
import subprocess
import sys
from collections.abc import Iterator

import pytest

import gauger

PUBLIC = [
    "Comparison",
    "CountAdvice",
    "CountStudy",
    "Drift",
    "FeatureSet",
    "GaugerError",
    "HandOff",
    "LinkageStudy",
    "MergeTree",
    "MetricStudy",
    "Migration",
    "Outcome",
    "Profile",
    "RadiusAdvice",
    "RadiusStudy",
    "Remark",
    "SegmentModel",
    "Segmentation",
    "Silhouette",
    "StreamedAssignments",
    "TableLook",
    "assign_file",
    "build_model",
    "build_tree",
    "compare",
    "demo_file",
    "draw",
    "drift",
    "events_sql",
    "hand_off",
    "listening",
    "load_model",
    "look",
    "measure",
    "members",
    "migration",
    "pivot_series",
    "prepare",
    "prepare_alike",
    "profile",
    "profile_assignments",
    "read_table",
    "remarks_of",
    "segment_by_bands",
    "segment_by_density",
    "segment_by_density_levels",
    "segment_by_kmeans",
    "silhouette",
    "study_counts",
    "study_linkages",
    "study_metrics",
    "study_radius",
    "summarise_events",
    "write_table",
]


def test_the_public_names_are_exactly_these() -> None:
    assert gauger.__all__ == PUBLIC
    assert dir(gauger) == PUBLIC


@pytest.mark.parametrize("name", PUBLIC)
def test_every_public_name_has_a_docstring_whose_examples_run(name: str) -> None:
    value = getattr(gauger, name)
    assert inspect.getdoc(value)
    runner = doctest.DocTestRunner()
    for test in _examples(value, name):
        runner.run(test)
    assert runner.failures == 0


@pytest.mark.parametrize("name", ["look", "prepare", "profile", "read_table", "segment_by_kmeans", "summarise_events"])
def test_every_main_function_has_an_example(name: str) -> None:
    assert any(test.examples for test in _examples(getattr(gauger, name), name))


def test_an_unknown_name_is_an_attribute_error() -> None:
    with pytest.raises(AttributeError, match="no attribute 'segmnt'"):
        gauger.segmnt  # noqa: B018


def test_the_core_runs_without_importing_anything_that_draws_or_prints() -> None:
    code = (
        "import sys, gauger, pandas as pd\n"
        "table = pd.DataFrame({'who': list('abcdef'), 'visits': [1, 2, 3, 11, 12, 13]})\n"
        "study = gauger.study_counts(gauger.prepare(table, key='who'), counts=range(1, 4))\n"
        "gauger.profile(study.segmentations[2])\n"
        "print([name for name in ('matplotlib', 'typer', 'rich') if name in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def _examples(value: object, name: str) -> Iterator[doctest.DocTest]:
    finder = doctest.DocTestFinder(recurse=inspect.isclass(value))
    yield from finder.find(value, name, globs={})
