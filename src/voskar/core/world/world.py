"""The world: the actors, their states, and the few verbs that change them.

The numbers that the kernel reads and moves are columns by row (`table`); what the rules know of an actor is an
`ActorState`. An actor's row is its one number, for as long as it is there and anything of its own is.
Judge, consequences and lifecycle change the world at once, through the verbs here; what moves shows in the next frame.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import takewhile
from typing import Any

from voskar.core.kernel.storage import FOREVER
from voskar.core.recording.inputs import Vector
from voskar.core.rules import Fixture, Knockback, Motion
from voskar.core.world.asked import Asked
from voskar.core.world.state import NEVER, ActorState, Birth, Origins, Reflection, Regenerating, VerbCall

STILL = Motion()


class World(Asked):
    """The world of a replay."""

    # verbs: what moves

    def push(self, state: ActorState, knockback: Knockback, dx: float, dy: float) -> None:
        """Begins a knockback in the next frame. It does not move an actor that is sent home or down."""
        row = state.row
        if not (self.raw or state.driven):
            self._say(state, "push", knockback, dx, dy)
            return
        if (state.down is not None and not state.kind.down.keeps_push) or self.table.homing[row]:
            return
        pushes, fades = self.kernel.pushes, knockback.ease == "fade"
        if knockback.mode == "set":
            pushes.stop(row)
        pushes.reserve(pushes.count + 1)
        bounces = knockback.bounce_times if knockback.bounces else 0
        pushes.add(row, self.now(state) + 1, knockback.over, fades, dx, dy, bounces, knockback.bounces)

    def send(self, state: ActorState, vx: float, vy: float) -> None:
        """A driven actor has another velocity from the next frame on."""
        if state.driven and state.down is None:
            table, row = self.table, state.row
            table.sent[row], table.sent_vx[row], table.sent_vy[row] = 1, vx, vy
        self._say(state, "send", vx, vy)

    def send_home(self, state: ActorState) -> Vector:
        """It is at its start in the next frame, and no push of this one or before moves it. Where that is."""
        x, y = self.start(state.row)
        if self.raw or state.driven:
            self.kernel.pushes.stop(state.row)
            if not state.driven:
                self.table.home_x[state.row], self.table.home_y[state.row] = x, y
            self.table.homing[state.row] = 1
        self._say(state, "send_home")
        return x, y

    def reflect(self, state: ActorState, vx: float, vy: float) -> None:
        """A driven actor goes another way from the next frame on, turned as its way is, for a whole life."""
        table, row, life = self.table, state.row, state.kind.motion.life
        if state.driven:
            was = self.velocity(row)
            self.send(state, vx, vy)
            table.turns[row] += math.degrees(math.atan2(vy, vx) - math.atan2(was[1], was[0])) if any(was) else 0.0
            table.expires[row] = FOREVER if life is None else self.now(state) + 1 + life
        self._say(state, "reflect", vx, vy)

    def hand_over(self, state: ActorState, to: Reflection) -> None:
        """A shot belongs to another one."""
        table, row = self.table, state.row
        self.hold_row(to.owner_row)
        if state.driven or state.origins is not None:
            self.drop_row(table.owner[row])
        if state.origins is None:
            state.origins = Origins(state.owner, table.owner[row], state.side)
            begins = self.frame + (row == to.heir)
            again = None if state.driven else self.recording.appears_after(row, begins)
            if again is not None:
                self.run.given_back.setdefault(again, []).append(row)
                self.visit(again)
        table.owner[row], state.owner, state.side, state.layers = to.owner_row, to.owner, to.side, to.rule
        if state.gun is not None:
            self.guns[state.gun] -= 1
            state.gun = None

    def step_aside(self, state: ActorState) -> None:
        """A recorded shot continues as another one: it is out of play until it appears again."""
        self.table.away_until[state.row] = self.recording.returns(state.row, self.frame)
        self.table.played[state.row] = NEVER

    def give_back(self, state: ActorState) -> None:
        """A recorded shot is as at the start. If it was consumed, no freeze of before goes on."""
        if state.gone_until == self.frame:
            self._thaw(state, self.run.frozen_until)
        if state.origins is not None:
            self.drop_row(self.table.owner[state.row])
            state.owner, self.table.owner[state.row], state.side = state.origins
            state.origins = state.layers = None

    def renew(self, state: ActorState) -> None:
        """A recorded actor becomes another one: not frozen, not pushed, and in play."""
        table, row = self.table, state.row
        self.give_back(state)
        self.stop_pushes(state)
        table.away_until[row] = table.disarmed_until[row] = table.played[row] = NEVER
        table.offset_x[row] = table.offset_y[row] = 0.0
        table.homing[row] = 0
        self.origins[row] = self.frame, (table.x[row], table.y[row])
        self._thaw(state, self.run.frozen_until)

    def _say(self, state: ActorState, verb: str, *arguments: Any) -> None:
        """An actor of a kind with a motion shows by itself what this verb would do to a driven one."""
        if not (self.raw or state.driven) and state.kind.motion != STILL:
            self.orders.append(VerbCall(self.frame, state.id, verb, arguments))

    def bring_home(self, state: ActorState) -> Vector:
        """It is at its start in this frame, before anything touches. Where that is."""
        x, y = self.start(state.row)
        table, row = self.table, state.row
        if not (self.raw or state.driven):
            return x, y
        self.kernel.pushes.stop(row)
        if not state.driven and not self.is_present(row):
            table.home_x[row], table.home_y[row], table.homing[row] = x, y, 1
        elif not state.driven:
            table.past[row] = 0
            self._shift_to(row, x, y)
        else:
            self._restart(row, x, y)
        return x, y

    def put(self, state: ActorState, x: float, y: float) -> None:
        """A recorded actor's pose of this frame has no past; in a raw recording it is at this place."""
        self.jump(state)
        if self.raw:
            self._shift_to(state.row, x, y)

    def _shift_to(self, row: int, x: float, y: float) -> None:
        """Puts a recorded actor elsewhere, from this frame on."""
        table = self.table
        pose = table.pose[row]
        table.offset_x[row], table.offset_y[row] = x - self._log_x[pose], y - self._log_y[pose]
        table.x[row], table.y[row], table.homing[row] = x, y, 0

    def jump(self, state: ActorState) -> None:
        """Forgets an actor's past: no way leads into this frame."""
        self.table.past[state.row] = self.table.flows[state.row] = 0

    def _restart(self, row: int, x: float, y: float) -> None:
        """A driven actor is at a place, with its first velocity and facing."""
        table = self.table
        table.x[row], table.y[row] = x, y
        table.vx[row], table.vy[row] = table.home_vx[row], table.home_vy[row]
        table.facing[row] = table.home_facing[row]
        table.past[row] = table.homing[row] = table.sent[row] = 0
        table.turns[row] = 0.0
        self.placing.turn(row)

    def stop_pushes(self, state: ActorState) -> None:
        """No push moves it any more."""
        self.kernel.pushes.stop(state.row)

    # verbs: the actors that are there

    def look_at(self, frame: int, row: int) -> None:
        """Time alone may change in a frame by what conditions the boxes of an actor are open."""
        self.visit(frame)
        if self.catalog.conditions:
            self.run.looks.setdefault(frame, set()).add(row)

    def consume(self, state: ActorState) -> None:
        """Out of play from the next frame on; a recorded one until the recording has been without it for a frame."""
        state.consumed = self.frame
        state.gone_until = FOREVER if state.driven else self.recording.returns(state.row, self.frame)
        self.table.away_until[state.row] = max(state.gone_until, self.table.away_until[state.row])  # it may be down
        self.table.played[state.row] = NEVER  # an actor that is back in the next frame has no way behind it
        if self.freezes and state.gone_until < FOREVER:  # it is another one then
            self.run.given_back.setdefault(state.gone_until, []).append(state.row)
            self.visit(state.gone_until)
        self.settling.add(state.row)

    def take_out(self, state: ActorState) -> None:
        """Out of play from the next frame on, until it is let in again."""
        self.table.away_until[state.row] = FOREVER

    def let_in(self, state: ActorState) -> None:
        """In play from this frame on, and neither stunned nor frozen."""
        self.table.away_until[state.row] = self.table.disarmed_until[state.row] = NEVER
        self._thaw(state, NEVER)

    def _thaw(self, state: ActorState, until: int) -> None:
        """Frozen from this frame on only through another."""
        table, row = self.table, state.row
        left = table.frozen_until[row] - max(until, self.frame - 1)
        if left > 0 and state.regens:  # its counters were to continue later by these frames, too
            state.regens = {
                name: Regenerating(regenerating.value, regenerating.since - left, regenerating.done)
                for name, regenerating in state.regens.items()
            }
        table.frozen_since[row], table.frozen_until[row] = self.frame, until

    def disarm(self, state: ActorState, until: int) -> None:
        """Its hitboxes are closed from the next frame through another."""
        self.table.disarmed_until[state.row] = until

    def lay_down(self, state: ActorState, until: int, gone: int) -> None:
        """A driven actor that is down moves as its kind says, is seen until a frame, and is gone after another; one
        that returns stays."""
        table, row, down = self.table, state.row, state.kind.down
        table.motion[row] = 2 * table.kind[row] + 1
        table.returns[row] = state.returns
        table.ends[row] = FOREVER if state.returns else gone
        table.hides[row] = self.frame + 1 if down.hide else until + 1
        if down.motion is None:
            table.vx[row] = table.vy[row] = 0.0
            table.sent[row], table.fixed[row] = 0, 1
        if not state.returns:
            self.run.ends.setdefault(gone, []).append(row)
            self.visit(gone)

    def first_cell(self, row: int) -> int:
        """The cell that a driven actor shows first."""
        return self._clip_table.cell_of(self.table.kind[row], self.table.clip[row], 0)

    def stand_up(self, state: ActorState, x: float, y: float) -> None:
        """A driven actor that was down is in play again, as at first but for its life."""
        table, row = self.table, state.row
        table.angle[row] = table.home_angle[row]
        table.motion[row] = 2 * table.kind[row]
        table.bounces[row] = self.motions.bounces[table.motion[row]]
        table.since[row] = self.frame
        table.tick[row] = table.hidden[row] = table.returns[row] = table.fixed[row] = 0
        table.cell[row] = self.first_cell(row)
        table.ends[row] = table.hides[row] = FOREVER
        self._restart(row, x, y)

    def hold_row(self, row: int) -> None:
        """Something refers to a driven actor's row: it is not given to another."""
        if row >= 0:
            self._refs[row] += 1

    def drop_row(self, row: int) -> None:
        """It does no more."""
        if row >= 0:
            self._refs[row] -= 1
            if not self._refs[row] and self.actors[row] is None:
                self._release(row)

    def _release(self, row: int) -> None:
        self._free.append(row)
        owner = self.table.owner[row]
        if owner >= 0:
            self.table.owner[row] = -1
            self.drop_row(owner)

    def _new_row(self) -> int:
        row = len(self.actors)
        self.actors.append(None)
        self._refs.append(0)
        if row >= self.table.capacity:
            self.table.grow(2 * row)
            self._reserve()
        return row

    def enter(self, birth: Birth, facing: float = 1.0) -> ActorState:
        """A driven actor appears in this frame; it first moves in the next."""
        kind, text, number, clip, life = self._entering[birth.kind]
        if birth.id in self.fixtures:
            row = self.fixture_row[birth.id]
        else:
            row = self._free.pop() if self._free else self._new_row()
        state = ActorState(row, birth.id, kind, kind.side or birth.side, birth.owner, True, kind.health, kind.lives)
        run = self.run
        if run.ghosts:
            run.ghosts.pop(birth.id, None)
        self.entered += 1
        state.serial = self.entered
        self.actors[row] = state
        self.rows[birth.id] = row
        vx, vy = kind.motion.velocity if birth.velocity is None else birth.velocity
        owner = self.table.owner[row] = birth.owner_row
        self.hold_row(owner)
        self.kernel.enter(
            self.frame, row, number, clip, life, birth.spawned, birth.x, birth.y, vx, vy, birth.angle, facing, birth.z
        )
        if self.freezes and run.frozen_until >= self.frame:
            table, extra = self.table, run.frozen_until - self.frame
            table.frozen_since[row], table.frozen_until[row] = self.frame, run.frozen_until
            table.since[row] += extra
            table.expires[row] += extra if life < FOREVER else 0
        run.seen_kinds.add(text)
        return state

    def move_at_once(self, state: ActorState) -> None:
        """An actor that has just entered makes its first move in this frame."""
        self.kernel.first_move(self.frame, state.row)
        self.table.before_opens[state.row] = -1  # a box that is open now was open at the muzzle

    def returned(self) -> set[str]:
        """Ids of actors that respawned in this frame: they are not new."""
        now = takewhile(lambda event: event.frame == self.frame, reversed(self.events))
        return {event.id or "" for event in now if event.event == "respawn"}

    def came_from(self, births: Sequence[Birth], *, is_drawn: bool = False) -> None:
        """The recorded shots that are these, as far as they appear in this frame, have made their first move: the frame
        before counts, with each at the muzzle, or one step back if the game has drawn the place, unless it is cut. Of
        several it is the one nearest to where that move leads."""
        fresh: dict[str, list[tuple[float, float, str, str | None, int]]] = {}
        for birth in births:
            known = fresh.get(birth.kind)
            if known is None:
                known = fresh[birth.kind] = self._fresh(birth.kind)
            self._came_from(birth, known, is_drawn)

    def _fresh(self, kind: str) -> list[tuple[float, float, str, str | None, int]]:
        """Place, id, owner and row of the recorded actors of a kind that appear in this frame."""
        table, number, back = self.table, self.catalog.kind_number[kind], self.returned()
        rows = (row for row in self.kernel.recorded() if table.kind[row] == number and not table.past[row])
        states = (self.state(row) for row in rows if self.is_in_play(row) and not self.is_cut(row))
        return [
            (table.x[state.row], table.y[state.row], state.id, state.owner, state.row)
            for state in states
            if state.id not in back
        ]

    def _came_from(self, birth: Birth, fresh: list[tuple[float, float, str, str | None, int]], is_drawn: bool) -> None:
        table, dt = self.table, 1.0 / self.rate
        vx, vy = birth.velocity or self.rules.kinds[birth.kind].motion.velocity
        x0, y0 = birth.x + vx * dt, birth.y + vy * dt
        found = [
            (round(math.hypot(x - x0, y - y0), 6), name, at)
            for at, (x, y, name, owner, _) in enumerate(fresh)
            if owner is None or owner == birth.owner
        ]
        if not found:
            return
        *_, row = fresh.pop(min(found)[2])  # each birth is the origin of one actor only
        x, y = (table.x[row] - vx * dt, table.y[row] - vy * dt) if is_drawn else (birth.x, birth.y)
        there = self.recording.pose_from(row, self.run_since)
        began = self.origins[row][0] if row in self.origins else None if there is None else there[1]
        if began == self.frame:
            self.origins[row] = self.frame, (x, y)
        over = self.over(table.x[row] - x, table.y[row] - y, row)
        table.past[row], table.before_x[row], table.before_y[row] = 1, x - over[0], y - over[1]
        table.before_opens[row] = -1
        if self.placing.boxes.any_wraps:
            table.near_x[row], table.near_y[row] = -over[0], -over[1]
        table.before_facing[row], table.before_clip[row] = table.facing[row], table.clip[row]
        table.before_cell[row], table.before_tick[row], table.before_pose[row] = (
            table.cell[row], table.tick[row], table.pose[row],
        )  # fmt: skip
        table.before_m00[row], table.before_m01[row] = table.m00[row], table.m01[row]
        table.before_m10[row], table.before_m11[row] = table.m10[row], table.m11[row]

    def discard(self, state: ActorState) -> None:
        """A driven actor is no more; what it owns continues with its counters."""
        row = state.row
        if state.counters:
            self.run.ghosts[state.id] = {name: self.counter_of(state, name) for name in state.counters}
            self.run.ghost_kinds[state.id] = state.kind
        self.kernel.discard(row)
        if self.run.due:
            self.run.due.pop(row, None)
        if self.run.poisons:  # its row may soon be another actor's
            self.run.cure(row)
        if self.settling:
            self.settling.discard(row)
        del self.rows[state.id]
        self.actors[row] = None
        if not self._refs[row]:
            self._release(row)

    def touch(self) -> None:
        """Finds the touches of this frame."""
        self.kernel.touch(self.frame)
        self.find_all()

    def find_all(self) -> None:
        """Makes room until all touches of this frame have been found."""
        while self.finder.overflow:
            self.finder.grow(2 * self.finder.room)
            self.finder.find()

    def probe(self, row: int) -> None:
        """Finds the touches of an actor that is not yet in play, at its present place."""
        self.kernel.probe(self.frame, row)
        self.find_all()

    def fixture_birth(self, fixture: Fixture) -> Birth:
        """The birth of a fixture."""
        velocity = fixture.velocity
        if velocity is None:
            own = self.rules.kinds[fixture.kind].motion.velocity
            velocity = own[0] * fixture.facing, own[1]
        return Birth(fixture.id, fixture.kind, *fixture.at, fixture.angle, velocity, spawned=False, z=fixture.z)
