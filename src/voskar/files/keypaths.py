"""Keys of a file as paths."""

from __future__ import annotations

from typing import TypeAlias

KeyPath: TypeAlias = tuple[str | int, ...]


def dotted(path: KeyPath) -> str:
    """`kinds.keeper.layer[0]`"""
    return "".join(f"[{name}]" if isinstance(name, int) else f".{name}" for name in path).removeprefix(".")
