"""A game's statements besides its poses: claims, and which of them it makes at all."""

from __future__ import annotations

from msgspec import Struct


class Claim(Struct, frozen=True, gc=False):
    """An event that the game logged. `line` is its place in the recording (a row, in tables).

    A hit names its attacker, its target or both.
    """

    frame: int
    event: str
    line: int
    attacker: str | None = None
    target: str | None = None
    id: str | None = None
    attack: str | None = None
    case: str | None = None
    damage: float | None = None
    health: float | None = None
    lives: float | None = None
    owner: str | None = None
    x: float | None = None
    y: float | None = None


class LogScope(Struct, frozen=True):
    """The scope of a recording: `always` are events that it claims whenever they happen; the others are events, kinds
    (on either side), attacks, cases of hits and reactions that it does not log."""

    always: frozenset[str] = frozenset()
    events: frozenset[str] = frozenset()
    kinds: frozenset[str] = frozenset()
    attacks: frozenset[str] = frozenset()
    cases: frozenset[str] = frozenset()
    reactions: frozenset[str] = frozenset()
