"""Every way to change one small thing in a file: a bound, a sign, a constant, a condition, two arguments, a guard."""

import ast
import copy
import hashlib
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

_BOUNDS: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
}

_SIGNS: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.FloorDiv: ast.Mult,
    ast.Pow: ast.Mult,
    ast.BitAnd: ast.BitOr,
    ast.BitOr: ast.BitAnd,
}

_EXTREMES = {"min": "max", "max": "min", "minimum": "maximum", "maximum": "minimum", "any": "all", "all": "any"}

_EITHER_WAY = frozenset({*_EXTREMES, "fmin", "fmax", "hypot", "isclose"})
"""Functions that do not care which of two arguments is the first."""

_SMALL = 10
"""Whole numbers up to this are made one larger, those above twice as large, for one more would change nothing."""

_NO_BEHAVIOUR = frozenset({"strict", "stacklevel", "encoding", "copy", "cache"})
"""Arguments that guard against mistakes of ours or save time: no answer depends on them."""

Change = tuple[str, ast.AST]


@dataclass(frozen=True)
class Mutant:
    """One change of one place of a file.

    Attributes
    ----------
    path
        The file, relative to `src`.
    line
        The first line of the changed expression or statement.
    inside
        The function or class it is in.
    function
        The outermost function it is in and the line that begins, or None for what runs on import.
    operator
        The kind of change.
    before, after
        The source of the place.
    span
        Where it starts and ends in the file, in bytes.
    compiled
        Whether Numba compiles it.
    key
        What names the mutant as long as its function says the same, wherever it moves.
    """

    path: Path
    line: int
    inside: str
    function: tuple[str, int] | None
    operator: str
    before: str
    after: str
    span: tuple[int, int]
    compiled: bool
    key: str

    def source(self, original: bytes) -> bytes:
        """The whole file with this one change."""
        start, end = self.span
        return original[:start] + self.after.encode() + original[end:]

    def __str__(self) -> str:
        before, after = (" ".join(text.split()) for text in (self.before, self.after))
        return f"{self.path}:{self.line} {self.inside or 'on import'}: {self.operator}: {before}  ->  {after}"


def mutants_of(path: Path, root: Path) -> list[Mutant]:
    """Every mutant of a file below `root`, in the order of the file."""
    original = (root / path).read_bytes()
    starts = [0]
    for line in original.splitlines(keepends=True):
        starts.append(starts[-1] + len(line))
    found, seen = [], Counter[str]()
    for place in _places(ast.parse(original), ()):
        node = place.node
        assert node.end_lineno is not None
        assert node.end_col_offset is not None
        span = starts[node.lineno - 1] + node.col_offset, starts[node.end_lineno - 1] + node.end_col_offset
        before = original[slice(*span)].decode()
        for operator, changed in place.changes:
            after = _text(changed, node.col_offset)
            name = "\0".join((path.as_posix(), place.inside, before, after))
            seen[name] += 1
            key = hashlib.sha256(f"{name}\0{seen[name]}".encode()).hexdigest()[:12]
            within = (place.inside, place.function, operator, before, after)
            found.append(Mutant(path, node.lineno, *within, span, place.compiled, key))
    return found


def _text(node: ast.AST, indent: int) -> str:
    text = ast.unparse(node)
    if isinstance(node, ast.stmt):
        return text.replace("\n", "\n" + " " * indent)
    return f"({text})" if isinstance(node, ast.BinOp | ast.BoolOp | ast.Compare | ast.UnaryOp | ast.IfExp) else text


@dataclass(frozen=True)
class _Place:
    node: ast.expr | ast.stmt
    inside: str
    function: tuple[str, int] | None
    compiled: bool
    changes: tuple[Change, ...]


def _places(
    node: ast.AST, within: tuple[str, ...], function: tuple[str, int] | None = None, compiled: bool = False
) -> Iterator[_Place]:
    if isinstance(node, ast.JoinedStr) or (isinstance(node, ast.If) and "TYPE_CHECKING" in ast.unparse(node.test)):
        return
    if isinstance(node, ast.FunctionDef | ast.ClassDef):
        within = (*within, node.name)
        compiled = compiled or any("njit" in ast.unparse(one) for one in node.decorator_list)
    if isinstance(node, ast.FunctionDef):
        yield from _places(node.args, within, function, compiled)
        first = min([node.lineno, *(one.lineno for one in node.decorator_list)])
        function = function or (".".join(within), first)
        for child in node.body:
            yield from _places(child, within, function, compiled)
        return
    if isinstance(node, ast.expr | ast.stmt):
        changes = tuple(_changes(node))
        if changes:
            yield _Place(node, ".".join(within), function, compiled, changes)
    for child in _children(node):
        yield from _places(child, within, function, compiled)


