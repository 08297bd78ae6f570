"""The architecture: which folder imports which, how large a module may be, and that a class name occurs once."""

from __future__ import annotations

import ast
import graphlib
import re
from collections import Counter
from pathlib import Path

import pytest

import voskar.core

ROOT = Path(voskar.core.__file__ or "").parent
PACKAGE = ROOT.parent
EVERY = {
    ".".join(("voskar", *path.relative_to(PACKAGE).with_suffix("").parts)).removesuffix(".__init__"): path
    for path in PACKAGE.rglob("*.py")
}
MODULES = {name: path for name, path in EVERY.items() if path.is_relative_to(ROOT)}


def imported(path: Path) -> set[str]:
    """The modules of Voskar that a module imports, at its top, in a function, or for the type checker alone."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            inner = {f"{node.module}.{alias.name}" for alias in node.names}
            found |= inner & EVERY.keys() or {node.module}
    return {name for name in found if name.split(".")[0] == "voskar"}


def test_the_core_imports_only_itself_and_in_no_circle() -> None:
    needs = {name: imported(path) - {name} for name, path in MODULES.items()}
    assert {name for own in needs.values() for name in own} <= MODULES.keys()
    tuple(graphlib.TopologicalSorter(needs).static_order())  # raises CycleError, and says which


def circle_of(folders: dict[str, set[str]]) -> list[str]:
    """A circle of folders that import each other, none if there is none."""
    try:
        tuple(graphlib.TopologicalSorter(folders).static_order())
    except graphlib.CycleError as error:
        return list(error.args[1])
    return []


@pytest.mark.parametrize("top", ["voskar", "voskar.core"])
def test_no_circle_between_folders(top: str) -> None:
    """Folders directly below a package, with all that is below them; its own modules stand for themselves."""
    depth = top.count(".") + 2

    def place(module: str) -> str:
        return ".".join(module.split(".")[:depth])

    needs: dict[str, set[str]] = {}
    for name, path in EVERY.items():
        if name.startswith(f"{top}."):
            own = {place(text) for text in imported(path) if text.startswith(f"{top}.")}
            needs[place(name)] = needs.get(place(name), set()) | own - {place(name)}
    assert circle_of(needs) == []


def test_no_module_of_the_core_is_longer_than_400_lines() -> None:
    sources = [path for path in ROOT.rglob("*") if path.suffix in {".py", ".pxd"}]
    assert {path.name for path in sources if len(path.read_text(encoding="utf-8").splitlines()) > 400} == set()


def test_a_class_name_stands_once() -> None:
    sources = [path for folder in (PACKAGE, Path(__file__).parents[1]) for path in folder.rglob("*.py")]
    found = Counter(name for path in sources for name in re.findall(r"^ *class (\w+)", path.read_text(), re.MULTILINE))
    assert [name for name, count in found.items() if count > 1] == []
