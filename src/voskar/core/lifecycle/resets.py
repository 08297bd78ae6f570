"""New starts: at a mark of the recording, or when the rule of a returning actor resets the room or the run."""

from __future__ import annotations

from collections.abc import Callable

from voskar.core import counting
from voskar.core.emitters.births import drop_waiting
from voskar.core.emitters.firing import Emitters
from voskar.core.judging.memory import Memory
from voskar.core.ledger.events import RemovedEvent
from voskar.core.ledger.origin import Origin
from voskar.core.lifecycle import starting
from voskar.core.lifecycle.down import take_life
from voskar.core.lifecycle.goals import Goals
from voskar.core.lifecycle.succession import Succession
from voskar.core.world import NEVER, ActorState, World


class Resets:
    """Puts back the room, or the whole run. `close_contacts` ends the contacts that are running."""

    def __init__(
        self,
        world: World,
        memory: Memory,
        close_contacts: Callable[[], None],
        emitters: Emitters,
        goals: Goals,
        succession: Succession,
    ) -> None:
        self.world, self.memory, self.close_contacts = world, memory, close_contacts
        self.emitters, self.goals, self.succession = emitters, goals, succession

    def place_fixtures(self) -> None:
        """Enters fixtures that are not there."""
        world = self.world
        for fixture in world.fixtures.values():
            if fixture.id not in world.rows:
                state = world.enter(world.fixture_birth(fixture), fixture.facing)
                counting.begin(world, state)
                starting.expect(world, state)
                self.emitters.arm(state)

    def mark(self, what: str) -> None:
        """The game began its room or its whole run again: everyone is as at the start; under "room" lives, counters,
        checkpoints, score and the actors that are out continue."""
        world = self.world
        world.run.ended, world.run.won, world.run.goes_on, world.run.recheck = None, False, False, True
        self.close_contacts()
        self.memory.clear()
        world.run.due.clear()
        world.run.outs.clear()
        world.run.ends.clear()
        world.run.lives.clear()
        world.run.poisons.clear()
        world.run.frozen_until = NEVER
        self.emitters.triggers.clear()
        self.emitters.fired.clear()
        table = world.table
        for state in world.everyone():
            if state.driven:
                continue
            out, whole = state.out, what == "run"
            if out and not whole:
                continue  # an actor that is out stays out
            if whole:
                counting.stop(world, state)
            else:
                # a life that falls due later is still owed: the mark does not give it back
                take_life(world, state)
            state.revive()
            world.give_back(state)
            world.stop_pushes(state)
            world.let_in(state)
            table.offset_x[state.row] = table.offset_y[state.row] = 0.0
            table.homing[state.row] = 0
            table.played[state.row] = NEVER
            if whole:
                table.at[state.row] = NEVER  # all are shown for the first time
        if what == "run":
            world.shown_kinds = world.kinds_shown_from(world.frame)
        # succession and emitters begin behind it, as they need the actors that are there
        self._start_over(None, whole=what == "run", marked=True)
        if what == "run":
            self.succession.begin()
        for state in world.everyone():
            if not state.driven:
                self.emitters.arm(state)

    def start_over(self, returning: ActorState, whole: bool) -> None:
        """One returns, and the room or the run begins again with it."""
        self._start_over(returning, whole=whole, marked=False)

    def _start_over(self, returning: ActorState | None, *, whole: bool, marked: bool) -> None:
        """Driven actors are as at the start; in a new run also score, counters, lives and clock."""
        world, run = self.world, self.world.run
        run.room_start = world.frame
        run.seen_kinds.clear()
        for outs in run.outs.values():  # fixtures start again, and spawned actors are gone
            outs[:] = [out for out in outs if out[1] < len(world.recording.actors) or self._is(out, returning)]
        driven = [state for state in world.everyone() if state.driven and state is not returning]
        for state in sorted(driven, key=lambda state: state.id):
            if state.id not in world.fixtures:
                world.events.append(RemovedEvent(world.frame - 1, state.id, "reset"))
            self.remove(state)
        drop_waiting(world)
        if whole:
            world.made.clear()
        self.place_fixtures()
        if not whole:
            return
        origin = None if returning is None else Origin.parse(returning.id)
        if returning is not None and origin is not None and world.table.spawned[returning.row]:
            world.made[origin.beginning] = origin.number  # its name is taken in the new run too
        run.start = world.frame
        run.score.clear()
        run.earned.clear()
        run.ghosts.clear()
        run.ghost_kinds.clear()
        run.fills.clear()
        run.away.clear()
        run.starts.clear()
        run.anyone_out = run.goes_on = False
        self.goals.begin(world.frame)
        for state in world.everyone():
            kept = state.kind.respawn.keeps if state.kind.respawn is not None else frozenset()
            state.counters = {name: value for name, value in state.counters.items() if name in kept}
            counting.begin(world, state)
            if not state.driven or state is returning:
                starting.expect(world, state)
            state.lives, state.out, state.owes = state.kind.lives, False, None
            if marked:
                state.checkpoint, state.succeeded = None, False
            elif state.down is not None and not state.returns:
                self._readmit(state)

    def _is(self, out: tuple[str, int], state: ActorState | None) -> bool:
        return state is not None and out == (state.id, state.row)

    def _readmit(self, state: ActorState) -> None:
        """Lets an actor in again that had no life left: it is in play, or waits for its successor."""
        self.world.run.stays_in(state)
        if not state.kind.succession:
            state.revive()
            self.memory.forget(state.row)
            self.world.let_in(state)
            self.world.jump(state)
            self.emitters.arm(state)
        elif not state.succeeded:
            state.returns = True

    def remove(self, state: ActorState) -> None:
        """A driven actor is gone for good."""
        self.memory.forget(state.row)
        self.emitters.forget(state)
        self.world.discard(state)
