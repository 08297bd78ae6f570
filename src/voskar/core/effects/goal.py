"""Goal: the run is won at the end of the frame."""

from __future__ import annotations

from voskar.core.effects.effect import Effect, Side
from voskar.core.judging.contact import Contact


def apply(contact: Contact, side: Side) -> None:
    """Wins."""
    contact.world.run.won = True


EFFECT = Effect("goal", "won", lambda table: table.goal, apply)
