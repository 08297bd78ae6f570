"""The target struck first in this frame, with an attack that preempts."""

from __future__ import annotations

from voskar.core.gate import Gate, GateAnswer
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules


def stops(contact: Contact) -> bool:
    """Whether the attacker was preempted by this target."""
    # rows and not ids: an id may be two actors in one frame, when a pool uses it again
    return (contact.attacker.row, contact.target.row) in contact.memory.preempted


def check(contact: Contact) -> GateAnswer:
    """Whether it was."""
    if stops(contact):
        return GateAnswer(True, "the target struck first, with an attack that preempts")
    return GateAnswer(False, "nothing preempted it")


def possible(rules: Rules, attack: Attack) -> bool:
    """Any attack that preempts."""
    return any(attack.preempts for attack in rules.attacks.values())


GATE = Gate("preempted", "<", "magenta", stops, check, possible, reads=(("rehit", "pair"),))
