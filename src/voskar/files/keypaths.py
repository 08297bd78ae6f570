"""Keys of a file as paths."""

from __future__ import annotations

from typing import TypeAlias

KeyPath: TypeAlias = tuple[str | int, ...]


def dotted(path: KeyPath) -> str:
    """`kinds.keeper.layer[0]`"""
    return "".join(f"[{one}]" if isinstance(one, int) else f".{one}" for one in path).removeprefix(".")
