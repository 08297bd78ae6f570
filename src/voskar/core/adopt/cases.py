"""The case and the damage that a game claims of a hit."""

from __future__ import annotations

from voskar.core.judging.cases import claimed_choice, decide
from voskar.core.judging.contact import Contact
from voskar.core.recording import Claim

SAME = 1e-6
"""Points by which a claimed damage may differ and be the same."""


def comes_to(contact: Contact, claim: Claim) -> bool | None:
    """Whether a contact would now come to the case and the damage of a claim; None if the claim has neither."""
    if claim.case is None and claim.damage is None:
        return None
    contact.claimed_case, contact.claimed_damage = claim.case, claim.damage
    contact.choose(decide(contact))
    if claim.case is not None and claim.case != (contact.case or ""):
        return False
    return claim.damage is None or abs(contact.damage - claim.damage) <= SAME


def take_case(contact: Contact, claim: Claim) -> None:
    """The hit has the consequences of the case that the game claims."""
    if claim.case is not None and claim.case != (contact.case or ""):
        choice = claimed_choice(contact, claim.case)
        if choice is not None and choice.lands:
            contact.choose(choice)
