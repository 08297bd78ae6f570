"""A gate: it stops a contact or lets it pass, and gives the reason with its numbers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, NamedTuple, TypeVar

from msgspec import Struct

from voskar.core.ledger.pieces import What
from voskar.core.rules import Attack, Rules

S = TypeVar("S")


class GateAnswer(NamedTuple):
    """The answer of a gate, in one sentence with its numbers."""

    stops: bool
    words: str


class Gate(Struct, Generic[S], frozen=True):
    """One gate. `stops` is asked for every contact and only says whether it stops; `check` gives the reason, and a test
    holds the two together on random contacts. `possible` says whether rules (and an attack) can make it stop
    anything."""

    name: str
    mark: str
    """The sign of its outcome in figures."""
    style: str
    """The style of its outcome on a terminal."""
    stops: Callable[[S], bool]
    check: Callable[[S], GateAnswer]
    possible: Callable[[Rules, Attack], bool] = lambda rules, attack: True
    reads: tuple[tuple[What, str], ...] = ()
    """The state that it reads, and its owner: "attacker", "target" or "pair" of a contact, "owner" or "emitter"."""
