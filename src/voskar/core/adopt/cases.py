"""The case, the damage and the health that a game claims of a hit."""

from __future__ import annotations

from voskar.core.consequences.health import left_after
from voskar.core.counting import absorbing
from voskar.core.judging.cases import claimed_choice, decide
from voskar.core.judging.contact import Contact
from voskar.core.recording import Claim

SAME = 1e-6
"""Points by which claimed damage or health may differ and be the same."""


def comes_to(contact: Contact, claim: Claim) -> bool | None:
    """Whether a contact would now come to the case and the damage of a claim, and leave the health that it claims; None
    if the claim has none of these."""
    if claim.case is None and claim.damage is None and claim.health is None:
        return None
    contact.claimed_case, contact.claimed_damage = claim.case, claim.damage
    contact.choose(decide(contact))
    if claim.case is not None and claim.case != (contact.case or ""):
        return False
    if claim.damage is not None and abs(contact.damage - claim.damage) > SAME:
        return False
    state, world = contact.target, contact.world
    # what a counter absorbs is known only when the hit takes effect
    if claim.health is None or state.health is None or (world.any_absorbs and absorbing(world, state)):
        return True
    left = left_after(state.health, contact.damage, state.kind.health or 0.0)
    return abs(left - claim.health) <= SAME


def take_case(contact: Contact, claim: Claim) -> None:
    """The hit has the consequences of the case that the game claims."""
    if claim.case is not None and claim.case != (contact.case or ""):
        choice = claimed_choice(contact, claim.case)
        if choice is not None and choice.lands:
            contact.choose(choice)
