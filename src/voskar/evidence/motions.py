"""Recorded actors of kinds with a motion, beside their shadows: the way they go, where it ends, and how long it is."""

from __future__ import annotations

import math
from collections.abc import Collection, Generator, Iterator, Mapping
from functools import cached_property
from typing import NamedTuple

import numpy as np
from msgspec import Struct

from voskar.core.ledger.events import SpawnEvent
from voskar.core.rules import Emitter, Kind, Motion
from voskar.core.world import Birth, SaidVerb
from voskar.evidence.emissions import spawned_kinds
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, Vector
from voskar.evidence.starts import DEGREES, Starts, emitter_of

SURE = 2
"""A first velocity that only poses tell is known once so many further poses agree with it."""
FAR = 1 << 60
TRIES = 8
"""After so many first velocities that no further pose agrees with, an actor is said to steer itself."""


class Motions(NamedTuple):
    """What does not go as it should, the kinds of which nothing tells how they set off, and the ids of those of whom
    the whole way was compared."""

    findings: tuple[Finding, ...] = ()
    alone: tuple[str, ...] = ()
    compared: Collection[str] = ()


class _Flight(Struct, frozen=True, gc=False):
    """A recorded actor from pose to pose, `rows` (n,) of the recording. `given`: its age is its own. `ends`: the rules
    end it after the last of them."""

    name: str
    kind: Kind
    rows: np.ndarray
    first: int
    source: SpawnEvent | None
    given: bool
    ends: bool

    @property
    def last(self) -> int:
        """The frame of its last pose."""
        return self.first + len(self.rows) - 1


def motions(held: Held, sources: Mapping[int, SpawnEvent]) -> Motions:
    """`sources` are the foretold spawns that appearances were matched with, by their rows."""
    if held.recording.reactions == "raw":
        return Motions()
    moving = {name for name, kind in held.rules.kinds.items() if kind.motion != Motion()}
    actors = [number for number, one in enumerate(held.recording.actors) if one.kind in moving]
    if not actors:
        return Motions()
    look = _Flights(held)
    found = [one for flight in _flights(held, sources, actors) for one in look.at(flight)]
    return Motions(tuple(found), tuple(sorted(look.alone)), look.compared - look.guessed)


def _flights(held: Held, sources: Mapping[int, SpawnEvent], actors: list[int]) -> Iterator[_Flight]:
    """The poses of those actors, parted where one is away, appears or comes back, and where all begins anew."""
    recording, poses = held.recording, held.recording.poses
    chosen = np.zeros(len(recording.actors), dtype=np.bool_)
    chosen[actors] = True
    rows = poses.by_actor
    rows = rows[chosen[poses.actor[rows]] & ~poses.hidden[rows] & ~poses.lingering[rows]]
    before, shot = poses.previous[rows], np.isin(rows, np.array(list(sources), dtype=np.int64))
    anew = np.isin(poses.frame[rows], [recording.first, *recording.resets]) | np.isin(rows, _comes_back(held))
    begins = np.flatnonzero((before < 0) | poses.hidden[before] | shot | anew)
    given = (~shot & ((before >= 0) | anew))[begins].tolist()
    for some, known in zip(np.split(rows, begins[1:]), given, strict=True):
        actor = recording.actors[poses.actor[some[0]]]
        first, count = int(poses.frame[some[0]]), len(some)
        ends = [event.frame - first + 1 for event in held.ledger.about(actor.id, "down", "removed")]
        count = min([end for end in ends if 0 < end <= count], default=count)
        if recording.logs("spawn", actor.id):
            kind, source = held.rules.kinds[actor.kind], sources.get(int(some[0]))
            yield _Flight(actor.id, kind, some[:count], first, source, known, count in ends)


def _comes_back(held: Held) -> list[int]:
    """The rows in which somebody is in play again, or is sent home by a return in that very frame."""
    returns = held.ledger.of("respawn")
    frames = {event.frame for event in returns}
    homes = (event for event in held.ledger.of("home") if event.frame in frames)
    rows = (held.recording.row(event.id or "", event.frame) for event in (*returns, *homes))
    return [row for row in rows if row is not None]


