"""A consequence: one key of a table, and its effect on one actor."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import msgspec
from msgspec import Struct

from voskar.core.judging.contact import Contact
from voskar.core.ledger.pieces import What
from voskar.core.recording.inputs import Vector
from voskar.core.rules import Attack, Consequences, Kind, Rules
from voskar.core.world import ActorState, World

Side = Literal["attacker", "target"]


def table_of(attack: Attack, side: Side) -> Consequences:
    """The consequences that an attack names for a side."""
    return attack.attacker if side == "attacker" else attack.target


class Effect(msgspec.Struct, gc=False, weakref=False, eq=False):
    """A table of consequences, and the actor that it changes.

    `other` is the other one; `cause` the attack that causes it. `contact` is the hit, None for what happens without
    one; `side` the side of it that the table is of.
    """

    world: World
    own: ActorState
    other: ActorState | None
    table: Consequences
    cause: str
    side: Side
    contact: Contact | None = None
    place: Vector | None = None
    """Where it happens, if that is known."""

    @property
    def by(self) -> str:
        """The id of the actor that did it."""
        return self.own.id if self.other is None else self.other.id

    @property
    def point(self) -> Vector:
        """Where it happens."""
        if self.contact is not None:
            return self.contact.point()
        return self.world.position(self.own.row) if self.place is None else self.place

    @property
    def leader(self) -> ActorState:
        """The actor that gives a push its heading: the attacker."""
        return (self.other or self.own) if self.contact is None else self.contact.attacker


class Consequence(Struct, frozen=True):
    """One consequence. `named` says whether a table has its key; `does` whether it can happen on a side, which is the
    same for all but i-frames; `event` is the name of the ledger event that reports it; `changes` the state that it
    changes, and `lasts` for how many frames after the hit, given the actor's kind: None until something else changes it
    again."""

    key: str
    event: str
    named: Callable[[Consequences], bool]
    apply: Callable[[Effect], None]
    changes: What
    lasts: Callable[[Consequences, Kind], int | None] = lambda table, kind: None
    also: Callable[[Attack, Side, Rules], bool] = lambda attack, side, rules: False

    def does(self, attack: Attack, side: Side, rules: Rules) -> bool:
        """Whether a hit of an attack can do it to a side."""
        return self.named(table_of(attack, side)) or self.also(attack, side, rules)
