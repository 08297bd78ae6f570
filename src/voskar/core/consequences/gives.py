"""Gives: adds to counters of the actor, or of its owner, by name."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.counting import change
from voskar.core.rules.attacks import Given


def amount(effect: Effect, gift: Given) -> float:
    """The amount to add: a number, or the damage of the hit."""
    if isinstance(gift, int | float):
        return gift
    contact = effect.contact
    if contact is None:
        return 0.0
    # The unscaled damage is that before the target's factors.
    damage = contact.unscaled if gift.endswith("unscaled") else contact.damage
    return -damage if gift.startswith("-") else damage


def apply(effect: Effect) -> None:
    """Counts."""
    table = effect.table.gives
    # Sorted, so that the order in the table does not matter.
    for name in sorted(table):
        change(effect.world, effect.own, name, amount(effect, table[name]), effect.by)


CONSEQUENCE = Consequence("gives", "counter", lambda table: bool(table.gives), apply, "counters")
