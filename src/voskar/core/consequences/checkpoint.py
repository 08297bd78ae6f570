"""Checkpoint: the other one's position becomes its place to respawn."""

from __future__ import annotations

from voskar.core.consequences.consequence import Consequence, Effect
from voskar.core.ledger.events import CheckpointEvent


def apply(effect: Effect) -> None:
    """Notes it."""
    state, world = effect.own, effect.world
    state.checkpoint = x, y = world.position((effect.other or state).row)
    world.events.append(CheckpointEvent(frame=world.frame, id=state.id, x=x, y=y))


CONSEQUENCE = Consequence("checkpoint", "checkpoint", lambda table: table.checkpoint, apply, "place")
