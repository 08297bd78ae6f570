"""Remove: consumed at once by the (pierce + 1)th outcome that counts, and removed at the end of the frame."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect, Side
from voskar.core.judging.contact import Contact
from voskar.core.rules import Consequences
from voskar.core.world import ActorState


def count(contact: Contact, side: Side, own: ActorState, table: Consequences, outcome: str) -> None:
    """Counts an outcome. Each attack has a count of its own."""
    if outcome not in table.consumed_by:
        return
    counted = contact.memory.count(own.row, contact.attack.name, side)
    # two outcomes of one frame consume only once
    if counted > table.pierce and own.consumed != contact.world.frame:
        contact.world.consume(own)


def apply(effect: Effect) -> None:
    """A hit counts; what happens without one consumes at once."""
    # `consumed` holds a frame, so two tables of one frame remove only once.
    if effect.contact is None:
        if effect.own.consumed != effect.world.frame:
            effect.world.consume(effect.own)
    else:
        count(effect.contact, effect.side, effect.own, effect.table, "landed")


CONSEQUENCE = Consequence("remove", "removed", lambda table: table.remove, apply, "presence")
