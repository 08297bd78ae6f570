"""Gives: adds to counters, by name."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Side, own, table_of
from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import GivesEvent


def apply(contact: Contact, side: Side) -> None:
    """Counts."""
    state, world, given = own(contact, side), contact.world, table_of(contact.attack, side).gives
    for name in sorted(given):
        state.counters[name] = total = state.counters.get(name, 0.0) + given[name]
        world.events.append(GivesEvent(frame=world.frame, id=state.id, detail=name, points=given[name], total=total))


CONSEQUENCE = Consequence("gives", "gives", lambda table: bool(table.gives), apply, "counters")
