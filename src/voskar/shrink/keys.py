"""The keys of a table and of all that it holds, to be taken out one by one."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from voskar.files.keypaths import KeyPath


def key_paths(value: Any, depth: int, above: KeyPath = ()) -> Iterator[KeyPath]:
    """Keys of tables, and entries of lists of tables or names, so many levels down; the last entries first."""
    keys: list[str | int] = []
    if isinstance(value, dict):
        keys = list(value)
    elif isinstance(value, list) and all(isinstance(item, dict | str) for item in value):
        # from the end, so that the other indexes stay valid
        keys = list(range(len(value) - 1, -1, -1))
    for key in keys:
        if depth == 1:
            yield (*above, key)
        else:
            yield from key_paths(value[key], depth - 1, (*above, key))


def taken_out(table: Any, path: KeyPath) -> bool:
    """Takes a key away; False where it has gone with another."""
    value: Any = table
    for key in path[:-1]:
        try:
            value = value[key]
        except (KeyError, IndexError):
            return False
    if isinstance(value, dict):
        return value.pop(path[-1], None) is not None
    if isinstance(path[-1], int) and path[-1] < len(value):
        del value[path[-1]]
        return True
    return False
