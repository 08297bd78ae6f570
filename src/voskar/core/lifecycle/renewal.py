"""Ids that are used again: a recorded actor of a kind that is fired or spawned, shown after a gap, is another one."""

from __future__ import annotations

from voskar.core import counting
from voskar.core.emitters.firing import Emitters
from voskar.core.immunity import guard
from voskar.core.judging.memory import Memory
from voskar.core.recording.reuse import used_again
from voskar.core.world import ActorState, World


class Renewal:
    """Makes new actors of those that are shown again."""

    SHARED = frozenset(("_rows",))

    def __init__(self, world: World, memory: Memory, emitters: Emitters) -> None:
        self.world, self.memory, self.emitters = world, memory, emitters
        self._rows = used_again(world.rules, world.recording)
        for frame in self._rows:
            world.visit(frame)

    def renew(self) -> list[int]:
        """The rows of those that are another one from this frame on, before any actor returns."""
        world = self.world
        rows = []
        for row in self._rows.get(world.frame, ()):
            # an actor that is shown for the first time in a run is new already, and a return by a rule makes no new one
            if world.state(row).returns or not len(
                world.recording.poses.between(row, world.run.start, world.frame - 1)
            ):
                continue
            self._renew(world.state(row))
            rows.append(row)
        return rows

    def _renew(self, state: ActorState) -> None:
        world, row = self.world, state.row
        world.run.due.pop(row, None)
        world.run.stays_in(state)
        world.run.cure(row)
        world.run.recheck = True
        self.memory.forget(row)
        state.revive()
        state.lives, state.checkpoint, state.fell_at = state.kind.lives, None, None
        state.succeeded = state.is_heir = False
        world.renew(state)
        state.counters = {}
        if state.kind.counters:
            counting.begin(world, state, world.frame)
        if state.kind.start_iframes:
            guard(world, state)
        for emitter in state.kind.emitters:
            self.emitters.fired.pop((row, emitter.name), None)
        self.emitters.arm(state)
