"""Either was consumed earlier in this frame."""

from __future__ import annotations

from voskar.core.gate import Gate, GateAnswer
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules


def stops(contact: Contact) -> bool:
    """Whether either is consumed."""
    # compared with the frame, since an actor consumed earlier has no touches left to judge
    frame = contact.frame
    return contact.attacker.consumed == frame or contact.target.consumed == frame


def check(contact: Contact) -> GateAnswer:
    """Names the actors that were consumed."""
    used = [state.id for state in (contact.attacker, contact.target) if state.consumed == contact.frame]
    if used:
        return GateAnswer(True, f"{' and '.join(used)} was consumed earlier in this frame")
    return GateAnswer(False, "neither was consumed earlier in this frame")


def possible(rules: Rules, attack: Attack) -> bool:
    """Any attack that uses a side up."""
    return any(table.remove for table in rules.tables)


GATE = Gate("consumed", "x", "", stops, check, possible, reads=(("presence", "attacker"), ("presence", "target")))
