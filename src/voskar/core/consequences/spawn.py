"""Effect: a kind that appears at the contact point in the next frame. It has no owner and no side."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Side, table_of
from voskar.core.emitters.births import order
from voskar.core.judging.contact import Contact
from voskar.core.rules import Fan


def apply(contact: Contact, side: Side) -> None:
    """Orders it."""
    kind = table_of(contact.attack, side).spawn
    assert kind is not None
    order(contact.world, Fan(kind), "effect", contact.point(), 0.0, (0.0, 0.0), spawned=False)


CONSEQUENCE = Consequence(
    "spawn", "spawn", lambda table: table.spawn is not None, apply, "children", lambda table, kind: 1
)
