"""Lives: those that it gains, up to the most that its kind may have."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.ledger.events import LifeEvent


def apply(effect: Effect) -> None:
    """Gains lives, where anybody counts them."""
    state, world = effect.own, effect.world
    if state.lives is None:
        return
    before, most = state.lives, state.kind.max_lives
    after = max(before + effect.table.lives, 0)
    state.lives = after if most is None else min(after, max(most, before))
    if state.lives != before:
        world.events.append(
            LifeEvent(frame=world.frame, id=state.id, before=float(before), after=float(state.lives), by=effect.by)
        )


CONSEQUENCE = Consequence("lives", "life", lambda table: table.lives != 0, apply, "lives")
