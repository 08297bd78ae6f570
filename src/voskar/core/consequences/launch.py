"""Launch: sent off along up. Of a recorded actor it is only told."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Side, other, own, table_of
from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import LaunchEvent


def apply(contact: Contact, side: Side) -> None:
    """The horizontal velocity is kept, the vertical one replaced or added to, times the other kind's `bounce`."""
    launch, state, world = table_of(contact.attack, side).launch, own(contact, side), contact.world
    assert launch is not None
    vx, vy = world.velocity(state.row)
    speed = launch.up * other(contact, side).kind.bounce * world.up
    vy = vy + speed if launch.mode == "add" else speed
    world.events.append(LaunchEvent(frame=world.frame, id=state.id, vx=vx, vy=vy, by=other(contact, side).id))
    world.send(state, vx, vy)


CONSEQUENCE = Consequence("launch", "launch", lambda table: table.launch is not None, apply, "motion")
