"""The conditions of attacks: each a key of `if`, whether it fails for a contact, and the words that say so."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping

from msgspec import Struct

from voskar.core.judging.contact import Contact
from voskar.core.rules import ActorCondition, ContactCondition
from voskar.core.rules.shapes import TOLERANCE


class Condition(Struct, frozen=True):
    """One key of `if`: whether an attack names it, and whether it fails. `words` gives both sides with numbers."""

    key: str
    asks: Callable[[ContactCondition], bool]
    fails: Callable[[Contact], bool]
    words: Callable[[Contact], str]


def counter_words(condition: ActorCondition, counters: Mapping[str, float]) -> str:
    """The counters that a condition names, with their values."""
    return ", ".join(
        f"needs {name} {' and '.join(map(str, comparisons))}, has {counters.get(name, 0.0):g}"
        for name, comparisons in condition.counters.items()
    )


def _counters_fail(contact: Contact) -> bool:
    return not contact.hitbox.attack.if_.attacker.holds(contact.counters())


def _counter_words(contact: Contact) -> str:
    holder = contact.attacker.owner or contact.attacker.id
    return f"{holder}: {counter_words(contact.attack.if_.attacker, contact.counters())}"


def _fall_words(contact: Contact) -> str:
    fall = contact.fall()
    way = f"falls at {fall:.1f}" if fall > 0 else f"rises at {-fall:.1f}" if fall < 0 else "stands still at 0"
    return f"only falling: the attacker {way} units a second"


def _is_elsewhere(contact: Contact) -> bool:
    return contact.bearing().place not in contact.hitbox.attack.if_.from_


def _is_there(contact: Contact) -> bool:
    return contact.bearing().place in contact.hitbox.attack.if_.not_from


def _place_words(contact: Contact, wanted: str, places: Collection[str]) -> str:
    condition, bearing = contact.attack.if_, contact.bearing()
    what, other = ("its lowest point", "highest") if condition.from_by == "edge" else ("its centre", "centre")
    gap = f"{abs(bearing.gap):.3f} units {'above' if bearing.gap >= 0 else 'below'} the target's {other}"
    where = f"it comes from {bearing.place}: in frame {bearing.frame} {what} is {gap}"
    return f"{wanted} {' or '.join(sorted(places))}: {where}, slack {condition.slack:g}"


def _slope_fails(contact: Contact) -> bool:
    limit = contact.hitbox.attack.if_.onto
    return limit is not None and contact.slope() > limit + TOLERANCE


def _slope_words(contact: Contact) -> str:
    limit = contact.attack.if_.onto or 0.0
    return f"only onto surfaces within {limit:g} degrees of up: this one is {contact.slope():.3f} off"


CONDITIONS: tuple[Condition, ...] = (
    Condition("attacker.counters", lambda asked: bool(asked.attacker.counters), _counters_fail, _counter_words),
    Condition("falling", lambda asked: asked.falling, lambda contact: contact.fall() <= 0, _fall_words),
    Condition(
        "from",
        lambda asked: bool(asked.from_),
        _is_elsewhere,
        lambda contact: _place_words(contact, "only from", contact.attack.if_.from_),
    ),
    Condition(
        "not_from",
        lambda asked: bool(asked.not_from),
        _is_there,
        lambda contact: _place_words(contact, "not from", contact.attack.if_.not_from),
    ),
    Condition("onto", lambda asked: asked.onto is not None, _slope_fails, _slope_words),
)
"""The cheapest first: all must hold."""
