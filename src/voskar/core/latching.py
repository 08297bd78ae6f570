"""Boxes that are open while their actor meets a condition: decided once a frame, before anything touches."""

from __future__ import annotations

from voskar.core.asking import state_holds
from voskar.core.world import World


def latch(world: World, frame: int) -> None:
    """Tells the kernel which conditions of its boxes each actor meets in a frame, as far as its state decides: what
    tags its pose has is asked by the kernel itself. It is called whenever state may have changed before the frame."""
    for state in world.conditional():
        bits = 0
        for number, condition in enumerate(world.catalog.conditions[state.kind.name]):
            bits |= state_holds(world, state, condition, frame) << number
        world.table.met[state.row] = bits
