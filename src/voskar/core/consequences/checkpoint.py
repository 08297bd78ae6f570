"""Checkpoint: the other one's position becomes its place to respawn."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Side, other, own
from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import CheckpointEvent


def apply(contact: Contact, side: Side) -> None:
    """Notes it."""
    state, world = own(contact, side), contact.world
    state.checkpoint = x, y = world.position(other(contact, side).row)
    world.events.append(CheckpointEvent(frame=world.frame, id=state.id, x=x, y=y))


CONSEQUENCE = Consequence("checkpoint", "checkpoint", lambda table: table.checkpoint, apply, "place")
