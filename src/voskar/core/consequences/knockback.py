"""Knockback: a push over some frames."""

from __future__ import annotations

import math

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.ledger.events import KnockbackEvent
from voskar.core.recording.inputs import Vector


def way(effect: Effect) -> Vector:
    """The whole way (dx, dy) of a push on one side, in units.

    Away is from the other actor, both where they are at the contact's own time, so that a fast shot pushes the
    way it came. A zero vector falls back to the attacker's heading.
    """
    knockback, world, state, contact = effect.table.knockback, effect.world, effect.own, effect.contact
    assert knockback is not None
    leader = effect.leader
    hx, hy = world.heading(leader.row)
    # Weight divides the distance; the time of the push stays.
    length = knockback.distance / state.kind.weight
    direction = knockback.direction
    if isinstance(direction, float | int):
        radians = math.radians(direction)
        x, y = math.cos(radians), math.sin(radians)
        # angles are given for an attacker that faces right, and mirrored with it
        return _of_length(-x if hx < 0 else x, y, length)
    x, y = hx, hy
    if direction in ("away", "flat"):
        t = 1.0 if contact is None else contact.t
        x1, y1 = world.position(state.row, t)
        x0, y0 = world.position((effect.other or leader).row, t)
        # Across a wrapped edge, positions are a space apart, and `over` takes that away.
        over_x, over_y = (0.0, 0.0) if contact is None else contact.over
        sign = -1.0 if effect.side == "target" else 1.0
        x, y = x1 - x0 + sign * over_x, 0.0 if direction == "flat" else y1 - y0 + sign * over_y
    elif direction == "travel":
        x, y = world.velocity(leader.row)
    # Actors at the same place have no direction between them.
    if x == 0 and y == 0:
        x, y = hx, hy
    return _of_length(x, y, length)


def _of_length(x: float, y: float, length: float) -> Vector:
    whole = math.hypot(x, y)
    return x / whole * length, y / whole * length


def apply(effect: Effect) -> None:
    """Displaces over the frames n+1 … n+over."""
    knockback, state, world = effect.table.knockback, effect.own, effect.world
    assert knockback is not None
    dx, dy = way(effect)
    until = world.now(state) + knockback.over
    world.events.append(KnockbackEvent(frame=world.frame, id=state.id, dx=dx, dy=dy, until=until, by=effect.by))
    world.push(state, knockback, dx, dy)


CONSEQUENCE = Consequence(
    "knockback",
    "knockback",
    lambda table: table.knockback is not None,
    apply,
    "motion",
    lambda table, kind: table.knockback.over + 2 if table.knockback else 0,
)
