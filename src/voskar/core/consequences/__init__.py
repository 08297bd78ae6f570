"""What a hit does, a file each, in the order in which it comes about on either side of a contact.

To add one: a file here with a `Consequence`, its place in CONSEQUENCES, its key in the rulebook's schema, its page
in the docs. Coverage reads this table.
"""

from __future__ import annotations

from voskar.core.consequences import (
    checkpoint,
    gives,
    goal,
    health,
    home,
    iframes,
    knockback,
    launch,
    remove,
    spawn,
    stun,
)
from voskar.core.consequences.consequence import Consequence, Side
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules

CONSEQUENCES: tuple[Consequence, ...] = (
    iframes.CONSEQUENCE,
    stun.CONSEQUENCE,
    knockback.CONSEQUENCE,
    launch.CONSEQUENCE,
    remove.CONSEQUENCE,
    home.CONSEQUENCE,
    checkpoint.CONSEQUENCE,
    gives.CONSEQUENCE,
    goal.CONSEQUENCE,
    spawn.CONSEQUENCE,
)


SIDES: tuple[Side, ...] = ("target", "attacker")
"""In the order in which consequences come about."""

Bound = tuple[tuple[Side, Consequence], ...]


def consequences_of(attack: Attack, rules: Rules) -> Bound:
    """What a hit of an attack can do, and to which side."""
    return tuple(
        (side, consequence) for side in SIDES for consequence in CONSEQUENCES if consequence.does(attack, side, rules)
    )


def land(contact: Contact, consequences: Bound) -> None:
    """Everything that a hit does: health, then the consequences of its attack."""
    health.take(contact)
    for side, consequence in consequences:
        consequence.apply(contact, side)


def consume(contact: Contact, outcome: str) -> None:
    """What other outcomes do: they may count towards a removal."""
    attack = contact.hitbox.attack
    if attack.target.remove:
        remove.count(contact, "target", outcome)
    if attack.attacker.remove:
        remove.count(contact, "attacker", outcome)


__all__ = ["CONSEQUENCES", "SIDES", "Bound", "Consequence", "Side", "consequences_of", "consume", "land"]
