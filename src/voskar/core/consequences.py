"""What a landing does: the numbers of its pushes, apart from who keeps them."""

from __future__ import annotations

import math

from voskar.core.gates import Contact
from voskar.core.rules import Knockback, Rebound
from voskar.core.sight import Sight, Vector


def damage_of(contact: Contact) -> float:
    """The attack's damage times the hurtbox's scale."""
    return contact.attack.damage * contact.hurtbox.damage_scale


def push(sight: Sight, contact: Contact, knockback: Knockback, weight: float, *, on_striker: bool) -> Vector:
    """The whole way (dx, dy) of a knockback on one side of a contact, in units.

    Away is from the other actor, both where they are at the contact's own time, so that a fast shot pushes the
    way it came. A zero vector falls back to the striker's heading.
    """
    striker, target = sight.pose_rows(contact.row)
    hx, hy = sight.heading(striker)
    length = knockback.distance / weight
    direction = knockback.direction
    if isinstance(direction, float | int):
        radians = math.radians(direction)
        x, y = math.cos(radians), math.sin(radians)
        return _length(-x if hx < 0 else x, y, length)
    x, y = hx, hy
    if direction in ("away", "flat"):
        pushed, other = (striker, target) if on_striker else (target, striker)
        (x1, y1), (x0, y0) = sight.position(pushed, contact.t), sight.position(other, contact.t)
        x, y = x1 - x0, 0.0 if direction == "flat" else y1 - y0
    elif direction == "travel":
        x, y = sight.velocity(striker)
    if x == 0 and y == 0:
        x, y = hx, hy
    return _length(x, y, length)


def _length(x: float, y: float, length: float) -> Vector:
    whole = math.hypot(x, y)
    return x / whole * length, y / whole * length


def sent_off(sight: Sight, contact: Contact, rebound: Rebound, bounce: float, *, on_striker: bool) -> Vector:
    """The velocity (vx, vy) after a rebound: horizontal kept, vertical replaced or added to, along up."""
    striker, target = sight.pose_rows(contact.row)
    vx, vy = sight.velocity(striker if on_striker else target)
    speed = rebound.speed * bounce * sight.up
    return vx, vy + speed if rebound.add else speed
