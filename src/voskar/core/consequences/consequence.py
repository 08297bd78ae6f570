"""What a consequence is: one key of an attack's tables, and what it does to one side of a contact."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from msgspec import Struct

from voskar.core.judging.contact import Contact
from voskar.core.ledger.pieces import What
from voskar.core.rules import Attack, Consequences, Kind, Rules
from voskar.core.world import ActorState

Side = Literal["attacker", "target"]


def table_of(attack: Attack, side: Side) -> Consequences:
    """The consequences that an attack names for a side."""
    return attack.attacker if side == "attacker" else attack.target


def own(contact: Contact, side: Side) -> ActorState:
    """Whom it is done to."""
    return contact.attacker if side == "attacker" else contact.target


def other(contact: Contact, side: Side) -> ActorState:
    """The other one."""
    return contact.target if side == "attacker" else contact.attacker


class Consequence(Struct, frozen=True):
    """One consequence. `named` says whether a table has its key; `does` whether it can come about on a side, which is
    the same for all but i-frames; `event` is the name of the ledger event that reports it; `changes` the state that it
    changes, and `lasts` for how many frames after the hit, given the actor's kind: None until something else changes it
    again."""

    key: str
    event: str
    named: Callable[[Consequences], bool]
    apply: Callable[[Contact, Side], None]
    changes: What
    lasts: Callable[[Consequences, Kind], int | None] = lambda table, kind: None
    also: Callable[[Attack, Side, Rules], bool] = lambda attack, side, rules: False

    def does(self, attack: Attack, side: Side, rules: Rules) -> bool:
        """Whether a hit of an attack can do it to a side."""
        return self.named(table_of(attack, side)) or self.also(attack, side, rules)
