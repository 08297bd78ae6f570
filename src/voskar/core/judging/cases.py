"""Cases: the result of a contact by the first condition that holds, of its attack, then of its target's kind."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct
from msgspec.structs import replace

from voskar.core.judging.conditions import holds
from voskar.core.judging.contact import Choice, Contact
from voskar.core.rules import Attack, Case, Kind

SEPARATOR = "+"
"""Between the names of cases that hold together."""


class Picked(Struct, frozen=True):
    """Cases that hold together, by their places among those of an attack and a kind."""

    attack: str
    kind: str
    places: tuple[int, ...]


def cases_of(attack: Attack, kind: Kind) -> tuple[Case, ...]:
    """The cases that a contact of an attack with a target of a kind can have, in the order in which they are tried."""
    return (*attack.cases, *kind.cases)


def decide(contact: Contact) -> Choice:
    """The result of a contact at this moment. In a frame the first contact of a group decides for the others, except
    for cases of single boxes."""
    # a hit changes the state on which cases depend: the other boxes of this attack must not get another case
    memo: Choice | None = contact.memory.choices.get(_group(contact))
    if memo is not None:
        return memo
    cases = cases_of(contact.attack, contact.target.kind)
    if not cases:
        return contact.plain
    return choice_of(contact, _picked(contact, cases))


def remember(contact: Contact, choice: Choice) -> None:
    """The other contacts of this attack of this attacker on this target come to the same in this frame."""
    # a case of one box says nothing of the other boxes
    if not choice.names_boxes:
        contact.memory.choices[_group(contact)] = choice


def claimed_choice(contact: Contact, name: str) -> Choice | None:
    """The choice that the game claims for a contact, None if no such cases are known."""
    cases = cases_of(contact.attack, contact.target.kind)
    names = [case.name for case in cases]
    wanted = name.split(SEPARATOR) if name else []
    # a claim of a case that the rules do not have is a finding, and must not stop the judge
    if not set(wanted) <= set(names):
        return None
    return choice_of(contact, tuple(names.index(text) for text in wanted))


def _group(contact: Contact) -> tuple[int, str, int]:
    return contact.attacker.row, contact.attack.name, contact.target.row


def _picked(contact: Contact, cases: tuple[Case, ...]) -> tuple[int, ...]:
    """The places of the cases that hold."""
    found: list[int] = []
    for place in _order(contact, cases):
        if holds(contact, cases[place].if_):
            found.append(place)
            if not cases[place].goes_on:
                break
    return tuple(found)


def _order(contact: Contact, cases: tuple[Case, ...]) -> Iterator[int]:
    """The order of places: first cases that the game claims, then the others."""
    claimed = contact.claimed_case.split(SEPARATOR) if contact.claimed_case else ()
    for place, case in enumerate(cases):
        # claimed cases come first: only the game knows them, and the first that holds decides
        if case.by_claim and case.name in claimed:
            yield place
    for place, case in enumerate(cases):
        if not case.by_claim:
            yield place


def choice_of(contact: Contact, places: tuple[int, ...]) -> Choice:
    """Some cases taken together: their factors multiply, of tables and damage the last one counts."""
    attack, kind = contact.attack, contact.target.kind
    # attacks of two kinds may share their cases: then they share what is put together
    key = Picked(attack.name, kind.name if any(place >= len(attack.cases) for place in places) else "", places)
    known: Choice | None = contact.memory.effects.get(key)
    if known is not None:
        return known
    cases = [cases_of(attack, kind)[place] for place in places]
    lands = all(case.lands for case in cases)
    effect = attack
    # a case that does not land has no consequences to put together
    for case in cases if lands else ():
        fields = {name: getattr(case, name) for name in ("damage", "hitstop", "hitstop_on", "attacker", "target")}
        named = {name: value for name, value in fields.items() if value is not None}
        if case.damage is not None:
            named["least_damage"] = case.least_damage
        effect = replace(effect, scales=(*effect.scales, case.scale), **named)
    name = SEPARATOR.join(case.name for case in cases)
    made = Choice(name, effect, lands, any(case.if_.names_boxes for case in cases))
    contact.memory.effects[key] = made
    return made
