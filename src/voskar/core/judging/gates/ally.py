"""Both on one side, unless the attack is friendly. Actors without a side are no actor's ally."""

from __future__ import annotations

from voskar.core.gate import Gate, GateAnswer
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules


def stops(contact: Contact) -> bool:
    """Whether it is a hit within one side."""
    side = contact.attacker.side
    return side is not None and side == contact.target.side and not contact.hitbox.attack.friendly


def check(contact: Contact) -> GateAnswer:
    """The sides."""
    mine, theirs = contact.attacker.side, contact.target.side
    if mine is not None and mine == theirs:
        friendly = ", but the attack is friendly" if contact.attack.friendly else ""
        return GateAnswer(stops(contact), f'both are on the side "{mine}"{friendly}')
    return GateAnswer(False, f"sides differ: {_name(mine)} against {_name(theirs)}")


def _name(side: str | None) -> str:
    return f'"{side}"' if side is not None else "no side"


def possible(rules: Rules, attack: Attack) -> bool:
    """An attack that is not friendly, and anyone with a side."""
    return not attack.friendly and any(kind.side is not None for kind in rules.kinds.values())


GATE = Gate("ally", "P", "blue", stops, check, possible)
