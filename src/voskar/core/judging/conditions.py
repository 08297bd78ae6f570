"""The conditions of contacts: each a key of `if`, whether it fails for a contact, and the words that say so."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from operator import attrgetter
from typing import Literal

from msgspec import Struct

from voskar.core.asking import ACTOR_CHECKS, ActorCheck
from voskar.core.judging.contact import Contact
from voskar.core.rules import ContactCondition
from voskar.core.rules.shapes import TOLERANCE


class Condition(Struct, frozen=True):
    """One key of `if`: whether it is asked for, and whether it fails. `words` gives both sides with numbers."""

    key: str
    asks: Callable[[ContactCondition], bool]
    fails: Callable[[Contact, ContactCondition], bool]
    words: Callable[[Contact, ContactCondition], str]


def _of(side: Literal["attacker", "target"], check: ActorCheck) -> Condition:
    """A condition on the actor of one side."""
    get = attrgetter(side)
    return Condition(
        f"{side}.{check.key}",
        lambda asked: check.asks(get(asked)),
        lambda contact, asked: check.fails(contact.world, get(contact), get(asked)),
        lambda contact, asked: f"{get(contact).id}: {check.words(contact.world, get(contact), get(asked))}",
    )


def _box(key: str, name: Callable[[Contact], str], those: Callable[[ContactCondition], Collection[str]]) -> Condition:
    return Condition(
        key,
        lambda asked: bool(those(asked)),
        lambda contact, asked: name(contact) not in those(asked),
        lambda contact, asked: f"only the {key} {' or '.join(sorted(those(asked)))}: this is {name(contact)}",
    )


def _falls(contact: Contact, asked: ContactCondition) -> bool:
    return (contact.fall() > 0) != asked.falling


def _fall_words(contact: Contact, asked: ContactCondition) -> str:
    fall = contact.fall()
    way = f"falls at {fall:.1f}" if fall > 0 else f"rises at {-fall:.1f}" if fall < 0 else "stands still at 0"
    return f"only {'falling' if asked.falling else 'not falling'}: the attacker {way} units a second"


def is_ally(contact: Contact) -> bool:
    """Whether both are on one side."""
    side = contact.attacker.side
    return side is not None and side == contact.target.side


def _ally_words(contact: Contact, asked: ContactCondition) -> str:
    has = "are on one side" if is_ally(contact) else "are not on one side"
    return f"only {'allies' if asked.ally else 'no allies'}: the two {has}"


def _is_elsewhere(contact: Contact, asked: ContactCondition) -> bool:
    return contact.bearing(asked).place not in asked.from_


def _is_there(contact: Contact, asked: ContactCondition) -> bool:
    return contact.bearing(asked).place in asked.not_from


def _place_words(contact: Contact, asked: ContactCondition, wanted: str, places: Collection[str]) -> str:
    bearing = contact.bearing(asked)
    what, other = ("its lowest point", "highest") if asked.from_by == "edge" else ("its centre", "centre")
    gap = f"{abs(bearing.gap):.3f} units {'above' if bearing.gap >= 0 else 'below'} the target's {other}"
    where = f"it comes from {bearing.place}: in frame {bearing.frame} {what} is {gap}"
    return f"{wanted} {' or '.join(sorted(places))}: {where}, slack {asked.slack:g}"


def _slope_fails(contact: Contact, asked: ContactCondition) -> bool:
    # a slope just at the limit must not depend on the last digit of an angle
    return asked.onto is not None and contact.slope() > asked.onto + TOLERANCE


def _slope_words(contact: Contact, asked: ContactCondition) -> str:
    limit = asked.onto or 0.0
    return f"only onto surfaces within {limit:g} degrees of up: this one is {contact.slope():.3f} off"


CONDITIONS: tuple[Condition, ...] = (
    _box("hitbox", lambda contact: contact.hitbox.name, lambda asked: asked.hitbox),
    _box("hurtbox", lambda contact: contact.hurtbox.name, lambda asked: asked.hurtbox),
    Condition(
        "ally", lambda asked: asked.ally is not None, lambda contact, asked: is_ally(contact) != asked.ally, _ally_words
    ),
    *(_of("attacker", check) for check in ACTOR_CHECKS),
    *(_of("target", check) for check in ACTOR_CHECKS),
    Condition("falling", lambda asked: asked.falling is not None, _falls, _fall_words),
    Condition(
        "from",
        lambda asked: bool(asked.from_),
        _is_elsewhere,
        lambda contact, asked: _place_words(contact, asked, "only from", asked.from_),
    ),
    Condition(
        "not_from",
        lambda asked: bool(asked.not_from),
        _is_there,
        lambda contact, asked: _place_words(contact, asked, "not from", asked.not_from),
    ),
    Condition("onto", lambda asked: asked.onto is not None, _slope_fails, _slope_words),
)
"""The cheapest first: all must hold."""

_ASKED: dict[int, tuple[ContactCondition, tuple[Condition, ...]]] = {}


def asked_of(asked: ContactCondition) -> tuple[Condition, ...]:
    """The keys that a condition names: found once for each, which is asked of every contact."""
    known = _ASKED.get(id(asked))
    # an id may be used again by another object, so the object itself is compared
    if known is None or known[0] is not asked:
        if len(_ASKED) > 10_000:
            _ASKED.clear()
        known = _ASKED[id(asked)] = asked, tuple(condition for condition in CONDITIONS if condition.asks(asked))
    return known[1]


def holds(contact: Contact, asked: ContactCondition) -> bool:
    """Whether a condition holds for a contact at this moment."""
    for condition in asked_of(asked):  # noqa: SIM110 - asked of every contact, and a generator takes longer
        if condition.fails(contact, asked):
            return False
    return True


def words(contact: Contact, asked: ContactCondition) -> Iterable[str]:
    """The condition's demands, and the contact's values, in words."""
    return [condition.words(contact, asked) for condition in asked_of(asked)]
