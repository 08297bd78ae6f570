"""Pieces of state that a contact, an emission or an event reads, and those that it changes.

Whether a disagreement follows from an earlier one is a question of these: the earlier one left game and rules with
different accounts of a piece for some frames, and the later one read it in one of them.
"""

from __future__ import annotations

from typing import Literal

What = Literal[
    "health", "lives", "iframes", "stun", "rehit", "motion", "presence", "counters", "emitter", "numbers", "children",
    "place", "score", "run",
]  # fmt: skip
"""Kinds of state. `numbers` is how many an emitter has fired, which its shots are named by; `children` what a death or
a hit spawns in the next frame; `place` where an actor returns."""

Piece = tuple[What, str]
"""A kind of state, and its owner: an id, `attacker>target` of `rehit`, `owner/emitter` of `emitter` and
`numbers`."""

ALL = ""
"""The owner of `score` and `run`: all actors."""


def pair(attacker: str, target: str) -> str:
    """The id of the attacker that the memory of hits belongs to."""
    return f"{attacker}>{target}"