class _Flights:
    """Looks at one flight after the other."""

    def __init__(self, held: Held) -> None:
        self.held, self.recording, self.rules = held, held.recording, held.rules
        self.spawned, self.starts = spawned_kinds(held.rules), Starts(held)
        self.alone: set[str] = set()
        self.compared: set[str] = set()
        self.guessed: set[str] = set()
        self.orders: dict[str, list[SaidVerb]] = {}
        for order in held.orders:
            if order.verb != "enter":
                self.orders.setdefault(order.id, []).append(order)
        self.claimed: dict[str, list[int]] = {}
        """By id the frames in which the game says that something ends it."""
        for claim in held.recording.claims:
            for name in {claim.id, claim.attacker, claim.target} - {None}:
                self.claimed.setdefault(name or "", []).append(claim.frame)
        self.dt = 1.0 / float(held.rules.rate)
        x0, y0, x1, y1 = held.rules.space.bounds or (-math.inf,) * 2 + (math.inf,) * 2
        self.bounds, self.across = (x0, y0, x1, y1), (x1 - x0, y1 - y0)
        self.grain = _grain(held)

    def shorter(self, dx: float, dy: float) -> Vector:
        """A way in a space where what leaves by one edge comes back by the other."""
        width, height = self.across
        return math.remainder(dx, width), math.remainder(dy, height)

    def at(self, flight: _Flight) -> Iterator[Finding]:
        """What does not go as it should in one flight."""
        beside = _Beside(self, flight)
        yield from beside.way()
        (self.compared if beside.known else self.guessed).add(flight.name)
        yield from self._life(flight, beside)
        if beside.known and not flight.ends:
            yield from self._spin(flight, beside)

    def _life(self, flight: _Flight, beside: _Beside) -> Iterator[Finding]:
        """How long it is there, and whether anything ends it."""
        held, kind, name, last = self.held, flight.kind, flight.name, flight.last
        within, life = held.within("removed"), flight.kind.motion.life
        due = None if life is None or not beside.has_age else flight.first + life - 1
        if due is not None and last > due + within:
            told = f"is there from {flight.first} to {last}, {last - due} frames too long"
            yield of_actor("life-long", due + 1, name, told, f"lives {life} frames, to {due}")
        elif due is not None and last >= due - max(within, kind.linger):
            return
        elif beside.known and not self._may_end(flight) and not beside.leaves(within + 1):
            if due is not None:
                told = f"is there from {flight.first} to {last}, {due - last} frames too short"
                yield of_actor("life-short", last + 1, name, told, f"lives {life} frames, to {due}")
            elif life is None:
                x, y = beside.place(-1)
                told = f"is gone in {last + 1}, last at ({x:.1f}, {y:.1f})"
                yield of_actor("vanished", last + 1, name, told, "goes on: no edge, solid, hit or life ends it")

    def _may_end(self, flight: _Flight) -> bool:
        """Whether anything but its motion and its life may take it away behind its last pose."""
        held, recording, last = self.held, self.recording, flight.last
        following = int(recording.poses.following[flight.rows[-1]])
        within = held.within("removed") + flight.kind.linger
        frames = [event.frame for event in held.ledger.about(flight.name, "removed", "down")]
        x, y = float(recording.poses.x[flight.rows[-1]]), float(recording.poses.y[flight.rows[-1]])
        x0, y0, x1, y1 = self.bounds
        return (
            flight.ends
            or last >= recording.last
            or not (x0 <= x <= x1 and y0 <= y <= y1)
            or (following >= 0 and not recording.poses.hidden[following])
            or not recording.logs("removed", flight.name)
            or bool(recording.scope.kinds)  # it may have met one of those
            or not held.restarts.isdisjoint((last, last + 1))
            or held.ended_before(last + 1) is not None
            or any(last - within <= frame <= last + 1 + within for frame in frames)
            or any(last - within <= frame <= last + 1 + within for frame in self.claimed.get(flight.name, ()))
        )

    def _spin(self, flight: _Flight, beside: _Beside) -> Iterator[Finding]:
        """Its angle, where the game logs one that changes."""
        shown = self.recording.poses.angle[flight.rows]
        if not flight.kind.motion.spin or not np.ptp(shown) or beside.parted or self.orders.get(flight.name):
            return
        angles = shown[0] + flight.kind.motion.spin * self.dt * np.arange(len(shown))
        apart = np.abs(np.remainder(shown - angles + 180.0, 360.0) - 180.0)
        for at in np.flatnonzero(apart > DEGREES)[:1].tolist():
            told = f"is turned by {shown[at]:.1f}° in {flight.first + at}, {apart[at]:.1f}° off"
            rule = f"spins by {flight.kind.motion.spin:g}° a second from {shown[0]:.1f}° in {flight.first} on"
            yield of_actor("path", flight.first + at, flight.name, told, rule)


def _grain(held: Held) -> float:
    """The step in which places are logged: 1, 0.1 … or nothing."""
    places = np.concatenate([held.recording.poses.x, held.recording.poses.y])
    for digits in range(5):
        if len(places) and bool(np.all(np.abs(np.round(places, digits) - places) < 1e-9)):
            return float(10.0**-digits)
    return 0.0


