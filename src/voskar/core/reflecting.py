"""Shots that were reflected in a frame: their owners from the next frame on."""

from __future__ import annotations

from voskar.core.judging.memory import Memory
from voskar.core.world import World


def hand_over(world: World, memory: Memory) -> None:
    """At the end of a frame: each that is still in play has another owner, way and life, and its hits are forgotten."""
    for row, to in sorted(world.run.reflections.items()):
        state = world.actors[row]
        if state is None or state.id != to.id or state.consumed == world.frame or state.down is not None:
            continue
        if to.heir is not None:
            world.step_aside(state)
            state = world.state(to.heir)
        world.hand_over(state, to)
        world.reflect(state, *to.velocity)
        memory.restart(state.row)
    world.run.reflections.clear()
