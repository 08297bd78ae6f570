"""Stun: emitters are denied, and a kind may be disarmed. One that does not outlast the running one changes nothing."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Side, other, own, table_of
from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import StunEvent


def apply(contact: Contact, side: Side) -> None:
    """Stunned in n+1 … n+D."""
    state, world = own(contact, side), contact.world
    until = world.frame + table_of(contact.attack, side).stun
    if until > state.stunned_until:
        state.stunned_until = until
        if state.kind.stun_disarms:
            world.disarm(state, until)
        world.events.append(StunEvent(frame=world.frame, id=state.id, until=until, by=other(contact, side).id))


CONSEQUENCE = Consequence("stun", "stun", lambda table: table.stun > 0, apply, "stun", lambda table, kind: table.stun)
