"""A single value of a rulebook, and a rulebook with values that change one by one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal, NamedTuple, Protocol

from voskar.core.ledger.event import number as written_number
from voskar.core.rules import Rules
from voskar.files.keypaths import KeyPath, dotted

Sort = Literal[
    "frames", "rehit", "switch", "number", "whole", "numbers", "options", "several", "names", "cells", "name"
]


class Leaf(NamedTuple):
    """One value: the keys that lead to it in the file, its sort, and what else it may be.

    Durations are frames. `options` are words for `options`, `several` and `rehit`, and words that a number may be
    instead; for `names` and `name` the names that the rulebook has. `least` is the least that a number may be.
    """

    path: KeyPath
    sort: Sort
    value: Any
    options: tuple[str, ...] = ()
    least: float | None = None

    @property
    def key(self) -> str:
        """The path in one line: `kinds.keeper.boxes.torso.rect`."""
        return dotted(self.path)


def words(leaf: Leaf, value: Any) -> str:
    """A value as the file has it, and as a reader expects it: `44f`, `[3, 0]`, `not set`."""
    if value is None:
        return "not set"
    if leaf.sort in ("frames", "rehit") and isinstance(value, int):
        return f"{value}f"
    if isinstance(value, str):
        return f'"{value}"'
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, float):
        return written_number(value)
    if isinstance(value, list | tuple):
        return f"[{', '.join(words(leaf._replace(sort='number'), name) for name in value)}]"
    return str(value)


class Variants(Protocol):
    """A rulebook at a rate."""

    @property
    def leaves(self) -> Sequence[Leaf]:
        """All its values, in the order of the schema."""
        ...

    def place(self, path: KeyPath) -> tuple[str, int | None]:
        """File and line of a key, else of the nearest table above it."""
        ...

    def rules(self, changes: Mapping[KeyPath, Any]) -> Rules | None:
        """The rules with some values changed, None where they are no rules."""
        ...
