"""Every public name, figure, command, option, remark, error, setting and environment variable is in the reference."""

import json
import re
from pathlib import Path

import pytest
from building import command_pages, error_pages, file_pages, gallery_pages, measured, python_pages, remark_pages

import gauger
from gauger.campaigns.manifest_form import ManifestForm
from gauger.remark_register import REMARKS

ROOT = Path(__file__).parents[2]
DOCS = ROOT / "docs"
SOURCE = ROOT / "src" / "gauger"


def test_every_public_name_has_a_page_and_stands_in_the_overview_once() -> None:
    assert sorted(python_pages.names()) == sorted(set(gauger.__all__) - {"draw", "errors"})
    pages = python_pages.pages()
    overview = pages["reference/python.md"]
    for name in python_pages.names():
        assert f"gauger.{name}" in pages[f"reference/generated/{name}.rst"]
        assert overview.count(f"(generated/{name}.rst)") == 1


def test_every_figure_is_in_the_gallery_with_code_of_its_own() -> None:
    drawn = [name for script in gallery_pages.scripts(DOCS) for name in gallery_pages.cells_of(script)[2]]
    assert sorted(drawn) == sorted(set(gauger.draw.__all__) - {"describe"})
    for script in gallery_pages.scripts(DOCS):
        title, begin, figures = gallery_pages.cells_of(script)
        assert title
        assert begin.startswith("import ")
        for name, code in figures.items():
            assert f"gauger.draw.{name}(" in code


@pytest.mark.slow
def test_a_figure_of_the_gallery_is_drawn_and_told(tmp_path: Path) -> None:
    words = gallery_pages.draw_all(DOCS / "gallery" / "1_tables.py", tmp_path)
    for name, told in words.items():
        assert (tmp_path / f"{name}.png").read_bytes().startswith(b"\x89PNG")
        page = gallery_pages._page(name, "import gauger", told)
        assert f".. image:: {name}.png" in page
        assert f".. autofunction:: gauger.draw.{name}" in page


def test_every_command_and_every_option_is_told() -> None:
    pages = command_pages.pages()
    assert set(command_pages.commands()) == set(command_pages.EXAMPLES) == set(command_pages.READ_ON)
    for name, command in command_pages.commands().items():
        page = pages[f"reference/generated/command-{name}.md"]
        assert f"gauger {name}" in command_pages.EXAMPLES[name]
        assert (DOCS / "reference" / "generated" / command_pages.READ_ON[name]).resolve().is_file()
        for parameter in command.params:
            assert f"`{command_pages._called(parameter)}`" in page
            assert parameter.param_type_name == "argument" or getattr(parameter, "help", None)


def test_every_remark_is_told_with_what_to_do() -> None:
    page = remark_pages.pages()["reference/remarks.md"]
    for code, kind in REMARKS.items():
        assert f"(remark-{code})=\n`{code}`\n" in page
        assert kind.to_do in page


def test_every_error_is_told() -> None:
    page = error_pages.pages()["reference/errors.rst"]
    assert "MissingValuesError" in error_pages.names()
    for name in error_pages.names():
        assert f".. py:exception:: {name}\n" in page
    assert "Also a KeyError." in page


@pytest.mark.parametrize("form", file_pages.FORMS)
def test_every_setting_of_every_form_is_told(form: str) -> None:
    schema = json.loads((DOCS / f"{form}.schema.json").read_text())
    page = file_pages.pages()[f"reference/file-{form}.md"]
    for part in (schema, *schema["$defs"].values()):
        for name in part.get("properties", {}):
            assert f"| `{name}` |" in page
    for link in re.findall(r"\(#(form-[\w-]+)\)", page):
        assert f"({link})=" in page


def test_the_published_form_of_a_manifest_is_that_of_manifests() -> None:
    assert json.loads((DOCS / "manifest.schema.json").read_text()) == ManifestForm.model_json_schema()


def test_every_environment_variable_is_told() -> None:
    code = "".join(path.read_text() for path in SOURCE.rglob("*.py"))
    read = set(re.findall(r'"(GAUGER_[A-Z_]+)"', code))
    pages = "".join(path.read_text() for path in DOCS.rglob("*.md")) + command_pages.pages()["reference/commands.md"]
    assert read
    assert [name for name in read if name not in pages] == []


def test_a_search_for_a_word_of_the_field_lands_in_the_glossary() -> None:
    glossary = (DOCS / "reference" / "glossary.md").read_text()
    heads = " ".join(line for line in glossary.splitlines() if line and not line.startswith((" ", ":", "#")))
    for word in ("RFM", "DBSCAN", "DTW", "elbow", "winsorise", "PSI", "uplift", "silhouette", "dendrogram", "one-hot"):
        assert re.search(rf"\b{word}\b", heads), word
    for name in re.findall(r"\{py:(?:func|meth)\}`gauger\.([\w.]+)`", glossary):
        value: object = gauger
        for part in name.split("."):
            value = getattr(value, part)


def test_tables_of_measurements_are_made_of_results_files() -> None:
    used = re.findall(r"```\{measured\} (\S+)", "".join(path.read_text() for path in DOCS.rglob("*.md")))
    assert sorted(used) == sorted(measured.tables())
    for file, make in measured.tables().values():
        assert make(json.loads((DOCS / "results" / f"{file}.json").read_text()))


def test_no_page_has_a_table_of_typed_figures() -> None:
    """A row with three cells of nothing but numbers is a measurement, and belongs into a results file."""
    number = re.compile(r"^[\d.,]+\s?(%|s|MB|x)?$")
    pages = [ROOT / "README.md", *(path for path in DOCS.rglob("*.md") if "generated" not in str(path))]
    typed = []
    for page in pages:
        for line in page.read_text().splitlines():
            cells = [cell.strip() for cell in line.strip().strip("|").split("|")] if line.startswith("|") else []
            if sum(bool(number.match(cell)) for cell in cells) >= 3:
                typed.append(f"{page.name}: {line}")
    assert typed == []
