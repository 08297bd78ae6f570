"""Takes away the parts of a rulebook that a finding does not need."""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any

from voskar.shrink.keys import key_paths, taken_out

Rules = dict[str, Any]
"""A rulebook as TOML has it, what it includes merged into it."""


def reduced_rules(rules: Rules, shows: Callable[[Rules], bool], tell: Callable[[Rules], None]) -> Rules:
    """The rules without the tables and keys that can be left out, the largest first, until none can. `tell` is given
    each smaller rulebook."""
    best = {key: value for key, value in rules.items() if key != "include"}
    while True:
        before = best
        for depth in range(1, 8):
            for path in list(key_paths(best, depth)):
                candidate = copy.deepcopy(best)
                if path != ("voskar",) and taken_out(candidate, path) and shows(candidate):
                    best = candidate
                    tell(best)
        if best == before:
            return best
