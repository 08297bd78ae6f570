"""Reflect: a shot turns round, and belongs to its target, from the next frame on."""

from __future__ import annotations

import math

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.ledger.events import ReflectEvent
from voskar.core.recording.inputs import Vector
from voskar.core.world.state import Reflection


def velocity(effect: Effect) -> Vector:
    """As fast as it is, and the way that the rule says."""
    rule, world = effect.table.reflect, effect.world
    assert rule is not None
    vx, vy = world.velocity(effect.own.row)
    if rule.way == "heading" and effect.other is not None:
        x, y = world.heading(effect.other.row)
        speed = math.hypot(vx, vy)
        return x * speed, y * speed
    return -vx, vy if rule.way == "mirror" else -vy


def apply(effect: Effect) -> None:
    """Its new owner is the owner of the other one, or the other one itself. No actor owns itself."""
    rule, world, own, other = effect.table.reflect, effect.world, effect.own, effect.other
    assert rule is not None
    # A shot that already belongs to this owner would change nothing.
    if other is None or own.id in (other.owner, other.id):
        return
    # The row of the owner decides about rehits, and the owner may be a shot itself.
    row = other.row if other.owner is None else world.table.owner[other.row]
    owner = other.owner or other.id
    vx, vy = velocity(effect)
    step = math.hypot(vx, vy) / world.rate
    # A game may remove the shot and fire another one; the log shows it one step away.
    heir = None if own.driven else world.recording.passed_on(own.row, world.frame, owner, step)
    name = None if heir is None else world.state(heir).id
    reflect_event = ReflectEvent(frame=world.frame, id=own.id, owner=owner, vx=vx, vy=vy, by=other.id, detail=name)
    world.events.append(reflect_event)
    world.run.reflections[own.row] = Reflection(own.id, owner, row, other.side, rule, (vx, vy), heir)


CONSEQUENCE = Consequence("reflect", "reflect", lambda table: table.reflect is not None, apply, "motion")
