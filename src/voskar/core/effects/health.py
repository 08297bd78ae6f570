"""Damage and healing: health of the target, before either table."""

from __future__ import annotations

from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import Health
from voskar.core.lifecycle.down import go_down


def take(contact: Contact) -> None:
    """Health stops at 0 and at the full; one that runs out is settled at the end of the frame, or at once."""
    target, world = contact.target, contact.world
    full, before = target.kind.health, target.health
    if before is None or full is None:
        return
    after = min(max(before - contact.damage, 0.0), max(full, before))
    if after == before:
        return
    target.health = after
    if after < before:
        target.credit = contact.striker.id
    world.events.append(Health(frame=world.frame, id=target.id, before=before, after=after, by=contact.striker.id))
    if after == 0:
        world.settling.add(target.row)
        if world.rules.contact.health_check == "at_once":
            go_down(world, target)
