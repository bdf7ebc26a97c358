"""Small plausible mistakes in a source file: a sign, a limit, a dropped condition, one off, the other end.

A mistake is a piece of the text, by its place, and what stands there instead; the rest of the file stays as
it is, so that a line number means the same before and after.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

COMPARED: dict[type[ast.cmpop], tuple[str, ...]] = {
    ast.Lt: ("<=", ">"),
    ast.LtE: ("<",),
    ast.Gt: (">=", "<"),
    ast.GtE: (">",),
    ast.Eq: ("!=",),
    ast.NotEq: ("==",),
    ast.Is: ("is not",),
    ast.IsNot: ("is",),
    ast.In: ("not in",),
    ast.NotIn: ("in",),
}
COUNTED: dict[type[ast.operator], str] = {
    ast.Add: "-",
    ast.Sub: "+",
    ast.Mult: "/",
    ast.Div: "*",
    ast.FloorDiv: "*",
    ast.Mod: "//",
}
CALLED = {
    "min": "max",
    "max": "min",
    "floor": "ceil",
    "ceil": "floor",
    "any": "all",
    "all": "any",
    "sin": "cos",
    "cos": "sin",
}


@dataclass(frozen=True)
class Mistake:
    """One piece of one file, and what stands there instead."""

    file: str  # below src/wexodos
    line: int
    function: str  # the innermost one around it, with its class; nothing: the module itself
    start: int  # in characters
    end: int
    was: str
    now: str

    @property
    def name(self) -> str:
        """The same in every run, wherever the file's other lines go."""
        return f"{self.file} {self.function}: {' '.join(self.was.split())} → {' '.join(self.now.split())}"

    def planted(self, text: str) -> str:
        return text[: self.start] + self.now + text[self.end :]


class _Finder(ast.NodeVisitor):
    def __init__(self, file: str, text: str) -> None:
        self.file, self.text = file, text
        self.starts = [0]
        for line in text.splitlines(keepends=True):
            self.starts.append(self.starts[-1] + len(line.encode()))
        self.bytes = text.encode()
        self.around: list[str] = []
        self.function = ""
        self.found: list[Mistake] = []

    def place(self, node: ast.expr) -> tuple[int, int]:
        assert node.end_lineno is not None and node.end_col_offset is not None
        start = self.starts[node.lineno - 1] + node.col_offset
        end = self.starts[node.end_lineno - 1] + node.end_col_offset
        return len(self.bytes[:start].decode()), len(self.bytes[:end].decode())

    def source(self, node: ast.expr) -> str:
        start, end = self.place(node)
        return self.text[start:end]

    def put(self, node: ast.expr, now: str) -> None:
        start, end = self.place(node)
        was = self.text[start:end]
        self.found.append(Mistake(self.file, node.lineno, self.function, start, end, was, now))

    # Where a mistake can stand.

    def visit_ClassDef(self, node: ast.ClassDef) -> None:
        # Decorators stay: frozen or slotted, a class does the same.
        self.around.append(node.name)
        for statement in node.body:
            self.visit(statement)
        self.around.pop()

    def visit_FunctionDef(self, node: ast.FunctionDef) -> None:
        before = self.function
        for default in [*node.args.defaults, *(one for one in node.args.kw_defaults if one)]:
            self.visit(default)
        self.around.append(node.name)
        self.function = ".".join(self.around)
        for statement in node.body:
            self.visit(statement)
        self.around.pop()
        self.function = before

    def visit_AnnAssign(self, node: ast.AnnAssign) -> None:
        if node.value is not None:
            self.visit(node.value)

    def visit_If(self, node: ast.If) -> None:
        if isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING":
            return
        self.dropped(node.test)
        self.generic_visit(node)

    def visit_IfExp(self, node: ast.IfExp) -> None:
        self.put(node.test, f"not ({self.source(node.test)})")
        self.generic_visit(node)

    def visit_comprehension(self, node: ast.comprehension) -> None:
        for test in node.ifs:
            self.put(test, "True")
        self.generic_visit(node)

    def dropped(self, test: ast.expr) -> None:
        self.put(test, "False")

    def visit_Compare(self, node: ast.Compare) -> None:
        if len(node.ops) == 1:
            left, right = self.source(node.left), self.source(node.comparators[0])
            for sign in COMPARED[type(node.ops[0])]:
                self.put(node, f"{left} {sign} {right}")
        self.generic_visit(node)

    def visit_BinOp(self, node: ast.BinOp) -> None:
        sign = COUNTED.get(type(node.op))
        stringy = any(
            isinstance(one, ast.JoinedStr | ast.Constant | ast.Tuple | ast.List)
            and not (isinstance(one, ast.Constant) and isinstance(one.value, int | float))
            for one in (node.left, node.right)
        )
        if sign and not stringy:
            self.put(node, f"({self.source(node.left)}) {sign} ({self.source(node.right)})")
        self.generic_visit(node)

    def visit_BoolOp(self, node: ast.BoolOp) -> None:
        word = "and" if isinstance(node.op, ast.And) else "or"
        parts = [self.source(one) for one in node.values]
        self.put(node, f" {word} ".join(parts[:-1]))
        self.put(node, f" {word} ".join(parts[1:]))
        self.generic_visit(node)

    def visit_UnaryOp(self, node: ast.UnaryOp) -> None:
        if isinstance(node.op, ast.Not | ast.USub):
            self.put(node, self.source(node.operand))
        self.generic_visit(node)

    def visit_Constant(self, node: ast.Constant) -> None:
        if isinstance(node.value, bool):
            self.put(node, str(not node.value))
        elif isinstance(node.value, int):
            self.put(node, str(node.value + 1))
        elif isinstance(node.value, float):
            self.put(node, repr(node.value * 2 if node.value else 1.0))

    def visit_Call(self, node: ast.Call) -> None:
        name = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
        if name in CALLED:
            self.put(node.func, self.source(node.func).removesuffix(name) + CALLED[name])
        self.generic_visit(node)

    def visit_JoinedStr(self, node: ast.JoinedStr) -> None:
        """What stands inside a sentence has no place of its own."""

    def visit_Subscript(self, node: ast.Subscript) -> None:
        if isinstance(node.value, ast.Name) and node.value.id in ("Literal", "Annotated"):
            return
        self.generic_visit(node)


def mistakes(folder: Path, file: str) -> Iterator[Mistake]:
    """Every mistake that the file can hold, in its order."""
    text = (folder / file).read_text()
    finder = _Finder(file, text)
    finder.visit(ast.parse(text))
    seen = set()
    for one in finder.found:
        if (one.start, one.now) not in seen and one.was != one.now:
            seen.add((one.start, one.now))
            yield one
