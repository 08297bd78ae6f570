"""Goal: the run is won at the end of the frame."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect


def apply(effect: Effect) -> None:
    """Wins."""
    effect.world.run.won = True


CONSEQUENCE = Consequence("goal", "won", lambda table: table.goal, apply, "run")
