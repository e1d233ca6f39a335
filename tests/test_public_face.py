"""The public face: which names there are, that each is documented with examples that run, and what it drags in."""

import ast
import doctest
import inspect
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from numpydoc.validate import validate

import gauger

PUBLIC = """
Assignments Behaviour Comparison CountAdvice CountStudy Drift DriftAdvice EventColumns EventScope Execution FeatureSet
FeatureSummary GaugerError HandOff HandOffRules LinkageAdvice LinkageStudy MergeTree MetricAdvice MetricStudy Migration
OpenTable Outcome Plan PlanDraft Profile Provenance RadiusAdvice RadiusStudy Remark SegmentModel Segmentation Silhouette
Study TableLook build_model build_tree compare demo_file draft_plan draw drift errors events_sql hand_off listening
load_model look measure members migration name_study open_study open_table pivot_series prepare prepare_alike profile
profile_assignments read_plan read_table remarks_of run_plan save_study segment_by_bands segment_by_density
segment_by_density_levels segment_by_kmeans segmentation_from_assignments silhouette study_counts study_linkages
study_metrics study_radius summarise_events write_report write_table write_workbook
""".split()
FIGURES = [f"draw.{name}" for name in gauger.draw.__all__]
DOCUMENTED = [*(name for name in PUBLIC if name not in ("draw", "errors")), *FIGURES]

# numpydoc's codes: parameters left out, unknown, in another order, without type or words; no words on what is returned;
# no summary, one that is no sentence or runs over two lines; sections unknown or in another order; no example.
FAULTS = {
    "PR01",
    "PR02",
    "PR03",
    "PR04",
    "PR07",
    "RT01",
    "RT03",
    "SS01",
    "SS02",
    "SS03",
    "SS06",
    "GL06",
    "GL07",
    "EX01",
}


def test_the_public_names_are_exactly_these() -> None:
    assert gauger.__all__ == PUBLIC
    assert dir(gauger) == PUBLIC


def test_every_error_is_public() -> None:
    assert issubclass(gauger.errors.UnknownColumnError, gauger.GaugerError)


@pytest.mark.slow
@pytest.mark.parametrize("name", DOCUMENTED)
def test_every_public_name_is_documented_by_examples_that_run(name: str) -> None:
    value = _value(name)
    runner = doctest.DocTestRunner()
    tests = list(_examples(value, name))
    assert any(test.examples for test in tests if test.name == name)
    for test in tests:
        runner.run(test)
    assert runner.failures == 0


@pytest.mark.slow
@pytest.mark.parametrize("name", DOCUMENTED)
def test_every_public_docstring_has_its_sections(name: str) -> None:
    value = _value(name)
    own = [name, *(f"{name}.{method}" for method in _methods(value))]
    faults = {one: [f"{code} {text}" for code, text in _faults(one) if code in FAULTS] for one in own}
    assert {one: found for one, found in faults.items() if found} == {}


def test_an_unknown_name_is_an_attribute_error() -> None:
    with pytest.raises(AttributeError, match="segmnt"):
        gauger.segmnt  # noqa: B018


@pytest.mark.slow
def test_the_core_runs_without_importing_anything_that_draws_or_prints() -> None:
    code = (
        "import sys, gauger, pandas as pd\n"
        "table = pd.DataFrame({'who': list('abcdef'), 'visits': [1, 2, 3, 11, 12, 13]})\n"
        "study = gauger.study_counts(gauger.prepare(table, key='who'), counts=range(1, 4))\n"
        "gauger.profile(study.segmentations[2])\n"
        "print([name for name in ('matplotlib', 'typer', 'rich', 'jinja2') if name in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_importing_loads_nothing_heavy() -> None:
    """What the standard library lacks is loaded when a name is first used; only the loader itself is there at once."""
    code = (
        "import sys; before = set(sys.modules); import gauger\n"
        "new = {name.partition('.')[0] for name in set(sys.modules) - before}\n"
        "print(sorted(new - set(sys.stdlib_module_names)))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert set(ast.literal_eval(done.stdout)) <= {"gauger", "lazy_loader", "packaging"}


def test_the_stub_imports_every_name_from_the_face_of_a_room() -> None:
    stub = Path(gauger.__file__).with_suffix(".pyi").read_text()
    modules = [line.split()[1] for line in stub.splitlines() if line.startswith("from ")]
    assert all(module.count(".") == 1 for module in modules)


def _value(name: str) -> object:
    found: object = gauger
    for part in name.split("."):
        found = getattr(found, part)
    return found


def _methods(value: object) -> list[str]:
    """The methods that have parameters; what a class inherits, or leaves to others to do, is documented there."""
    if not inspect.isclass(value):
        return []
    return [
        name
        for name, method in vars(value).items()
        if inspect.isfunction(method)
        and not name.startswith("_")
        and not getattr(method, "__isabstractmethod__", False)
        and len(inspect.signature(method).parameters) > 1
    ]


def _faults(name: str) -> list[tuple[str, str]]:
    ignored = {"PR01", "PR02", "PR03"} if inspect.isclass(_value(name)) else set()  # fields stand under Attributes
    return [fault for fault in validate(f"gauger.{name}")["errors"] if fault[0] not in ignored]


def _examples(value: object, name: str) -> Iterator[doctest.DocTest]:
    finder = doctest.DocTestFinder(recurse=inspect.isclass(value))
    yield from finder.find(value, name, globs={})


DEFAULTS = {
    "base_rate": 0.02,
    "exact_up_to": 20_000,
    "gate_share": 0.995,
    "holdout": 0.1,
    "max_iterations": 300,
    "metric": "euclidean",
    "min_size": 0,
    "missing": "refuse",
    "p": 3.0,
    "references": 10,
    "resamples": 20,
    "sample": 2_000,
    "scale": "zscore",
    "seed": 0,
    "starts": 10,
}


def test_a_setting_has_one_default_wherever_it_is_asked_for() -> None:
    found: dict[str, set[object]] = {}
    for name in PUBLIC:
        if callable(asked := getattr(gauger, name)) and asked is not gauger.GaugerError:
            for one in inspect.signature(asked).parameters.values():
                if isinstance(one.default, int | float | str) and one.name in DEFAULTS:
                    found.setdefault(one.name, set()).add(one.default)
    assert found == {name: {value} for name, value in DEFAULTS.items()}
