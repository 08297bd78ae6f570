"""A logged actor of a kind with a motion, and its shadow next to it."""

from __future__ import annotations

import math
from collections.abc import Generator, Iterator
from functools import cached_property
from typing import Protocol

import numpy as np
from msgspec import Struct

from voskar.core.arrays import distinct
from voskar.core.ledger.events import SpawnEvent
from voskar.core.rules import Fan, Kind
from voskar.core.world import Birth, VerbCall
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, Vector
from voskar.evidence.starts import Starts, fan_of

SURE = 2
"""A first velocity that only poses log is known once so many further poses agree with it."""
FAR = 1 << 60
TRIES = 8
"""After so many first velocities that no further pose agrees with, an actor is said to steer itself."""


class LoggedFlight(Struct, frozen=True, gc=False):
    """A recorded actor from pose to pose, `rows` (n,) of the recording, `times` (n,) their frames. Those in which it is
    frozen are left out, so its own time counts rows: its own frame is `first` at the first of them, and one more at
    each. `end` is the row of its last pose, frozen or not. `given`: its age is its own. `ends`: the rules end it after
    its last pose."""

    name: str
    kind: Kind
    rows: np.ndarray
    times: np.ndarray
    end: int
    source: SpawnEvent | None
    given: bool
    ends: bool

    @property
    def first(self) -> int:
        """The frame of its first pose, its own and the recording's."""
        return int(self.times[0])

    @property
    def own_last(self) -> int:
        """Its own frame of its last pose."""
        return self.first + len(self.rows) - 1

    def frame(self, own: int) -> int:
        """The recording's frame of an own one."""
        at = own - self.first
        return int(self.times[at]) if at < len(self.times) else int(self.times[-1]) + at - len(self.times) + 1

    def own(self, frame: int) -> int:
        """Its own frame in a frame of the recording: that of the last pose that is not frozen."""
        return self.first + int(np.searchsorted(self.times, frame, side="right")) - 1


class FlightLook(Protocol):
    """Data that all flights share: the recording and the rules, verbs for recorded actors, the space, the step in which
    places are logged, and the kinds whose start nothing describes."""

    held: Held
    starts: Starts
    spawned: frozenset[str]
    orders: dict[str, list[VerbCall]]
    alone: set[str]
    bounds: tuple[float, float, float, float]
    dt: float
    grain: float

    def is_free(self, kind: Kind, place: Vector, step: float) -> bool:
        """Whether one meets nothing within a step or two."""
        ...


