"""A block of frames of emitters at work: what fires, what is denied, and how far that can be told ahead."""

from __future__ import annotations

import heapq
import math
from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from voskar.core.emitting import (
    Birth,
    Denial,
    Stance,
    aim_of,
    beats,
    clip_starts,
    draw,
    fan_of,
    input_frames,
    muzzle_of,
    tick_starts,
)
from voskar.core.gates import NEVER, Standing
from voskar.core.inputs import Vector
from voskar.core.lingering import velocities
from voskar.core.motion import Bodies, Paths
from voskar.core.placing import Cast
from voskar.core.plan import Gun
from voskar.core.recording import Poses
from voskar.core.rules import Kind
from voskar.core.rules_driven import Emitter, Target
from voskar.core.shapes import Floats, Ints

if TYPE_CHECKING:
    from voskar.core.driver import Driver

UNKNOWN = "not known yet"

Due = tuple[int, str, str, int]
"""When a trigger goes off: frame, owner's id, emitter's name, owner's number. In this order they fire."""


@dataclass(frozen=True, eq=False)
class Shown:
    """What a recording shows in a block: `poses` as they are judged and `logged` as they were logged, from the frame
    before the block on (`lead` rows), and who is in it."""

    poses: Poses
    logged: Poses
    lead: int
    cast: Cast


