"""Lives: those that it gains, up to the most that its kind may have."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.lifecycle.down import give_lives


def apply(effect: Effect) -> None:
    """Gains lives."""
    give_lives(effect.world, effect.own, effect.table.lives, effect.by)


CONSEQUENCE = Consequence("lives", "life", lambda table: table.lives != 0, apply, "lives")