class Beside:
    """A flight with its shadow. `known`: something told how it set off, or its poses agreed with a first velocity.
    `has_age`: its first pose is that of its first frame. `counts`: it has been followed from
    there, with all its bounces."""

    def __init__(self, look: FlightLook, flight: LoggedFlight) -> None:
        self.look, self.flight, self.shadow = look, flight, look.held.shadow
        self.tolerance = look.held.tolerance_of(flight.name)
        poses, rows, motion = look.held.recording.poses, flight.rows, flight.kind.motion
        self.x, self.y = poses.x[rows], poses.y[rows]
        self.wraps = look.held.rules.space.bounds is not None and motion.at_edge == "wrap"
        fall = motion.gravity * look.held.rules.space.gravity
        # a game may add its acceleration behind the move, and so is a step of it behind in each frame
        self.lag = (math.hypot(*motion.acceleration) + abs(fall)) * look.dt * look.dt
        # an actor that nothing fired may have been there before
        known = flight.source is not None or flight.kind.name not in look.spawned
        self.known, self.has_age = False, known and not flight.given
        self.parted: list[tuple[int, Vector]] = []
        """Own frames in which it leaves its path, and where it should be."""
        self.base, self.more = 0, self.lag
        self.sure, self.counts = False, True
        self.tries, self.put = 0, -FAR

    @cached_property
    def grain(self) -> float:
        """By how much a step may have been rounded; what goes in steps of one length has not been."""
        steps = (distinct(np.abs(np.diff(column)).round(9)) for column in (self.x, self.y))
        return 0.0 if all(np.count_nonzero(own) < 2 for own in steps) else self.look.grain

    def place(self, at: int) -> Vector:
        """Where the game shows it."""
        return float(self.x[at]), float(self.y[at])

    def way(self) -> Iterator[Finding]:
        """The distance from its shadow, from its first pose to its last."""
        at = self._set_off()
        if at is None:
            self.look.alone.add(self.flight.kind.name)
            # how it flies is its own; so a cut may be where it appears again
            cut = self.look.held.recording.poses.cut[self.flight.rows[1:]]
            self.has_age = self.has_age and not bool(cut.any())
            return
        ended = yield from self._follow(at)
        if self.parted:
            frame, goal = self.parted[0]
            x, y = self.place(frame - self.flight.first)
            frame = self.flight.frame(frame)
            text = f"leaves its path in {frame}: at ({x:.1f}, {y:.1f}), {math.dist((x, y), goal):.1f} units off"
            if len(self.parted) > 1:
                text += f"; again in {self.flight.frame(self.parted[1][0])}" + (", …" if len(self.parted) > 2 else "")
            rule = f"at ({goal[0]:.1f}, {goal[1]:.1f}), from its first pose in {self.flight.first} on"
            yield of_actor("path", frame, self.flight.name, text, rule)
        if not ended and not self.sure:
            self.known = False

    def leaves(self, frames: int) -> bool:
        """Whether its shadow is no longer there after so many more frames; a frame before a solid takes it, it may be
        at its surface already. The number of bounces is not known if its age is not, or if it was derived again."""
        may_end = not (self.has_age and self.counts) and self.flight.kind.motion.bounces is not None
        for _ in range(frames):
            if self.shadow.gone:
                return True
            self.shadow.step()
            if may_end and self.shadow.turned == self.shadow.frame:
                return True
        near = math.dist(self.place(-1), self.shadow.place) <= self.tolerance
        return self.shadow.gone == "edge" or (self.shadow.gone == "solid" and near)

    def _set_off(self) -> int | None:
        """The shadow stands where the game shows it first; the next place to compare, or None if nothing says how it
        flies."""
        look, flight, kind = self.look, self.flight, self.flight.kind
        motion = kind.motion
        birth = look.held.births.get((flight.source.frame, flight.source.id)) if flight.source is not None else None
        fan = fan_of(look.held, flight.source) if flight.source is not None else None
        if birth is not None and fan is not None and fan.is_drawn:
            return self._drawn(birth, fan)
        # the velocity depends on its owner's, which a hit may have changed in this very frame
        if flight.source is not None and look.starts.is_open(flight.source):
            return self._derive(0)
        # the rules have no direction of their own: the game's facing turns the velocity
        facing = float(look.held.recording.poses.facing[flight.rows[0]])
        if birth is None and not flight.given and any(motion.velocity):
            velocity = motion.velocity[0] * facing, motion.velocity[1]
            birth = self._born(0, velocity)
        if birth is None:
            moves = any(motion.velocity) or any(motion.acceleration) or motion.gravity or motion.drag
            return self._derive(0) if moves or kind.name in look.spawned else None
        self.known = self.sure = True
        # a game that moves shots as they appear shows the first place behind one move
        self.shadow.enter(flight.first, birth, moves=birth.moves_at_once)
        if self.shadow.gone:
            return self._derive(0)
        self.shadow.put(*self.place(0))
        return 1

    def _born(self, at: int, velocity: Vector) -> Birth:
        """A shadow that starts at a pose of the game."""
        poses, row = self.look.held.recording.poses, self.flight.rows[at]
        return Birth(self.flight.name, self.flight.kind.name, *self.place(at), float(poses.angle[row]), velocity)

    def _drawn(self, birth: Birth, fan: Fan) -> int:
        """The game draws how its shots set off: as the velocity that it logs, or the first step. The next place to
        compare."""
        poses, row, motion = self.look.held.recording.poses, self.flight.rows[0], self.flight.kind.motion
        way, logs = (float(poses.vx[row]), float(poses.vy[row])), self._logs_velocity
        if not logs:
            way = self._step(1) if len(self.flight.rows) > 1 else (0.0, 0.0)
        # only a free first step is a straight line: what it meets bends the step, not the velocity
        straight = (
            motion.is_even
            and not fan.inherit
            and any(way)
            and self.look.is_free(self.flight.kind, self.place(0), math.hypot(*way))
        )
        # its first move may have used up a bounce
        met = birth.moves_at_once and not self.look.is_free(self.flight.kind, (birth.x, birth.y), math.hypot(*way))
        if not (logs or straight) or (met and motion.bounces is not None):
            return self._derive(0)
        if straight:  # then its speed is that of the rules
            own, (least, most) = math.hypot(*way), fan.speeds
            pace = own if logs else own / self.look.dt
            speed = min(max(pace, least), most) if least != most else math.hypot(*(birth.velocity or (0.0, 0.0)))
            way = way[0] * speed / own, way[1] * speed / own
        self.known = self.sure = True
        self._enter(0, way)
        return 1

    def _step(self, at: int) -> Vector:
        """From one place to the next."""
        dx, dy = self.x[at] - self.x[at - 1], self.y[at] - self.y[at - 1]
        if self.wraps:
            dx, dy = self.look.held.shorter(dx, dy)
        return float(dx), float(dy)

    def _derive(self, at: int) -> int:
        """The shadow continues from a place with the velocity that the game logs, or that leads to the next one. The
        next place to compare."""
        poses, rows = self.look.held.recording.poses, self.flight.rows
        self.sure, self.counts, self.more = False, False, self.lag + self.grain
        vx, vy = float(poses.vx[rows[at]]), float(poses.vy[rows[at]])
        # a pose without velocity: the step to the next one is it
        if math.isnan(vx) or math.isnan(vy):
            at += 1
            if at >= len(rows):
                return at
            vx, vy = (way / self.look.dt for way in self._step(at))
        self._enter(at, (vx, vy))
        return at + 1

    def _enter(self, at: int, velocity: Vector) -> None:
        poses, row = self.look.held.recording.poses, self.flight.rows[at]
        facing, scale = float(poses.facing[row]), float(poses.scale[row])
        self.shadow.enter(self.flight.first + at, self._born(at, velocity), facing=facing, scale=scale)
        self.base = at

    @property
    def _logs_velocity(self) -> bool:
        """Whether the game logs a velocity with its first pose."""
        poses, row = self.look.held.recording.poses, self.flight.rows[0]
        return not (math.isnan(poses.vx[row]) or math.isnan(poses.vy[row]))

    def _follow(self, at: int) -> Generator[Finding, None, bool]:
        """From place to place; True if the shadow is gone before the last."""
        # verbs that the rules applied to it, such as a reflection or a push, apply to its shadow, too
        look, flight, shadow, count = self.look, self.flight, self.shadow, len(self.flight.rows)
        orders = [
            (flight.own(order.frame), order)
            for order in look.orders.get(flight.name, ())
            if flight.first <= order.frame < flight.times[-1]
        ]
        while at < count:
            # orders of frames that the shadow left behind were said before it set off again
            while orders and orders[0][0] < shadow.frame:
                del orders[0]
            while orders and orders[0][0] == shadow.frame:
                own, order = orders.pop(0)
                if order.verb == "reflect" and own == flight.first and not self._logs_velocity:
                    at = self._derive(0)  # its velocity is not known before it has moved
                    continue
                shadow.obey(order)
                self.more = self.lag + self.grain
            stop = min([own - flight.first + 1 for own, _ in orders[:1]], default=count)
            slack = self.tolerance + self.more * (at - self.base)
            at = shadow.follow(self.x[:stop], self.y[:stop], at, slack, self.more)
            # some places agree: it does not steer itself, so any later difference is a finding
            if not self.sure and at - self.base > SURE:
                self.known = self.sure = True
            if at == stop:
                continue
            slack = self.tolerance + self.more * (at - self.base)
            if shadow.gone and self.sure:
                yield from self._goes_on(at, slack)
                if shadow.gone:
                    return True
                at += 1
            else:
                at = self._try_again(at) if shadow.gone else self._part(at, slack)
        return False

    def _part(self, at: int, slack: float) -> int:
        """A place that the shadow is not at; the next one to compare."""
        flight, shadow, count = self.flight, self.shadow, len(self.flight.rows)
        (x, y), goal = self.place(at), shadow.place
        dx, dy = x - goal[0], y - goal[1]
        if self.wraps:
            dx, dy = self.look.held.shorter(dx, dy)
        # right behind a bounce it may be ahead or behind by a step, since the game decides where in a frame it bounces
        if shadow.turned >= shadow.frame - 1 and at > self.put + 2:
            self.put = at
            slack += self._turning()
        if math.hypot(dx, dy) <= slack:
            if not self.sure:
                return self._derive(at)  # what it met was in the step that gave its velocity
            shadow.put(x, y)
            self.base = at
            return at + 1
        # a cut puts it elsewhere, with any velocity
        if self.look.held.recording.poses.cut[flight.rows[at]]:
            self.has_age = False
            return self._derive(at)
        if not self.sure:
            return self._try_again(at)
        self.parted.append((flight.first + at, goal))
        # a place that is off once, and right again, is a difference of one frame; else its path is another one from
        # there on
        if at + 1 < count and shadow.follow(self.x[: at + 2], self.y[: at + 2], at + 1, slack, 0.0) == at + 2:
            return at + 2
        return self._derive(at)

    def _turning(self) -> float:
        """Units by which it may be ahead or behind where it meets something: where in a frame it does is the game's."""
        return math.hypot(*self.shadow.velocity) * self.look.dt

    def _try_again(self, at: int) -> int:
        """No pose agreed with a first velocity: it may have met something just then."""
        self.tries += 1
        if self.tries > TRIES:
            # it steers itself, as homing shots of games do: its path cannot be compared
            self.look.alone.add(self.flight.kind.name)
            self.known = False
            return len(self.flight.rows)
        return self._derive(at)

    def _goes_on(self, at: int, slack: float) -> Iterator[Finding]:
        """It is there though its shadow is gone; it may not have been at the edge yet."""
        look, flight, shadow, motion = self.look, self.flight, self.shadow, self.flight.kind.motion
        x, y = self.x[at:], self.y[at:]
        x0, y0, x1, y1 = look.bounds
        far = np.maximum.reduce([x0 - x, y0 - y, x - x1, y - y1])
        tolerance, within = self.tolerance, look.held.within("removed")
        if shadow.gone == "edge":
            # a step early or late at an edge is rounding, not a shot that flies on
            if far[0] <= tolerance and math.dist(self.place(at), shadow.place) <= slack:
                self._enter(at, shadow.velocity)
                return
            out = np.flatnonzero(far > tolerance)
            if len(out) > within:
                frame = flight.frame(flight.first + at + int(out[0]))
                text = f"is {float(far[out].max()):.1f} units outside the bounds, first in {frame}"
                yield of_actor("outside", frame, flight.name, text, f'at_edge = "{motion.at_edge}"')
            elif len(far) > within and not self.parted:
                text = f"goes on behind an edge, at ({x[0]:.1f}, {y[0]:.1f})"
                frame = flight.frame(shadow.frame)
                rule = f'gone by {frame}: at_edge = "{motion.at_edge}"'
                yield of_actor("path", frame, flight.name, text, rule)
        elif math.dist(self.place(at), shadow.place) > slack + self._turning():
            self.parted.append((flight.first + at, shadow.place))
        elif len(x) - 1 > within and not self.parted:
            frame = flight.frame(shadow.frame + 1)
            text = f"goes on behind a solid, at ({x[1]:.1f}, {y[1]:.1f}) in {frame}"
            rule = f'gone behind {flight.frame(shadow.frame)}: on_solid = "{motion.on_solid}"'
            yield of_actor("path", frame, flight.name, text, rule)