class Firing:
    """Plans the emitters of a block. `listed` gets births and denials by frame, `births` those that become bodies.

    `fire` returns the frame to stop before: the block's own, or an earlier one in which what fires hangs on
    something that was spawned in this very block, whose way is not known yet.
    """

    def __init__(
        self,
        driver: Driver,
        start: int,
        stop: int,
        shown: Shown,
        bodies: Bodies,
        ways: Paths,
        waiting: dict[int, Birth],
    ) -> None:
        self.driver, self.start, self.stop = driver, start, stop
        self.poses, self.logged, self.lead, self.cast = shown.poses, shown.logged, shown.lead, shown.cast
        self._waiting = waiting
        self._speeds: tuple[Floats, Floats] | None = None
        self.bodies, self.ways = bodies, ways
        self.listed: dict[int, list[tuple[Birth, int] | Denial]] = defaultdict(list)
        self.births: list[tuple[Birth, int]] = []
        self.bound: set[Gun] = set()
        """Emitters that a limit kept from firing: for them it matters if something of theirs goes early."""
        self._number = int(bodies.number.max(initial=driver.next_number - 1)) + 1
        self._row = {number: row for row, number in enumerate(bodies.number.tolist())}
        self._fired: dict[Gun, list[int]] = defaultdict(list)
        self._made: Counter[str] = Counter()
        self._held: dict[Gun, Ints] = {}
        self._queue: list[Due] = []
        self._emitters: dict[tuple[str, str], Emitter] = {}

    def fire(self) -> int:
        """Goes through all triggers in order."""
        for kind, emitter in self.driver.guns:
            self._emitters[kind.name, emitter.name] = emitter
            self._queue += self._due(kind, emitter)
        heapq.heapify(self._queue)
        while self._queue:
            due = heapq.heappop(self._queue)
            if due[0] >= self.stop:
                break
            if not self._pull(*due):
                self.stop = due[0]
                self._drop(due[0])
                break
        return self.stop

    def _drop(self, frame: int) -> None:
        """Takes back what was planned for a frame that will be planned anew."""
        self.listed.pop(frame, None)
        self.births = [one for one in self.births if one[0].frame < frame]

    def _due(self, kind: Kind, emitter: Emitter) -> Iterator[Due]:
        """Every time a trigger goes off in the block; of a held button only the first."""
        when = emitter.when
        recorded, first = self.driver.owners_of[kind.name]
        driven = np.flatnonzero(self.bodies.kind == self.driver.kind_numbers[kind.name])
        if when.on == "every":
            owners = np.concatenate([recorded, self.bodies.number[driven]])
            since = np.concatenate([first, self.bodies.played[driven]])
            for frame, row in beats(when, since, self.start, self.stop):
                number = int(owners[row])
                yield frame, self._who(number).id, emitter.name, number
        elif when.on == "clip":
            number = self.driver.kind_numbers[kind.name]
            for row in clip_starts(when, self.poses, self.lead, kind, number, self.cast, self.driver.wardrobe).tolist():
                owner = int(self.poses.actor[row])
                yield int(self.poses.frame[row]), self._who(owner).id, emitter.name, owner
            for body in driven.tolist():
                frames = np.arange(max(self.start, int(self.bodies.played[body])), self.stop)
                owner = int(self.bodies.number[body])
                for at in tick_starts(when, kind, frames - self.bodies.played[body], self.driver.wardrobe).tolist():
                    yield int(frames[at]), self._who(owner).id, emitter.name, owner
        else:
            inputs = self.driver.recording.inputs
            for name in inputs.who(when.name):
                owner_number = self.driver.number_of(name, kind.name)
                if owner_number is None:
                    continue
                frames = input_frames(when, name, inputs)
                low, high = np.searchsorted(frames, [self.start, self.stop])
                if when.on == "hold":
                    self._held[owner_number, emitter.name] = frames[:high]
                    high = min(low + 1, high)
                for frame in frames[low:high].tolist():
                    yield frame, name, emitter.name, owner_number

    def _pull(self, frame: int, name: str, emitter_name: str, number: int) -> bool:
        """Fires, or tells why not; False where that cannot be told yet."""
        emitter = self._emitters[self._who(number).kind, emitter_name]
        gun = (number, emitter_name)
        stance = self._stance(number, frame)
        reason = None if stance is None else self._reason(frame, gun, emitter, stance)
        if reason == UNKNOWN:
            return False
        if stance is not None and reason is None:
            aim = self._aim(frame, number, name, emitter, stance)
            if aim is None:
                return False
            self._shoot(frame, name, gun, emitter, stance, aim)
        elif stance is not None and emitter.when.on in ("press", "release", "clip"):
            self.listed[frame].append(Denial(frame, name, emitter_name, reason or ""))
        if emitter.when.on == "hold":
            ready = max(frame + 1, self._last(gun) + emitter.cooldown)
            held = self._held[gun]
            at = int(np.searchsorted(held, ready))
            if at < len(held):
                heapq.heappush(self._queue, (int(held[at]), name, emitter_name, number))
        return True

    def _who(self, number: int) -> Standing | Birth:
        """An actor by number: one that stands already, or one that appears in the first frame of the block."""
        standing = self.driver.judge.standings.get(number)
        return self._waiting[number] if standing is None else standing

    def _last(self, gun: Gun) -> int:
        """When an emitter fired last."""
        planned = self._fired.get(gun)
        return planned[-1] if planned else self.driver.fired.get(gun, NEVER)

    def _reason(self, frame: int, gun: Gun, emitter: Emitter, stance: Stance) -> str | None:
        """The first thing that keeps an emitter from firing."""
        standing = self.driver.judge.standings.get(gun[0])
        if stance.hidden:
            return "hidden"
        if standing is not None and standing.down is not None:
            return "down"
        if standing is not None and standing.spent is not None and frame < standing.gone_until:
            return "spent"
        if standing is not None and frame <= standing.stunned_until:
            return "stunned"
        if frame < self._last(gun) + emitter.cooldown:
            return "cooldown"
        if emitter.limit is None:
            return None
        room = emitter.limit - emitter.fan.count
        if emitter.fan.kind in self.driver.shown:
            return "limit" if self._recorded(emitter.fan.kind, gun[0], frame) > room else None
        known = sum(self._there(number, frame) for number in self.driver.own.get(gun, ()))
        unsure = len(self._fired.get(gun, ())) * emitter.fan.count
        if known + unsure <= room:
            return None
        self.bound.add(gun)
        return "limit" if known > room else UNKNOWN

    def _there(self, number: int, frame: int) -> bool:
        row = self._row.get(number)
        return row is not None and frame - self.ways.first < self.ways.end[row]

    def _recorded(self, kind: str, owner: int, frame: int) -> int:
        """How many recorded actors of a kind and owner are there that were there in the frame before: one that first
        appears in a frame is the one being fired."""
        low, middle, high = np.searchsorted(self.poses.frame, [frame - 1, frame, frame + 1])
        now, before = self.poses.actor[middle:high], self.poses.actor[low:middle]
        there = now[
            (self.cast.kind[now] == self.driver.kind_numbers[kind]) & (self.driver.casting.owners[now] == owner)
        ]
        return int(np.isin(there, before).sum())

    def _stance(self, number: int, frame: int) -> Stance | None:
        """Where an owner is in a frame, None if it is not there."""
        row = self._row.get(number)
        k = frame - self.ways.first
        if row is not None:
            ways, bodies = self.ways, self.bodies
            if not bodies.born[row] <= frame or k >= ways.end[row]:
                return None
            moving = (ways.x, ways.y, ways.facing, ways.angle, ways.vx, ways.vy)
            x, y, facing, angle, vx, vy = (float(column[k, row]) for column in moving)
            return Stance(x, y, facing, angle, 1.0, vx, vy, bool(bodies.hides[row] <= frame))
        low, high = np.searchsorted(self.poses.frame, [frame, frame + 1])
        found = np.flatnonzero(self.poses.actor[low:high] == number)
        if not len(found):
            return None
        at = int(low + found[0])
        columns = (self.poses.x, self.poses.y, self.poses.facing, self.poses.angle, self.poses.scale)
        x, y, facing, angle, scale = (float(column[at]) for column in columns)
        vx, vy = (float(speed[at]) for speed in self._velocities())
        return Stance(x, y, facing, angle, scale, vx, vy, bool(self.poses.hidden[at]))

    def _velocities(self) -> tuple[Floats, Floats]:
        if self._speeds is None:
            self._speeds = velocities(self.logged, float(self.driver.rules.rate))
        return self._speeds

    def _aim(self, frame: int, number: int, name: str, emitter: Emitter, stance: Stance) -> float | None:
        """The centre of the fan in degrees, None where it hangs on what was spawned earlier in this block."""
        if isinstance(emitter.aim, Target):
            kind = emitter.aim.kind
            if any(birth.kind == kind and birth.frame < frame for birth, _ in self.births):
                return None
        button = emitter.when.name if emitter.when.on in ("press", "release", "hold") else None
        inputs = self.driver.recording.inputs
        return aim_of(
            emitter,
            stance,
            lambda: inputs.aim_of(frame, name, button),
            lambda origin, kind: self._nearest(frame, number, origin, kind),
        )

    def _nearest(self, frame: int, number: int, origin: Vector, kind: str) -> Vector | None:
        """The nearest other actor of a kind in play; of equals the first by id."""
        judge, wanted = self.driver.judge, self.driver.kind_numbers[kind]
        found: list[tuple[float, str, Vector]] = []

        def add(name: str, x: float, y: float) -> None:
            found.append((math.hypot(x - origin[0], y - origin[1]), name, (x, y)))

        low, high = np.searchsorted(self.poses.frame, [frame, frame + 1])
        for row in range(int(low), int(high)):
            actor = int(self.poses.actor[row])
            other = self.cast.kind[actor] == wanted and actor != number and not self.poses.hidden[row]
            if other and judge.in_play(judge.standings[actor], frame):
                add(self._who(actor).id, float(self.poses.x[row]), float(self.poses.y[row]))
        k = frame - self.ways.first
        for row in np.flatnonzero(self.bodies.kind == wanted).tolist():
            actor = int(self.bodies.number[row])
            standing = judge.standings.get(actor)
            there = self.bodies.born[row] <= frame and k < self.ways.end[row] and self.bodies.hides[row] > frame
            if actor != number and there and (standing is None or judge.in_play(standing, frame)):
                name = self._who(actor).id
                add(name, float(self.ways.x[k, row]), float(self.ways.y[k, row]))
        for birth, _ in self.births:
            if birth.kind == kind and birth.frame == frame:
                add(birth.id, birth.x, birth.y)
        return min(found)[2] if found else None

    def _shoot(self, frame: int, name: str, gun: Gun, emitter: Emitter, stance: Stance, aim: float) -> None:
        """One fan."""
        driver, fan = self.driver, emitter.fan
        prefix = f"{name}/{emitter.name}"
        made = driver.made[prefix] + self._made[prefix]
        names = [f"{prefix}-{made + index + 1}" for index in range(fan.count)]
        self._made[prefix] += fan.count
        self._fired[gun].append(frame)
        expected = fan.kind in driver.shown
        side = driver.rules.kinds[fan.kind].side or self._who(gun[0]).side
        seed = driver.recording.seed
        for one, (angle, velocity) in zip(names, fan_of(fan, aim, names, seed, (stance.vx, stance.vy)), strict=True):
            x, y = muzzle_of(emitter, stance, aim)
            if emitter.within is not None:
                x0, y0, x1, y1 = emitter.within
                x, y = x0 + (x1 - x0) * draw(seed, one, "x"), y0 + (y1 - y0) * draw(seed, one, "y")
            birth = Birth(
                frame, one, fan.kind, x, y, angle, velocity, gun[0], name, side, emitter.name, expected=expected
            )
            self.listed[frame].append((birth, self._number))
            if expected:
                continue
            self.births.append((birth, self._number))
            self._number += 1
            if driver.rules.kinds[fan.kind].emitters:
                self.stop = min(self.stop, frame + 1)  # what it fires itself waits for the next block
