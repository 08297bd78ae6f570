"""Taking away from a rulebook whatever a finding does not need."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterator
from typing import Any

Rules = dict[str, Any]
"""A rulebook as TOML has it, what it includes merged into it."""
KeyPath = tuple[str | int, ...]


def reduced_rules(rules: Rules, shows: Callable[[Rules], bool], tell: Callable[[Rules], None]) -> Rules:
    """The rules without the tables and keys that can be left out, the largest first, until none can. `tell` is given
    each smaller rulebook."""
    best = {key: value for key, value in rules.items() if key != "include"}
    while True:
        before = best
        for depth in range(1, 8):
            for path in list(_paths(best, depth)):
                candidate = copy.deepcopy(best)
                if path != ("voskar",) and _taken(candidate, path) and shows(candidate):
                    best = candidate
                    tell(best)
        if best == before:
            return best


def _paths(value: Any, depth: int, above: KeyPath = ()) -> Iterator[KeyPath]:
    """Keys of tables, and entries of lists of tables or names, so many levels down; the last entries first."""
    keys: list[str | int] = []
    if isinstance(value, dict):
        keys = list(value)
    elif isinstance(value, list) and all(isinstance(one, dict | str) for one in value):
        keys = list(range(len(value) - 1, -1, -1))
    for key in keys:
        if depth == 1:
            yield (*above, key)
        else:
            yield from _paths(value[key], depth - 1, (*above, key))


def _taken(rules: Rules, path: KeyPath) -> bool:
    """Takes a key away; False where it has gone with another."""
    value: Any = rules
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
