"""Either was used up earlier in this frame."""

from __future__ import annotations

from voskar.core.gate import Gate, Verdict
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules


def stops(contact: Contact) -> bool:
    """Whether either is used up."""
    frame = contact.frame
    return contact.striker.spent == frame or contact.target.spent == frame


def check(contact: Contact) -> Verdict:
    """Who was used up."""
    used = [one.id for one in (contact.striker, contact.target) if one.spent == contact.frame]
    if used:
        return Verdict(True, f"{' and '.join(used)} was used up earlier in this frame")
    return Verdict(False, "neither was used up earlier in this frame")


def possible(rules: Rules, attack: Attack) -> bool:
    """Any attack that uses a side up."""
    return any(one.striker.remove or one.target.remove for one in rules.attacks.values())


GATE = Gate("spent", "x", "", stops, check, possible)