def _children(node: ast.AST) -> Iterator[ast.AST]:
    """The nodes below that run: no annotation, no decorator, no docstring, no argument without behaviour."""
    for field, value in ast.iter_fields(node):
        if field in ("annotation", "returns", "decorator_list", "type_params"):
            continue
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            continue
        for child in value if isinstance(value, list) else [value]:
            if isinstance(child, ast.keyword) and child.arg in _NO_BEHAVIOUR:
                continue
            if isinstance(child, ast.AST):
                yield child


def _changes(node: ast.expr | ast.stmt) -> Iterator[Change]:
    for change in _OPERATORS:
        yield from change(node)


def _bounds(node: ast.AST) -> Iterator[Change]:
    if isinstance(node, ast.Compare):
        for position, operator in enumerate(node.ops):
            if type(operator) in _BOUNDS:
                changed = copy.deepcopy(node)
                changed.ops[position] = _BOUNDS[type(operator)]()
                yield "comparison", changed


def _signs(node: ast.AST) -> Iterator[Change]:
    if isinstance(node, ast.BinOp | ast.AugAssign) and type(node.op) in _SIGNS:
        sides = (node.left, node.right) if isinstance(node, ast.BinOp) else (node.value,)
        if not any(_is_text(side) for side in sides):
            changed = copy.deepcopy(node)
            changed.op = _SIGNS[type(node.op)]()
            yield "arithmetic", changed
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.Invert):
        yield "arithmetic", node.operand


def _is_text(node: ast.expr) -> bool:
    if isinstance(node, ast.BinOp):
        return _is_text(node.left) or _is_text(node.right)
    return isinstance(node, ast.JoinedStr) or (isinstance(node, ast.Constant) and isinstance(node.value, str))


def _constants(node: ast.AST) -> Iterator[Change]:
    if isinstance(node, ast.Constant):
        if isinstance(node.value, bool):
            yield "constant", ast.Constant(not node.value)
        elif isinstance(node.value, int) and node.value <= _SMALL:
            yield "off by one", ast.Constant(node.value + 1)
        elif isinstance(node.value, int):
            yield "constant", ast.Constant(2 * node.value)
        elif isinstance(node.value, float):
            yield "constant", ast.Constant(node.value * 2.0 if node.value else 1.0)


def _conditions(node: ast.AST) -> Iterator[Change]:
    if isinstance(node, ast.BoolOp):
        changed = copy.deepcopy(node)
        changed.op = ast.And() if isinstance(node.op, ast.Or) else ast.Or()
        yield "condition", changed
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        yield "condition", node.operand
    elif isinstance(node, ast.IfExp) and not isinstance(node.test, ast.Compare | ast.BoolOp | ast.UnaryOp):
        yield "condition", ast.IfExp(ast.UnaryOp(ast.Not(), node.test), node.body, node.orelse)


def _guards(node: ast.AST) -> Iterator[Change]:
    if isinstance(node, ast.If) and not node.orelse:
        yield "removed guard", ast.Pass()
    elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
        yield "removed call", ast.Pass()


def _arguments(node: ast.AST) -> Iterator[Change]:
    if not isinstance(node, ast.Call):
        return
    plain = (ast.Name, ast.Attribute, ast.Subscript)
    if len(node.args) >= 2 and all(isinstance(one, plain) for one in node.args[:2]):
        first, second, *others = node.args
        either_way = ast.unparse(node.func).rpartition(".")[2] in _EITHER_WAY
        if ast.dump(first) != ast.dump(second) and not either_way and not _is_kind(second):
            yield "swapped arguments", ast.Call(node.func, [second, first, *others], node.keywords)
    if isinstance(node.func, ast.Name) and node.func.id in _EXTREMES:
        yield "other extreme", ast.Call(ast.Name(_EXTREMES[node.func.id]), node.args, node.keywords)
    elif isinstance(node.func, ast.Attribute) and node.func.attr in _EXTREMES:
        other = ast.Attribute(node.func.value, _EXTREMES[node.func.attr])
        yield "other extreme", ast.Call(other, node.args, node.keywords)


def _is_kind(node: ast.expr) -> bool:
    """Whether this is a class, as the second argument of `isinstance` is."""
    return ast.unparse(node).rpartition(".")[2][:1].isupper()


_OPERATORS: tuple[Callable[[ast.AST], Iterator[Change]], ...] = (
    _bounds,
    _signs,
    _constants,
    _conditions,
    _guards,
    _arguments,
)
