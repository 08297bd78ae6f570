"""Either went down earlier in this frame; only with `health_check = "at_once"`. In later frames they touch nothing."""

from __future__ import annotations

from voskar.core.gate import Gate, GateAnswer
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules


def stops(contact: Contact) -> bool:
    """Whether either is down."""
    # an actor down since an earlier frame has no touches at all
    frame = contact.frame
    return contact.attacker.down == frame or contact.target.down == frame


def check(contact: Contact) -> GateAnswer:
    """Names the actors that went down."""
    fallen = [state.id for state in (contact.attacker, contact.target) if state.down == contact.frame]
    if fallen:
        return GateAnswer(True, f"{' and '.join(fallen)} went down earlier in this frame")
    return GateAnswer(False, "neither went down earlier in this frame")


def possible(rules: Rules, attack: Attack) -> bool:
    """Health that is looked at after every hit."""
    return rules.contact.health_check == "at_once"


GATE = Gate("down", "_", "", stops, check, possible, reads=(("presence", "attacker"), ("presence", "target")))
