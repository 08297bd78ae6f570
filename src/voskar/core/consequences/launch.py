"""Launch: sent off along up. Of a recorded actor it is only told."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.ledger.events import LaunchEvent


def apply(effect: Effect) -> None:
    """The horizontal velocity is kept, the vertical one replaced or added to, times the other kind's `bounce`."""
    launch, state, world = effect.table.launch, effect.own, effect.world
    assert launch is not None
    vx, vy = world.velocity(state.row)
    speed = launch.up * (1.0 if effect.other is None else effect.other.kind.bounce) * world.up
    vy = vy + speed if launch.mode == "add" else speed
    world.events.append(LaunchEvent(frame=world.frame, id=state.id, vx=vx, vy=vy, by=effect.by))
    world.send(state, vx, vy)


CONSEQUENCE = Consequence("launch", "launch", lambda table: table.launch is not None, apply, "motion")
