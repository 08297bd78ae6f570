"""Health, lives and counters that the game logs otherwise than the rules have them."""

from __future__ import annotations

import math

from voskar.core.adopt.logged import Logged
from voskar.core.adopt.window import COLUMNS, Column, Windows
from voskar.core.counting import put
from voskar.core.ledger.events import (
    COUNTER,
    AdoptedEvent,
    CounterEvent,
    DownEvent,
    HealthEvent,
    LifeEvent,
    RespawnEvent,
)
from voskar.core.lifecycle.settle import Settling
from voskar.core.world import NEVER, ActorState, World

SAME = 1e-6
CHANGES = (HealthEvent, LifeEvent, DownEvent, RespawnEvent)
"""Events with which health or lives may change."""


class States:
    """A disagreement that outlasts its window is adopted. The value that the rules would have without it is kept as
    well: where the log comes back to that value, the disagreement ends.

    `ends` has the last frame of each disagreement, by (first frame, actor, column).
    """

    SHARED = frozenset(("logged",))

    def __init__(self, world: World, logged: Logged, windows: Windows, settling: Settling) -> None:
        self.world, self.logged, self.windows, self.settling = world, logged, windows, settling
        self.ends: dict[tuple[int, str, Column], int] = {}
        self._since: dict[tuple[int, Column], int] = {}
        self._beside: dict[tuple[int, Column], float] = {}
        self._known: dict[tuple[int, Column], float] = {}
        """The state when it was last looked at: a value that has changed since has changed there too."""
        self._running: dict[tuple[int, Column], tuple[int, str, Column]] = {}
        self._seen = 0
        for frame in logged.changes:
            world.visit(frame)

    def after(self) -> None:
        """The frame has been settled."""
        if not self.logged.changes:
            return  # no value is logged, and nothing can disagree
        world = self.world
        changed: set[tuple[int, Column]] = {*self.logged.changes.get(world.frame, ()), *self._since}
        for event in world.events[self._seen :]:
            if isinstance(event, CHANGES):
                state = world.find(event.id)
                if state is not None and not state.driven:
                    changed |= {(state.row, column) for column in COLUMNS}
            elif isinstance(event, CounterEvent):
                state = world.find(event.id)
                if state is not None and not state.driven:
                    changed.add((state.row, COUNTER + event.counter))
        for key in sorted(changed):
            value = self.logged.value(*key, world.frame)
            if value is not None:
                self._compare(world.state(key[0]), key[1], value)
        self._seen = len(world.events)

    def _compare(self, state: ActorState, column: Column, value: float) -> None:
        world, key = self.world, (state.row, column)
        now = self._now(state, column)
        if now is None:
            return
        beside = self._carry(key, now)
        if abs(value - now) < SAME:
            self._since.pop(key, None)
            # log, rules and the value without adoption are one again
            if beside is not None and abs(beside - now) < SAME:
                self._close(key)
            return
        if beside is not None and abs(value - beside) < SAME:  # the log is back at what the rules had
            self._close(key)
            self._take(state, column, value)
            return
        if state.down is not None and column == "health" and world.frame > state.down and key not in self._since:
            return  # a body may show anything: how it lies there is held against its death
        since = self._since.setdefault(key, world.frame)
        # the log may still be late: a value of its window is no disagreement
        if world.frame - since < self.windows.within(column):
            world.visit(world.frame + 1)
            return
        del self._since[key]
        if key in self._running:
            self.ends[self._running.pop(key)] = since - 1
        self._beside.setdefault(key, now)
        name = (since, state.id, column)
        self._running[key], self.ends[name] = name, self.logged.last(*key)
        self._take(state, column, value)

    def _now(self, state: ActorState, column: Column) -> float | None:
        """The value by the rules."""
        if column.startswith(COUNTER):
            return self.world.counter_of(state, column.removeprefix(COUNTER))
        if column == "lives":
            return None if state.lives is None else state.kind.logged_lives(state.lives)
        return state.health

    def _carry(self, key: tuple[int, Column], now: float) -> float | None:
        """The value that the rules would have without adoption."""
        if key in self._beside:
            change, kind = now - self._known[key], self.world.state(key[0]).kind
            if key[1].startswith(COUNTER):
                rule = kind.counters.get(key[1].removeprefix(COUNTER))
                beside = self._beside[key] + change
                self._beside[key] = beside if rule is None else rule.within(beside)
                full = (None if rule is None else rule.max) or math.inf
                if abs(now - full) < SAME < change:
                    self._beside[key] = now
            else:
                full = (kind.health if key[1] == "health" else kind.logged_lives(kind.lives or 0)) or 0.0
                # a refill makes both values full
                self._beside[key] = now if abs(now - full) < SAME < change else max(self._beside[key] + change, 0.0)
            self._known[key] = now
        return self._beside.get(key)

    def _close(self, key: tuple[int, Column]) -> None:
        self._beside.pop(key, None)
        name = self._running.pop(key, None)
        if name is not None:
            self.ends[name] = self.world.frame - 1
        self._since.pop(key, None)

    def _take(self, state: ActorState, column: Column, value: float) -> None:
        world, key = self.world, (state.row, column)
        before = self._now(state, column) or 0.0
        world.events.append(
            AdoptedEvent(frame=world.frame, detail=column, id=state.id, before=float(before), after=float(value))
        )
        self._known[key] = value
        if column.startswith(COUNTER):
            put(world, state, column.removeprefix(COUNTER), value)
            return
        if column == "lives":
            state.lives = state.kind.real_lives(value, state.lives)
            return
        if state.down is not None and value > 0:
            stand_again(world, state)
        state.health = value
        # an actor that is logged without health from the start has not died in this frame
        fell = (self.logged.value(state.row, "health", world.frame - 1) or 0.0) > 0
        if value == 0 and fell and not world.recording.asks_for("down"):
            state.credit = None
            self.settling.fall(state)

    def begin_again(self) -> None:
        """A mark: everyone is as at the start."""
        for key in list(self._beside):
            self._close(key)
        self._since.clear()


def stand_again(world: World, state: ActorState) -> None:
    """Puts an actor back in play that was consumed, out or down by the rules, with the state that it had before."""
    world.run.stays_in(state)
    world.run.due.pop(state.row, None)
    state.down = state.owes = state.consumed = None
    state.gone_until = NEVER
    state.out = state.returns = state.held = False
    world.let_in(state)
    world.run.recheck = True
    world.events.append(AdoptedEvent(frame=world.frame, detail="back", id=state.id))
