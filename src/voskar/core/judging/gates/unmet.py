"""A condition of the attack does not hold: see `conditions`."""

from __future__ import annotations

from voskar.core.gate import Gate, GateAnswer
from voskar.core.judging.conditions import CONDITIONS
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules


def stops(contact: Contact) -> bool:
    """Whether any condition does not hold."""
    attack = contact.hitbox.attack
    return any(condition.asks(attack.if_) and condition.fails(contact) for condition in CONDITIONS)


def check(contact: Contact) -> GateAnswer:
    """What the attack asks for, and what the contact is like."""
    words = [condition.words(contact) for condition in CONDITIONS if condition.asks(contact.attack.if_)]
    return GateAnswer(stops(contact), "; ".join(words) or "the attack asks for nothing")


def possible(rules: Rules, attack: Attack) -> bool:
    """An attack that asks for anything."""
    return any(condition.asks(attack.if_) for condition in CONDITIONS)


GATE = Gate(
    "unmet",
    "v",
    "magenta",
    stops,
    check,
    possible,
    reads=(("counters", "attacker"), ("motion", "attacker"), ("motion", "target")),
)
