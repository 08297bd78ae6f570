"""Remove: consumed at once by the (pierce + 1)th outcome that counts, and removed at the end of the frame."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Side, own, table_of
from voskar.core.judging.contact import Contact


def count(contact: Contact, side: Side, outcome: str) -> None:
    """One more outcome; each attack counts for itself."""
    table, state, world = table_of(contact.attack, side), own(contact, side), contact.world
    if outcome not in table.consumed_by:
        return
    counted = contact.memory.count(state.row, contact.attack.name, side)
    if counted > table.pierce and state.consumed != world.frame:
        world.consume(state)


CONSEQUENCE = Consequence(
    "remove", "removed", lambda table: table.remove, lambda contact, side: count(contact, side, "landed"), "presence"
)
