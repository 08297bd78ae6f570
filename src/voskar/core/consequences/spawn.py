"""Effect: a kind that appears at the contact point in the next frame. It has no owner and no side."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.emitters.births import order
from voskar.core.rules import Fan


def apply(effect: Effect) -> None:
    """Orders it."""
    kind = effect.table.spawn
    assert kind is not None
    struck = effect.own if effect.contact is None else effect.contact.target
    # A spark has the depth of the actor that is hit, not that of its attacker.
    z = effect.world.table.z[struck.row]
    order(effect.world, Fan(kind), "effect", effect.point, 0.0, (0.0, 0.0), spawned=False, z=z)


CONSEQUENCE = Consequence(
    "spawn", "spawn", lambda table: table.spawn is not None, apply, "children", lambda table, kind: 1
)
