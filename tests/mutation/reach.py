"""A plugin for pytest that writes down which functions of Wexodos each test enters, and how long it takes.

`./run mutate` asks it which tests could notice a change. Every function gets a first statement that ticks a
box of its own: far cheaper than tracing. What a fixture makes for a whole module or session is written down
for every test that comes after it in the same process.
"""

from __future__ import annotations

import ast
import json
import os
import sys
import time
from collections.abc import Iterator
from importlib.abc import SourceLoader
from importlib.machinery import PathFinder, SourceFileLoader
from pathlib import Path

import pytest

FOLDER = "WEXODOS_REACH"
INSIDE = f"{os.sep}wexodos{os.sep}"

names: list[str] = []
ticked = bytearray(1 << 16)
_tests: dict[str, dict[str, object]] = {}
_shared: set[str] = set()


class _Ticking(ast.NodeTransformer):
    def __init__(self, file: str) -> None:
        self.file = file
        self.around: list[str] = []

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.ClassDef:
        self.around.append(node.name)
        self.generic_visit(node)
        self.around.pop()
        return node

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.FunctionDef:
        self.around.append(node.name)
        self.generic_visit(node)
        names.append(f"{self.file}:{'.'.join(self.around)}")
        self.around.pop()
        tick = ast.parse(f"__ticked__[{len(names) - 1}] = 1").body[0]
        place = 1 if ast.get_docstring(node, clean=False) is not None else 0
        node.body.insert(place, tick)
        return node


class _Loader(SourceFileLoader):
    def source_to_code(self, data, path, *, _optimize=-1):  # type: ignore[no-untyped-def, override]
        file = str(path).rpartition(INSIDE)[2]
        tree = ast.fix_missing_locations(_Ticking(file).visit(ast.parse(data)))
        return compile(tree, path, "exec", dont_inherit=True)

    def get_code(self, fullname: str):  # type: ignore[no-untyped-def]
        path = self.get_filename(fullname)
        return self.source_to_code(self.get_data(path), path)

    def exec_module(self, module) -> None:  # type: ignore[no-untyped-def]
        module.__dict__["__ticked__"] = ticked
        SourceLoader.exec_module(self, module)


class _Finder(PathFinder):
    @classmethod
    def find_spec(cls, fullname, path=None, target=None):  # type: ignore[no-untyped-def, override]
        if fullname.partition(".")[0] != "wexodos":
            return None
        spec = super().find_spec(fullname, path, target)
        if spec is not None and spec.origin and spec.origin.endswith(".py"):
            spec.loader = _Loader(fullname, spec.origin)
        return spec


sys.meta_path.insert(0, _Finder)


def _entered() -> set[str]:
    """What was ticked since the last time."""
    found = set()
    place = ticked.find(1)
    while place >= 0:
        found.add(names[place])
        place = ticked.find(1, place + 1)
    ticked[:] = bytes(len(ticked))
    return found


@pytest.hookimpl(wrapper=True)
def pytest_fixture_setup(fixturedef: pytest.FixtureDef[object]) -> Iterator[None]:
    if fixturedef.scope not in ("session", "module"):
        return (yield)
    before = bytes(ticked)
    _entered()
    try:
        return (yield)
    finally:
        _shared.update(_entered())
        ticked[:] = before


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Iterator[None]:
    _entered()
    began = time.monotonic()
    try:
        return (yield)
    finally:
        seconds = time.monotonic() - began
        _tests[item.nodeid] = {
            "seconds": seconds,
            "functions": sorted(_entered()),
            "shared": sorted(_shared),
        }


def pytest_sessionfinish() -> None:
    worker = os.environ.get("PYTEST_XDIST_WORKER", "alone")
    if _tests:
        Path(os.environ[FOLDER], f"{worker}.json").write_text(json.dumps(_tests))
