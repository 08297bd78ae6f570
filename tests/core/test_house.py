"""The core as a house: which room imports which, and how large a room may be."""

from __future__ import annotations

import ast
import graphlib
from pathlib import Path

import voskar.core

ROOT = Path(voskar.core.__file__ or "").parent
MODULES = {
    ".".join(("voskar", "core", *path.relative_to(ROOT).with_suffix("").parts)).removesuffix(".__init__"): path
    for path in ROOT.rglob("*.py")
}


def imported(path: Path) -> set[str]:
    """The modules of Voskar that a module imports, at its top, in a function, or for the type checker alone."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found |= {one.name for one in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            inner = {f"{node.module}.{one.name}" for one in node.names}
            found |= inner & MODULES.keys() or {node.module}
    return {name for name in found if name.split(".")[0] == "voskar"}


def test_the_core_imports_only_itself_and_in_no_circle() -> None:
    needs = {name: imported(path) - {name} for name, path in MODULES.items()}
    assert {one for own in needs.values() for one in own} <= MODULES.keys()
    tuple(graphlib.TopologicalSorter(needs).static_order())  # raises CycleError, and says which


def test_no_module_of_the_core_is_longer_than_400_lines() -> None:
    sources = [path for path in ROOT.rglob("*") if path.suffix in {".py", ".pxd"}]
    assert {path.name for path in sources if len(path.read_text(encoding="utf-8").splitlines()) > 400} == set()
