"""What a landing does, a file each, in the order in which it comes about on either side of a contact.

To add one: a file here with an `Effect`, its place in EFFECTS, its key in the rulebook's schema, its page in the docs.
Coverage reads this table.
"""

from __future__ import annotations

from voskar.core.effects import (
    checkpoint,
    gives,
    goal,
    health,
    home,
    iframes,
    knockback,
    rebound,
    remove,
    spark,
    stun,
)
from voskar.core.effects.effect import Effect, Side
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules

EFFECTS: tuple[Effect, ...] = (
    iframes.EFFECT,
    stun.EFFECT,
    knockback.EFFECT,
    rebound.EFFECT,
    remove.EFFECT,
    home.EFFECT,
    checkpoint.EFFECT,
    gives.EFFECT,
    goal.EFFECT,
    spark.EFFECT,
)


SIDES: tuple[Side, ...] = ("target", "striker")
"""In the order in which effects come about."""

Bound = tuple[tuple[Side, Effect], ...]


def effects_of(attack: Attack, rules: Rules) -> Bound:
    """What a landing of an attack can do, and to which side."""
    return tuple((side, effect) for side in SIDES for effect in EFFECTS if effect.does(attack, side, rules))


def land(contact: Contact, effects: Bound) -> None:
    """Everything that a landing does: health, then the effects of its attack."""
    health.take(contact)
    for side, effect in effects:
        effect.apply(contact, side)


def use_up(contact: Contact, outcome: str) -> None:
    """What other outcomes do: they may count towards a removal."""
    attack = contact.hitbox.attack
    if attack.target.remove:
        remove.count(contact, "target", outcome)
    if attack.striker.remove:
        remove.count(contact, "striker", outcome)


__all__ = ["EFFECTS", "SIDES", "Bound", "Effect", "Side", "effects_of", "land", "use_up"]
