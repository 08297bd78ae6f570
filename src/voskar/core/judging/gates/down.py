"""Either went down earlier in this frame; only with `health_check = "at_once"`. In later frames they touch nothing."""

from __future__ import annotations

from voskar.core.gate import Gate, Verdict
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules


def stops(contact: Contact) -> bool:
    """Whether either is down."""
    frame = contact.frame
    return contact.striker.down == frame or contact.target.down == frame


def check(contact: Contact) -> Verdict:
    """Who went down."""
    fallen = [one.id for one in (contact.striker, contact.target) if one.down == contact.frame]
    if fallen:
        return Verdict(True, f"{' and '.join(fallen)} went down earlier in this frame")
    return Verdict(False, "neither went down earlier in this frame")


def possible(rules: Rules, attack: Attack) -> bool:
    """Health that is looked at after every blow."""
    return rules.contact.health_check == "at_once"


GATE = Gate("down", "_", "", stops, check, possible)
