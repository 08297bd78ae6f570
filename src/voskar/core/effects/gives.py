"""Gives: adds to counters, by name."""

from __future__ import annotations

from voskar.core.effects.effect import Effect, Side, own, table_of
from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import Gives


def apply(contact: Contact, side: Side) -> None:
    """Counts."""
    state, world, given = own(contact, side), contact.world, table_of(contact.attack, side).gives
    for name in sorted(given):
        state.counters[name] = total = state.counters.get(name, 0.0) + given[name]
        world.events.append(Gives(frame=world.frame, id=state.id, detail=name, points=given[name], total=total))


EFFECT = Effect("gives", "gives", lambda table: bool(table.gives), apply)
