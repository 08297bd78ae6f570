"""Damage and healing: health of the target, before either table."""

from __future__ import annotations

from voskar.core.judging.contact import Contact
from voskar.core.ledger.events import HealthEvent
from voskar.core.lifecycle.down import go_down


def take(contact: Contact) -> None:
    """Health stops at 0 and at the full; one that runs out is settled at the end of the frame, or at once."""
    target, damage = contact.target, contact.damage
    before = target.health
    if before is None or not damage:
        return
    world, full = contact.world, target.kind.health or 0.0
    after = max(before - damage, 0.0) if damage > 0 else min(before - damage, max(full, before))
    if after == before:
        if after == 0 and damage > 0:
            world.settling.add(target.row)  # it may still stand, as the game had it
        return
    target.health = after
    if after < before:
        target.credit = contact.attacker.id
    world.events.append(HealthEvent(world.frame, target.id, before, after, contact.attacker.id))
    if after == 0:
        world.settling.add(target.row)
        if world.rules.contact.health_check == "at_once":
            go_down(world, target)
