"""The conditions of attacks: each a key of an attack, whether it fails in a contact, and how that is told."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from msgspec import Struct

from voskar.core.judging.contact import Bearing, Contact
from voskar.core.rules import Attack
from voskar.core.rules.shapes import TOLERANCE


class Condition(Struct, frozen=True):
    """One condition: whether an attack asks for it, and whether it fails. `words` gives both with their numbers."""

    key: str
    asks: Callable[[Attack], bool]
    fails: Callable[[Contact], bool]
    words: Callable[[Contact], str]


def short_of(counters: Mapping[str, float], requires: Mapping[str, float], lacks: Mapping[str, float]) -> bool:
    """Whether any counter is not at least, or not below, what is asked."""
    return any(counters.get(name, 0.0) < least for name, least in requires.items()) or any(
        counters.get(name, 0.0) >= most for name, most in lacks.items()
    )


def counter_words(counters: Mapping[str, float], requires: Mapping[str, float], lacks: Mapping[str, float]) -> str:
    """The counters that are asked for, as they are."""
    told = [f"requires {name} {least:g}, has {counters.get(name, 0.0):g}" for name, least in requires.items()]
    told += [f"lacks {name} {most:g}, has {counters.get(name, 0.0):g}" for name, most in lacks.items()]
    return ", ".join(told)


def _counters_fail(contact: Contact) -> bool:
    attack = contact.hitbox.attack
    return short_of(contact.counters(), attack.requires, attack.lacks)


def _counter_words(contact: Contact) -> str:
    attack, holder = contact.attack, contact.striker.owner or contact.striker.id
    return f"{holder}: {counter_words(contact.counters(), attack.requires, attack.lacks)}"


def _fall_words(contact: Contact) -> str:
    fall = contact.fall()
    way = f"falls at {fall:.1f}" if fall > 0 else f"rises at {-fall:.1f}" if fall < 0 else "stands still at 0"
    return f"only falling: the striker {way} units a second"


def _in_wrong_place(attack: Attack, bearing: Bearing) -> bool:
    return (bool(attack.only_from) and bearing.place not in attack.only_from) or bearing.place in attack.never_from


def _place_words(contact: Contact) -> str:
    attack, bearing = contact.attack, contact.bearing()
    wanted = [f"only from {' or '.join(sorted(attack.only_from))}"] if attack.only_from else []
    wanted += [f"never from {' or '.join(sorted(attack.never_from))}"] if attack.never_from else []
    what, other = ("its lowest point", "highest") if attack.from_by == "edge" else ("its centre", "centre")
    gap = f"{abs(bearing.gap):.3f} units {'above' if bearing.gap >= 0 else 'below'} the target's {other}"
    where = f"it comes from {bearing.place}: in frame {bearing.frame} {what} is {gap}"
    return f"{', '.join(wanted)}: {where}, slack {attack.slack:g}"


def _slope_fails(contact: Contact) -> bool:
    limit = contact.hitbox.attack.only_onto
    return limit is not None and contact.slope() > limit + TOLERANCE


def _slope_words(contact: Contact) -> str:
    return f"only onto what faces up within {contact.attack.only_onto:g} degrees: this is {contact.slope():.3f} off up"


CONDITIONS: tuple[Condition, ...] = (
    Condition("requires, lacks", lambda attack: bool(attack.requires or attack.lacks), _counters_fail, _counter_words),
    Condition("falling", lambda attack: attack.falling, lambda contact: contact.fall() <= 0, _fall_words),
    Condition(
        "only_from, never_from",
        lambda attack: attack.looks_where,
        lambda contact: _in_wrong_place(contact.hitbox.attack, contact.bearing()),
        _place_words,
    ),
    Condition("only_onto", lambda attack: attack.only_onto is not None, _slope_fails, _slope_words),
)
"""The cheapest first: all have to hold."""