class _Beside:
    """A flight with its shadow. `known`: something told how it set off, or its poses agreed with a first velocity.
    `has_age`: its first pose is that of its first frame."""

    def __init__(self, look: _Flights, flight: _Flight) -> None:
        self.look, self.flight, self.shadow = look, flight, look.held.shadow
        poses, rows, motion = look.recording.poses, flight.rows, flight.kind.motion
        self.x, self.y = poses.x[rows], poses.y[rows]
        self.wraps = look.rules.space.bounds is not None and motion.at_edge == "wrap"
        fall = motion.gravity * look.rules.space.gravity
        # a game may add its acceleration behind the move, and so is a step of it behind in each frame
        self.lag = (math.hypot(*motion.acceleration) + abs(fall)) * look.dt * look.dt
        self.known, self.has_age = False, not flight.given
        self.parted: list[tuple[int, Vector]] = []
        """Frames in which it leaves its path, and where it should be."""
        self.base, self.more = 0, self.lag
        self.sure = False
        self.tries, self.put = 0, -FAR

    @cached_property
    def grain(self) -> float:
        """By how much a step may have been rounded; what goes in steps of one length has not been."""
        steps = (np.unique(np.abs(np.diff(column)).round(9)) for column in (self.x, self.y))
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
            cut = self.look.recording.poses.cut[self.flight.rows[1:]]
            self.has_age = self.has_age and not bool(cut.any())
            return
        ended = yield from self._follow(at)
        if self.parted:
            frame, goal = self.parted[0]
            x, y = self.place(frame - self.flight.first)
            told = f"leaves its path in {frame}: at ({x:.1f}, {y:.1f}), {math.dist((x, y), goal):.1f} units off"
            if len(self.parted) > 1:
                told += f"; again in {self.parted[1][0]}" + (", …" if len(self.parted) > 2 else "")
            rule = f"at ({goal[0]:.1f}, {goal[1]:.1f}), from its first pose in {self.flight.first} on"
            yield of_actor("path", frame, self.flight.name, told, rule)
        if not ended and not self.sure:
            self.known = False

    def leaves(self, frames: int) -> bool:
        """Whether its shadow is no longer there after so many more frames; a frame before a solid takes it, it may be
        at its surface already."""
        for _ in range(frames):
            if self.shadow.gone:
                return True
            self.shadow.step()
        near = math.dist(self.place(-1), self.shadow.place) <= self.look.held.tolerance
        return self.shadow.gone == "edge" or (self.shadow.gone == "solid" and near)

    def _set_off(self) -> int | None:
        """The shadow stands where the game shows it first; the next place to compare, or None if nothing tells how it
        flies."""
        look, flight, kind = self.look, self.flight, self.flight.kind
        motion = kind.motion
        birth = look.held.births.get((flight.source.frame, flight.source.id)) if flight.source is not None else None
        emitter = emitter_of(look.held, flight.source) if flight.source is not None else None
        if birth is not None and emitter is not None and emitter.fan.jitter:
            return self._drawn(birth, emitter)
        if flight.source is not None and look.starts.is_open(flight.source):
            return self._derive(0)
        facing = float(look.recording.poses.facing[flight.rows[0]])
        if birth is None and not flight.given and any(motion.velocity):
            velocity = motion.velocity[0] * facing, motion.velocity[1]
            birth = self._born(0, velocity)
        if birth is None:
            moves = any(motion.velocity) or any(motion.acceleration) or motion.gravity or motion.drag
            return self._derive(0) if moves or kind.name in look.spawned else None
        self.known = self.sure = True
        self.shadow.enter(flight.first, birth, moves=emitter is not None and emitter.moves_at_once)
        if self.shadow.gone:
            return self._derive(0)
        self.shadow.put(*self.place(0))
        return 1

    def _born(self, at: int, velocity: Vector) -> Birth:
        """One that is there at a pose of the game's."""
        poses, row = self.look.recording.poses, self.flight.rows[at]
        return Birth(self.flight.name, self.flight.kind.name, *self.place(at), float(poses.angle[row]), velocity)

    def _drawn(self, birth: Birth, emitter: Emitter) -> int:
        """The game draws the direction of its shots: that of the velocity that it logs, or of its first step. The next
        place to compare."""
        poses, row, motion = self.look.recording.poses, self.flight.rows[0], self.flight.kind.motion
        way = float(poses.vx[row]), float(poses.vy[row])
        logs = not (math.isnan(way[0]) or math.isnan(way[1]))
        if not logs:
            way = self._step(1) if len(self.flight.rows) > 1 else (0.0, 0.0)
        straight = motion.is_even and not emitter.fan.inherit and any(way) and self._is_free(math.hypot(*way))
        if not (logs or straight):
            return self._derive(0)
        if straight:  # then its speed is that of the rules
            speed = math.hypot(*(birth.velocity or (0.0, 0.0))) / math.hypot(*way)
            way = way[0] * speed, way[1] * speed
        self.known = self.sure = True
        self._enter(0, way)
        return 1

    def _is_free(self, step: float) -> bool:
        """Whether it meets nothing in its first steps."""
        (x, y), reach = self.place(0), 2.0 * step + self.look.held.tolerance
        x0, y0, x1, y1 = self.look.bounds
        inside = x0 + reach < x < x1 - reach and y0 + reach < y < y1 - reach
        return inside and not self.look.held.near_solid(self.flight.kind, (x, y), reach)

    def _step(self, at: int) -> Vector:
        """From one place to the next."""
        dx, dy = self.x[at] - self.x[at - 1], self.y[at] - self.y[at - 1]
        if self.wraps:
            dx, dy = self.look.shorter(dx, dy)
        return float(dx), float(dy)

    def _derive(self, at: int) -> int:
        """The shadow goes on from a place with the velocity that the game logs, or that leads to the next one. The
        next place to compare."""
        poses, rows = self.look.recording.poses, self.flight.rows
        self.sure, self.more = False, self.lag + self.grain
        vx, vy = float(poses.vx[rows[at]]), float(poses.vy[rows[at]])
        if math.isnan(vx) or math.isnan(vy):
            at += 1
            if at >= len(rows):
                return at
            vx, vy = (way / self.look.dt for way in self._step(at))
        self._enter(at, (vx, vy))
        return at + 1

    def _enter(self, at: int, velocity: Vector) -> None:
        poses, row = self.look.recording.poses, self.flight.rows[at]
        facing, scale = float(poses.facing[row]), float(poses.scale[row])
        self.shadow.enter(self.flight.first + at, self._born(at, velocity), facing=facing, scale=scale)
        self.base = at

    def _follow(self, at: int) -> Generator[Finding, None, bool]:
        """From place to place; True if the shadow is gone before the last."""
        look, flight, shadow, count = self.look, self.flight, self.shadow, len(self.flight.rows)
        orders = [one for one in look.orders.get(flight.name, ()) if flight.first <= one.frame < flight.last]
        while at < count:
            while orders and orders[0].frame < shadow.frame:
                del orders[0]
            while orders and orders[0].frame == shadow.frame:
                shadow.obey(orders.pop(0))
                self.more = self.lag + self.grain
            stop = min([one.frame - flight.first + 1 for one in orders[:1]], default=count)
            slack = look.held.tolerance + self.more * (at - self.base)
            at = shadow.follow(self.x[:stop], self.y[:stop], at, slack, self.more)
            if not self.sure and at - self.base > SURE:
                self.known = self.sure = True
            if at == stop:
                continue
            slack = look.held.tolerance + self.more * (at - self.base)
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
            dx, dy = self.look.shorter(dx, dy)
        if shadow.turned >= shadow.frame - 1 and at > self.put + 2:
            self.put = at
            slack += self._turning()
        if math.hypot(dx, dy) <= slack:
            shadow.put(x, y)
            self.base = at
            return at + 1
        if self.look.recording.poses.cut[flight.rows[at]]:
            self.has_age = False
            return self._derive(at)
        if not self.sure:
            return self._try_again(at)
        self.parted.append((flight.first + at, goal))
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
        tolerance, within = look.held.tolerance, look.held.within("removed")
        if shadow.gone == "edge":
            if far[0] <= tolerance and math.dist(self.place(at), shadow.place) <= slack:
                self._enter(at, shadow.velocity)
                return
            out = np.flatnonzero(far > tolerance)
            if len(out) > within:
                frame = flight.first + at + int(out[0])
                told = f"is {float(far[out].max()):.1f} units outside the bounds, first in {frame}"
                yield of_actor("outside", frame, flight.name, told, f'at_edge = "{motion.at_edge}"')
            elif len(far) > within and not self.parted:
                told = f"goes on behind an edge, at ({x[0]:.1f}, {y[0]:.1f})"
                rule = f'gone by {shadow.frame}: at_edge = "{motion.at_edge}"'
                yield of_actor("path", shadow.frame, flight.name, told, rule)
        elif math.dist(self.place(at), shadow.place) > slack + self._turning():
            self.parted.append((flight.first + at, shadow.place))
        elif len(x) - 1 > within and not self.parted:
            told = f"goes on behind a solid, at ({x[1]:.1f}, {y[1]:.1f}) in {shadow.frame + 1}"
            rule = f'gone behind {shadow.frame}: on_solid = "{motion.on_solid}"'
            yield of_actor("path", shadow.frame + 1, flight.name, told, rule)
