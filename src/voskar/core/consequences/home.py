"""Home: back to its start in the next frame; that ends all its knockback, also of hits later in this one."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.ledger.events import HomeEvent


def apply(effect: Effect) -> None:
    """Sends it."""
    state, world = effect.own, effect.world
    x, y = world.send_home(state)
    world.events.append(HomeEvent(frame=world.frame, id=state.id, x=x, y=y))


CONSEQUENCE = Consequence("home", "home", lambda table: table.home, apply, "motion", lambda table, kind: 2)
