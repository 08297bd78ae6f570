"""Home: back to its start in the next frame; that ends all its knockback, also of hits later in this one."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Side, own
from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import HomeEvent


def apply(contact: Contact, side: Side) -> None:
    """Sends it."""
    state, world = own(contact, side), contact.world
    x, y = world.send_home(state)
    world.events.append(HomeEvent(frame=world.frame, id=state.id, x=x, y=y))


CONSEQUENCE = Consequence("home", "home", lambda table: table.home, apply, "motion", lambda table, kind: 2)
