"""Emitters at work in a frame: those that are triggered fire, or are denied."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from voskar.core.emitters.aim import Stance, aim_of, muzzle_of
from voskar.core.emitters.births import appear, draw, fan_of, names
from voskar.core.emitters.gates import GATES, SILENT, Pull
from voskar.core.emitters.triggers import Triggers
from voskar.core.gate import GateAnswer
from voskar.core.ledger.events import DeniedEvent
from voskar.core.recording.inputs import Vector
from voskar.core.rules import Emitter
from voskar.core.world import NEVER, ActorState, Birth, World

ONCE = ("press", "release", "clip")
"""Triggers that are reported when they are denied; a held button waits, a beat is lost."""


class Emitters:
    """All emitters of a world. `armed_since` is what the beats of an owner count from."""

    def __init__(self, world: World) -> None:
        self.world = world
        self.triggers = Triggers(world)
        self.active = bool(self.triggers.emitters)
        self.spawned = world.rules.spawned
        self.fired: dict[tuple[int, str], int] = {}
        self._since: dict[int, int] = {}

    def arm(self, state: ActorState) -> None:
        """An owner is in play from this frame on."""
        if state.kind.emitters:
            self._since[state.row] = self.world.frame
            self.triggers.arm(state, self.world.frame)

    def thaw(self) -> None:
        """Actors have been frozen in this frame: their cooldowns and beats come so many frames later."""
        run = self.world.run
        for row, extra in run.delayed.items():
            state = self.world.actors[row]
            if state is None or not state.kind.emitters or row not in self._since:
                continue
            # A cooldown counts only frames in which the owner is not frozen.
            for emitter in state.kind.emitters:
                if (row, emitter.name) in self.fired:
                    self.fired[row, emitter.name] += extra
            self.triggers.delays[row] = self.triggers.delays.get(row, 0) + extra
            self.triggers.rearm(state)
            for emitter in state.kind.emitters:
                again = self.world.frame + 1
                if emitter.when.on == "hold":
                    again = max(again, self.fired.get((row, emitter.name), NEVER) + emitter.cooldown)
                self.triggers.again(state, emitter, again, self._since[row])
        run.delayed.clear()

    def forget(self, state: ActorState) -> None:
        """A driven owner is gone for good; what its emitters have made is counted for fixtures only, which may be
        placed again."""
        world = self.world
        if state.gun is None and not state.kind.emitters and not state.kind.down.spawn:
            return
        if state.gun is not None and state.gun in world.guns:
            world.guns[state.gun] -= 1
            if not world.guns[state.gun]:
                del world.guns[state.gun]
        # The row may soon belong to another actor.
        self._since.pop(state.row, None)
        self.triggers.delays.pop(state.row, None)  # its row may soon be another actor's
        for emitter in state.kind.emitters:
            self.fired.pop((state.row, emitter.name), None)
            if state.id not in world.fixtures:
                world.made.pop(f"{state.id}/{emitter.name}", None)
        if state.id not in world.fixtures:
            for fan in state.kind.down.spawn:
                world.made.pop(f"{state.id}+{fan.kind}", None)

    def pull(self, state: ActorState, emitter: Emitter) -> Pull:
        """The values that decide whether an emitter may fire now."""
        return Pull(self.world, state, emitter, self.fired.get((state.row, emitter.name), NEVER))

    def trigger_verdict(self, state: ActorState, emitter: Emitter) -> GateAnswer:
        """Whether an emitter is triggered in this frame, and when it is else."""
        kind = state.kind.logged_kind
        if self._is_new(state) and kind in self._fired_kinds():
            return GateAnswer(True, f"a {kind} that is fired in this frame fires from the next frame on")
        return self.triggers.verdict(state, emitter, self._since.get(state.row, self.world.frame))

    def spawn(self, asked: Callable[[], None] | None = None) -> None:
        """Ordered births appear, in order; then emitters that are triggered fire.

        `asked` is called between the two: every gate can still be asked.
        """
        world, triggers = self.world, self.triggers
        waiting, world.waiting = world.waiting, []
        shown: list[Birth] = []
        for birth in waiting:
            state = appear(world, birth)
            world.drop_row(birth.owner_row)
            if state is not None:
                self.arm(state)
            if birth.moves_at_once and state is not None:
                world.move_at_once(state)
            elif birth.moves_at_once:
                shown.append(birth)
        if shown:
            world.came_from(shown)
        if asked is not None:
            asked()
        fresh: list[ActorState] = []
        fired: set[str] = set()
        # logged shots come last: if their kind is fired in this frame, they fire from the next frame on, as driven
        # shots do
        for state, emitter in sorted(triggers.pop(world.frame), key=lambda due: self._is_new(due[0])):
            again = world.frame + 1
            new = self._is_new(state)
            if world.is_present(state.row) and not (new and state.kind.logged_kind in fired):
                pull = self.pull(state, emitter)
                # The first gate that stops names the denial, so the order of gates is the order of reasons.
                reason = next((gate.name for gate in GATES if gate.stops(pull)), None)
                if reason is None:
                    fresh += self._shoot(state, emitter)
                    if not new:
                        fired.add(emitter.fan.kind)
                elif emitter.when.on in ONCE and reason not in SILENT:
                    denied_event = DeniedEvent(frame=world.frame, id=state.id, emitter=emitter.name, detail=reason)
                    world.events.append(denied_event)
            # A held button is asked again in each frame from the end of the cooldown on.
            if emitter.when.on == "hold":
                again = max(again, self.fired.get((state.row, emitter.name), NEVER) + emitter.cooldown)
            triggers.again(state, emitter, again, self._since[state.row])
        for state in fresh:  # a new shot fires itself from the next frame on
            self._arm_next(state)

    def _fired_kinds(self) -> set[str]:
        """The kinds that owners fire in this frame. Owners that appear in it do not count."""
        found = set()
        for state, emitter in self.triggers.due(self.world.frame):
            if self.world.is_present(state.row) and not self._is_new(state):
                pull = self.pull(state, emitter)
                if not any(gate.stops(pull) for gate in GATES):
                    found.add(emitter.fan.kind)
        return found

    def _is_new(self, state: ActorState) -> bool:
        """Whether a recorded actor that something spawns is shown since this frame."""
        world, frame = self.world, self.world.frame
        if state.driven or state.kind.logged_kind not in self.spawned:
            return False
        there = world.seen_frames(state.row)
        at = int(np.searchsorted(there, frame))
        return at == 0 or int(there[at - 1]) < frame - 1 or world.recording.resets.get(frame) == "run"

    def _arm_next(self, state: ActorState) -> None:
        if state.kind.emitters:
            self._since[state.row] = self.world.frame
            self.triggers.rearm(state)
            for emitter in state.kind.emitters:
                self.triggers.again(state, emitter, self.world.frame + 1, self.world.frame)

    def stance(self, row: int) -> Stance:
        """Where an owner is."""
        table = self.world.table
        where = (table.x[row], table.y[row], table.facing[row], table.angle[row], table.scale[row])
        return Stance(*where, *self.world.velocity(row))

    def aim(self, state: ActorState, emitter: Emitter, stance: Stance) -> float:
        """The centre of its fan, in degrees."""
        world = self.world
        button = emitter.when.name if emitter.when.on in ("press", "release", "hold") else None
        inputs = world.recording.inputs
        return aim_of(
            emitter,
            stance,
            lambda: inputs.aim_of(world.frame, state.id, button),
            lambda origin, kind: self._nearest(state, origin, kind),
            lambda dx, dy: world.over(dx, dy, state.row),
        )

    def _nearest(self, state: ActorState, origin: Vector, kind: str) -> Vector | None:
        """The nearest other actor of a kind in play; of equals the first by id."""
        world = self.world
        kernel, table = world.kernel, world.table
        found: list[tuple[float, str, Vector]] = []
        # Logged actors and driven ones may both be targets.
        for row in kernel.recorded() + kernel.driven():
            other = world.state(row)
            if other.kind.logged_kind != kind or other is state or not world.is_in_play(row):
                continue
            if self._is_fired_later(other, state):
                continue
            x, y = table.x[row], table.y[row]
            over = world.over(x - origin[0], y - origin[1], row, state.row)
            x, y = x + over[0], y + over[1]
            found.append((math.hypot(x - origin[0], y - origin[1]), other.id, (x, y)))
        return min(found)[2] if found else None

    def _is_fired_later(self, other: ActorState, state: ActorState) -> bool:
        """Whether a logged actor appears in this frame, fired by this owner or by an owner that fires later. A driven
        shot would not be there yet."""
        kind = other.kind.logged_kind
        if other.owner is None:
            later = any(emitter.fan.kind == kind for emitter in state.kind.emitters)
        else:
            later = other.owner >= state.id
        return later and self._is_new(other)

    def _shoot(self, state: ActorState, emitter: Emitter) -> list[ActorState]:
        """Fires one fan. Returns the shots that appear."""
        own = names(self.world, f"{state.id}/{emitter.name}", emitter.fan.count)
        return self._emit(state, emitter, own, own)

    def fire(self, state: ActorState, emitter: Emitter, number: int) -> None:
        """The `number`th of its shots is fired without a look at its gates; those before it are consumed."""
        beginning, count = f"{state.id}/{emitter.name}", emitter.fan.count
        before = (number - 1) // count * count
        # Ids go on from there, so that later shots have the numbers of the game.
        self.world.made[beginning] = max(self.world.made.get(beginning, 0), before + count)
        own = [f"{beginning}-{before + index + 1}" for index in range(count)]
        for fresh in self._emit(state, emitter, own, [f"{beginning}-{number}"]):
            self._arm_next(fresh)

    def unfire(self, row: int, emitter: Emitter, before: int | None) -> None:
        """Takes a shot of this frame back: it counts for no cooldown, and `before` is the last shot, if any. A held
        button keeps it, as it would fire again and again."""
        if before is None:
            self.fired.pop((row, emitter.name), None)
        elif emitter.when.on != "hold":
            self.fired[row, emitter.name] = before

    def fired_in(self, state: ActorState, emitter: Emitter, frame: int) -> None:
        """Its last shot counts as fired in another frame: a held button fires again a cooldown after that."""
        self.fired[state.row, emitter.name] = frame
        if emitter.when.on == "hold":
            self.triggers.rearm(state)
            for own in state.kind.emitters:
                self.triggers.again(state, own, self.world.frame + 1, self._since[state.row])

    def _emit(self, state: ActorState, emitter: Emitter, own: list[str], wanted: list[str]) -> list[ActorState]:
        """Some shots of a fan; `own` are the ids of the fan."""
        world, fan = self.world, emitter.fan
        stance = self.stance(state.row)
        aim = self.aim(state, emitter, stance)
        self.fired[state.row, emitter.name] = world.frame
        seed = world.recording.seed
        x, y = muzzle_of(emitter, stance, aim)
        whose = (state.row, state.id, state.side, emitter.name, True, emitter.moves_at_once, world.table.z[state.row])
        fresh: list[ActorState] = []
        shown: list[Birth] = []
        for name, (angle, velocity) in zip(own, fan_of(fan, aim, own, seed, (stance.vx, stance.vy)), strict=True):
            if wanted is not own and name not in wanted:
                continue
            if emitter.within is not None:
                # Each shot of a fan has its own place in the area.
                x0, y0, x1, y1 = emitter.within
                x, y = x0 + (x1 - x0) * draw(seed, name, "x"), y0 + (y1 - y0) * draw(seed, name, "y")
            birth = Birth(name, fan.kind, x, y, angle, velocity, *whose)
            born = appear(world, birth)
            if born is None:
                shown.append(birth)
            else:
                fresh.append(born)
                if emitter.moves_at_once:
                    world.move_at_once(born)
                # Without a limit nobody asks for the count.
                if emitter.limit is not None or emitter.limit_group is not None:
                    born.gun = gun = (state.row, emitter.counted_as)
                    world.guns[gun] = world.guns.get(gun, 0) + 1
        # A logged shot that moves at once is not at the muzzle in its first frame.
        if emitter.moves_at_once and shown:
            world.came_from(shown, is_drawn=emitter.within is not None)
        return fresh
