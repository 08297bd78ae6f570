"""The end of a frame: actors without health go down, then removals, then `out`, each by id; then the run's end."""

from __future__ import annotations

from collections.abc import Callable

from voskar.core.ledger.events import OutEvent, RemovedEvent
from voskar.core.lifecycle.down import earn, go_down, lie_down, take_life
from voskar.core.lifecycle.goals import Goals
from voskar.core.lifecycle.resets import Resets
from voskar.core.world import ActorState, World


class Settling:
    """Settles the frames of a world; `tick` lets fall the damage over time that is due."""

    def __init__(self, world: World, resets: Resets, goals: Goals, tick: Callable[[], None]) -> None:
        self.world, self.resets, self.goals, self.tick = world, resets, goals, tick
        self.keeps: Callable[[ActorState], bool] = lambda state: False
        """Whether an actor that is consumed will be shown all the same, so that nothing of it is forgotten."""

    def report_leavers(self) -> None:
        """Removes actors at the end of their life or behind an edge, before anything touches."""
        if self.world.kernel.left:
            for frame, state, why in self.world.left():
                self.leave(frame, state, why)

    def leave(self, frame: int, state: ActorState, why: str) -> None:
        """Removes an actor for good, or takes it out of play."""
        world = self.world
        world.events.append(RemovedEvent(frame, state.id, why))
        world.run.recheck = True
        if state.driven:
            self.resets.remove(state)
        # a recorded actor has its row for good: only what it has struck is forgotten
        elif not self.keeps(state):
            self.resets.memory.forget(state.row)

    def fall(self, state: ActorState) -> None:
        """One goes down after the frame's own deaths."""
        world = self.world
        go_down(world, state)
        going: dict[int, str] = {}
        # it is late for this frame's order of deaths, removals and outs, so it goes through all three by itself
        self._put_out(lie_down(world, state, going))
        for row, why in going.items():
            self.leave(world.frame, world.state(row), why)
        self.goals.look()

    def _owes(self, pair: tuple[str, int], frame: int) -> bool:
        """Whether an actor of that id and row is still in play, and owes a life to be taken now."""
        found = self.world.find(pair[0])
        return found is not None and (found.row, found.owes) == (pair[1], frame)

    def settle(self) -> None:
        """The end of a frame: deaths, removals, runs."""
        world, run, frame = self.world, self.world.run, self.world.frame
        if run.poisons:
            self.tick()
        if not (world.settling or world.kernel.ended or run.ends or run.outs or run.lives):
            self.goals.look()  # no actor has run out of anything, and nothing falls due
            return
        going, outs = world.ending(), []
        if world.settling:
            states = sorted((world.state(row) for row in world.settling), key=lambda state: state.id)
            for state in states:
                if state.health == 0 and state.down is None:
                    go_down(world, state)
            # before lives are taken: a death of this frame may earn the life that saves an actor
            earn(world)
            for state in states:
                if state.consumed == frame:
                    going[state.row] = "consumed"
                if state.down == frame:
                    outs += lie_down(world, state, going)
            world.settling.clear()
        outs += run.outs.pop(frame, [])
        # the row may have another actor by now, or the life was given back
        due = [count for count in run.lives.pop(frame, ()) if self._owes(count, frame)]
        for name, _ in sorted({*due, *outs}):
            owing = world.find(name)
            if owing is not None:
                take_life(world, owing)
        for row in sorted(going, key=lambda row: world.state(row).id) if going else ():
            self.leave(frame, world.state(row), going[row])
        self._put_out(outs)
        self.goals.look()

    def _put_out(self, outs: list[tuple[str, int]]) -> None:
        world, run = self.world, self.world.run
        for name, row in sorted(outs):
            run.anyone_out = run.recheck = True
            found = world.find(name)
            # a driven actor may have left, and its id may be another one's
            if found is not None and found.row == row:
                found.out = True
            world.events.append(OutEvent(frame=world.frame, id=name))
