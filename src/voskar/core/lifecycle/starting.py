"""I-frames of a start: from an actor's first frame in play in a run on."""

from __future__ import annotations

from voskar.core.immunity import guard
from voskar.core.world import ActorState, World


def expect(world: World, state: ActorState) -> None:
    """A run begins for an actor: notes when it is first in play."""
    state.is_heir = False
    if not state.kind.start_iframes:
        return
    frame = world.first_in_play(state)
    if frame is not None and frame >= world.frame:
        world.run.starts.setdefault(frame, []).append((state.id, state.row))
        world.visit(frame)


def give(world: World) -> None:
    """Gives start i-frames to actors that are in play for the first time in this frame, by id; an actor that takes
    another's place gets none."""
    for name, row in sorted(world.run.starts.pop(world.frame, ())):
        state = world.find(name)
        if state is not None and state.row == row and not state.is_heir:
            guard(world, state)
