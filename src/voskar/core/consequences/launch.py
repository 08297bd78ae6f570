"""Launch: sends an actor up, along the way that the other one faces, or away from it. For a recorded actor it is only
written."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.ledger.events import LaunchEvent


def apply(effect: Effect) -> None:
    """Parts that the rule does not name are kept; the one along up counts the other kind's `bounce` times."""
    launch, state, world = effect.table.launch, effect.own, effect.world
    assert launch is not None
    vx, vy = world.velocity(state.row)
    adds = launch.mode == "add"
    if launch.up is not None:
        # The bounce of the other kind makes its surface springy.
        speed = launch.up * (1.0 if effect.other is None else effect.other.kind.bounce) * world.up
        vy = vy + speed if adds else speed
    if launch.ahead is not None or launch.away is not None:
        along = _ahead(effect)
        # Without a way between them, away is the way that the other one faces.
        speed = (launch.ahead or 0.0) * along + (launch.away or 0.0) * (_away(effect) or along)
        vx = vx + speed if adds else speed
    world.events.append(LaunchEvent(frame=world.frame, id=state.id, vx=vx, vy=vy, by=effect.by))
    world.send(state, vx, vy)


def _ahead(effect: Effect) -> float:
    """The sign of the other one's heading."""
    return -1.0 if effect.world.heading((effect.other or effect.own).row)[0] < 0 else 1.0


def _away(effect: Effect) -> float:
    """The sign of the way from the other one; 0 where there is none."""
    if effect.other is None:
        return 0.0
    world = effect.world
    over = 0.0 if effect.contact is None else effect.contact.over[0]
    way = world.position(effect.own.row)[0] - world.position(effect.other.row)[0]
    way += over if effect.side == "attacker" else -over
    return 0.0 if way == 0 else 1.0 if way > 0 else -1.0


CONSEQUENCE = Consequence("launch", "launch", lambda table: table.launch is not None, apply, "motion")
