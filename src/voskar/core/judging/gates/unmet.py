"""A condition of the attack does not hold, or the contact has a case that does not land: see `conditions`."""

from __future__ import annotations

from voskar.core.gate import Gate, GateAnswer
from voskar.core.judging.cases import cases_of, decide
from voskar.core.judging.conditions import asked_of, holds, words
from voskar.core.judging.contact import Contact
from voskar.core.rules import Attack, Rules


def stops(contact: Contact) -> bool:
    """Whether any condition does not hold; else which case it comes to is decided here."""
    if not holds(contact, contact.hitbox.attack.if_):
        return True
    # most attacks have no case: the decision costs more than all gates before it
    if not (contact.hitbox.attack.cases or contact.target.kind.cases):
        return False
    choice = decide(contact)
    # later gates and the hit itself need the same choice, even if the state changes until then
    contact.choose(choice)
    return not choice.lands


def check(contact: Contact) -> GateAnswer:
    """The demands of the attack and its cases, and the contact's values."""
    texts = list(words(contact, contact.attack.if_))
    if not holds(contact, contact.attack.if_):
        return GateAnswer(True, "; ".join(texts))
    # an explanation may ask a contact that no gate has been asked of
    choice = contact.choice or decide(contact)
    cases = cases_of(contact.attack, contact.target.kind)
    if choice.name:
        texts.append(f"case {choice.name}" + ("" if choice.lands else ", which does not land"))
    for case in cases if not choice.name else ():
        asked = "; ".join(words(contact, case.if_)) or "nothing"
        why = "only the game's claim can say so" if case.by_claim and holds(contact, case.if_) else asked
        texts.append(f"not {case.name}: {why}")
    return GateAnswer(not choice.lands, "; ".join(texts) or "the attack asks for nothing")


def possible(rules: Rules, attack: Attack) -> bool:
    """An attack that asks for anything, or that can have a case."""
    return bool(asked_of(attack.if_) or attack.cases or any(kind.cases for kind in rules.kinds.values()))


GATE = Gate(
    "unmet",
    "v",
    "magenta",
    stops,
    check,
    possible,
    reads=(
        ("counters", "attacker"),
        ("counters", "target"),
        ("health", "attacker"),
        ("health", "target"),
        ("stun", "attacker"),
        ("stun", "target"),
        ("iframes", "attacker"),
        ("iframes", "target"),
        ("motion", "attacker"),
        ("motion", "target"),
    ),
)
