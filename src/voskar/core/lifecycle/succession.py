"""New actors that take the place of the last of their kind."""

from __future__ import annotations

import numpy as np

from voskar.core import counting
from voskar.core.immunity import immunise
from voskar.core.ledger.events import RespawnEvent
from voskar.core.lifecycle.down import take_life
from voskar.core.world import ActorState, World


class Succession:
    """When each recorded actor of such kinds appears."""

    def __init__(self, world: World) -> None:
        self.world = world
        self._heirs: dict[int, list[int]] = {}
        self.begin()

    def begin(self) -> None:
        """A run begins: every actor that appears from now on is new."""
        world = self.world
        self._heirs.clear()
        for state in world.everyone():
            if state.kind.succession and not state.driven:
                there = world.recording.pose_from(state.row, world.frame)
                if there is not None:
                    self._heirs.setdefault(there[1], []).append(state.row)
        for frame in self._heirs:
            world.visit(frame)

    def succeed(self) -> None:
        """Hands state over to actors that first appear in this frame, by id."""
        world = self.world
        rows = self._heirs.get(world.frame)
        if rows:
            # two that appear in one frame: the first by id takes over, the other one finds it in play
            heirs = sorted((world.state(row) for row in rows), key=lambda state: state.id)
            for index, state in enumerate(heirs):
                self._succeed(state, {heir.row for heir in heirs[index + 1 :]})

    def _succeed(self, state: ActorState, later: set[int]) -> None:
        """Takes over from the last actor of the kind, if no other is in play."""
        world = self.world
        found: list[tuple[int, str, ActorState]] = []
        for former in world.everyone():
            same = not former.driven and (former.kind.logged_kind, former.side) == (state.kind.logged_kind, state.side)
            if not same or former is state or former.row in later:
                continue
            # the last of the kind is still there, so this is another player
            if world.is_in_play(former.row):
                return
            frames = world.seen_frames(former.row)
            low, high = np.searchsorted(frames, [world.run.start, world.frame])
            if low < high and not former.succeeded:
                last = int(frames[high - 1]) if former.down is None else former.down
                found.append((last, former.id, former))
        if not found:
            return
        former = max(found, key=lambda entry: entry[:2])[2]
        take_life(world, former)
        state.is_heir = True
        former.succeeded, former.returns, world.run.recheck = True, False, True
        state.lives, state.checkpoint = former.lives, former.checkpoint
        counting.take_over(world, state, former)
        score = world.run.score
        if former.id in score:
            score[state.id] = score.pop(former.id)
            world.run.earned[state.id, state.kind.name] = world.run.earned.pop((former.id, former.kind.name), 0)
        x, y = world.position(state.row)
        world.events.append(RespawnEvent(frame=world.frame, id=state.id, x=x, y=y, detail=former.id))
        respawn = state.kind.respawn
        if respawn is not None:
            immunise(world, state, world.frame, respawn.iframes - 1, "respawn")
