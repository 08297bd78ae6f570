"""Goal: the run is won at the end of the frame."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Side
from voskar.core.judging.contact import Contact


def apply(contact: Contact, side: Side) -> None:
    """Wins."""
    contact.world.run.won = True


CONSEQUENCE = Consequence("goal", "won", lambda table: table.goal, apply, "run")
