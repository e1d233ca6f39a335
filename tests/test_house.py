"""The house: numbers have reasons, files and functions stay small, rooms have no drawers for anything."""

import ast
import re
from pathlib import Path

import gauger

SOURCE = Path(gauger.__file__).parent
MODULES = sorted(SOURCE.rglob("*.py"))
LONG = "Long because"


def _parsed(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


def _is_number(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool)


def test_every_number_at_the_head_of_a_module_has_a_sentence() -> None:
    bare = []
    for path in MODULES:
        body = _parsed(path).body
        for statement, following in zip(body, [*body[1:], None], strict=True):
            if not isinstance(statement, ast.Assign | ast.AnnAssign) or statement.value is None:
                continue
            if isinstance(statement.value, ast.Call) or not any(map(_is_number, ast.walk(statement.value))):
                continue
            if not (isinstance(following, ast.Expr) and isinstance(following.value, ast.Constant)):
                bare.append(f"{path.relative_to(SOURCE)}:{statement.lineno}")
    assert bare == []


def test_modules_and_functions_stay_readable() -> None:
    lengths = []
    for path in MODULES:
        assert len(path.read_text().splitlines()) <= 420, path
        for node in ast.walk(_parsed(path)):
            if isinstance(node, ast.FunctionDef) and LONG not in (ast.get_docstring(node) or ""):
                told = len((ast.get_docstring(node, clean=False) or "").splitlines())
                lengths.append((node.end_lineno or 0) - node.lineno + 1 - told)
    assert max(lengths) <= 90
    assert sum(length > 35 for length in lengths) < len(lengths) / 10


def test_no_file_is_a_drawer_for_anything() -> None:
    assert not {path.stem for path in MODULES} & {"utils", "util", "helpers", "common", "misc", "base"}


def test_faces_hand_names_on_and_define_nothing() -> None:
    for path in MODULES:
        if path.name == "__init__.py" and path.parent != SOURCE:
            stub = path.with_suffix(".pyi")
            kinds = {type(statement) for statement in _parsed(stub if stub.exists() else path).body}
            assert kinds <= {ast.Expr, ast.ImportFrom, ast.Assign}, path
            assert not stub.exists() or "lazy_loader.attach_stub" in path.read_text()


def test_algorithms_know_points_and_no_customers() -> None:
    assert [path for path in (SOURCE / "algorithms").rglob("*.py") if "customer" in path.read_text().lower()] == []


def test_every_test_that_the_security_page_names_is_there() -> None:
    root = Path(__file__).parent.parent
    named = re.findall(r"\[(test_\w+)\]\((tests/[\w/]+\.py)\)", (root / "SECURITY.md").read_text())
    assert len(named) > 20
    assert [name for name, file in named if f"def {name}(" not in (root / file).read_text()] == []
