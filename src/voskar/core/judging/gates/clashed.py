"""The attack was cancelled in this swing by another one that it met."""

from __future__ import annotations

from voskar.core.gate import Gate, GateAnswer
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules


def stops(contact: Contact) -> bool:
    """Whether it was cancelled in the swing that it is made with."""
    cancelled = contact.memory.cancelled
    key = contact.key[:2]
    # a cancelled attack may land again in its next swing, so the swing is compared, not a flag
    return bool(cancelled) and key in cancelled and cancelled[key] == contact.swing


def check(contact: Contact) -> GateAnswer:
    """Since when."""
    stopped = stops(contact)
    text = f"its attack was cancelled in the swing that began in {contact.swing}" if stopped else "it was not cancelled"
    return GateAnswer(stopped, text)


def possible(rules: Rules, attack: Attack) -> bool:
    """Where attacks clash at all."""
    return bool(rules.contact.clash)


GATE = Gate("clashed", "x", "blue", stops, check, possible, reads=(("rehit", "pair"), ("motion", "attacker")))
