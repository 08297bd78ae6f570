"""Rebound: sent off along up. Of a recorded actor it is only told."""

from __future__ import annotations

from voskar.core.effects.effect import Effect, Side, other, own, table_of
from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import Rebound


def apply(contact: Contact, side: Side) -> None:
    """The horizontal velocity is kept, the vertical one replaced or added to, times the other kind's `bounce`."""
    rebound, state, world = table_of(contact.attack, side).rebound, own(contact, side), contact.world
    assert rebound is not None
    vx, vy = world.velocity(state.row)
    speed = rebound.speed * other(contact, side).kind.bounce * world.up
    vy = vy + speed if rebound.add else speed
    world.events.append(Rebound(frame=world.frame, id=state.id, vx=vx, vy=vy, by=other(contact, side).id))
    world.send(state, vx, vy)


EFFECT = Effect("rebound", "rebound", lambda table: table.rebound is not None, apply)
