"""A condition of the attack does not hold: `only_from`, `never_from`, `falling`."""

from __future__ import annotations

from voskar.core.gate import Gate, Verdict
from voskar.core.judging.contact import Bearing, Contact
from voskar.core.rules import Attack, Rules


def _in_wrong_place(attack: Attack, bearing: Bearing) -> bool:
    return (bool(attack.only_from) and bearing.place not in attack.only_from) or bearing.place in attack.never_from


def stops(contact: Contact) -> bool:
    """Whether any condition does not hold."""
    attack = contact.hitbox.attack
    if attack.falling and contact.fall() <= 0:
        return True
    return attack.looks_where and _in_wrong_place(attack, contact.bearing())


def check(contact: Contact) -> Verdict:
    """Where the striker is and how it moves, against what the attack asks for."""
    attack = contact.attack
    told, fails = [], False
    if attack.looks_where:
        bearing = contact.bearing()
        fails = _in_wrong_place(attack, bearing)
        wanted = [f"only from {' or '.join(sorted(attack.only_from))}"] if attack.only_from else []
        wanted += [f"never from {' or '.join(sorted(attack.never_from))}"] if attack.never_from else []
        what, other = ("its lowest point", "highest") if attack.from_by == "edge" else ("its centre", "centre")
        gap = f"{abs(bearing.gap):.3f} units {'above' if bearing.gap >= 0 else 'below'} the target's {other}"
        where = f"it comes from {bearing.place}: in frame {bearing.frame} {what} is {gap}"
        told.append(f"{', '.join(wanted)}: {where}, slack {attack.slack:g}")
    if attack.falling:
        fall = contact.fall()
        fails = fails or fall <= 0
        way = f"falls at {fall:.1f}" if fall > 0 else f"rises at {-fall:.1f}" if fall < 0 else "stands still at 0"
        told.append(f"only falling: the striker {way} units a second")
    return Verdict(fails, "; ".join(told) or "the attack asks for no place and no fall")


def possible(rules: Rules, attack: Attack) -> bool:
    """An attack that asks for anything."""
    return attack.looks_where or attack.falling


GATE = Gate("unmet", "v", "magenta", stops, check, possible)
