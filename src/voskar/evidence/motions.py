"""Recorded actors of kinds with a motion, next to their shadows: the way they go, where it ends, and how long it is."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping
from typing import NamedTuple

import numpy as np

from voskar.core.ledger.events import SpawnEvent
from voskar.core.recording.lingering import shorter
from voskar.core.rules import Box, Kind, Motion
from voskar.core.views.meters import frames_in
from voskar.core.world import VerbCall
from voskar.evidence.beside import Beside, LoggedFlight
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, Vector, extent
from voskar.evidence.starts import DEGREES, Starts


class Motions(NamedTuple):
    """Deviations of motion, the kinds whose start nothing describes, and the ids of actors whose whole way was
    compared."""

    findings: tuple[Finding, ...] = ()
    alone: tuple[str, ...] = ()
    compared: Collection[str] = ()


def motions(held: Held, sources: Mapping[int, SpawnEvent]) -> Motions:
    """`sources` are the predicted spawns that appearances were matched with, by their rows."""
    if held.recording.reactions == "raw":
        return Motions()
    moving = {name for name, kind in held.rules.kinds.items() if kind.motion != Motion()}
    actors = [number for number, actor in enumerate(held.recording.actors) if actor.kind in moving]
    if not actors:
        return Motions()
    look = _Comparison(held)
    # a shot is compared from each appearance on by itself: an id of a pool is many shots
    found = [finding for flight in _flights(held, sources, actors) for finding in look.at(flight)]
    found += look.velocities()
    return Motions(tuple(found), tuple(sorted(look.alone)), look.compared - look.guessed)


def _flights(held: Held, sources: Mapping[int, SpawnEvent], actors: list[int]) -> Iterator[LoggedFlight]:
    """The poses of those actors, cut where an actor is away, appears or comes back, and where all starts again."""
    recording, poses = held.recording, held.recording.poses
    chosen = np.zeros(len(recording.actors), dtype=np.bool_)
    chosen[actors] = True
    rows = poses.by_actor
    rows = rows[chosen[poses.actor[rows]] & ~poses.hidden[rows] & ~poses.lingering[rows]]
    if not len(rows):
        return
    before, shot = poses.previous[rows], np.isin(rows, np.array(list(sources), dtype=np.int64))
    # at these frames an actor may be anywhere, so nothing before them says how it goes
    restarts = np.isin(poses.frame[rows], [recording.first, *recording.resets]) | np.isin(rows, _comes_back(held))
    begins = np.flatnonzero((before < 0) | poses.hidden[before] | shot | restarts)
    item = (~shot & ((before >= 0) | restarts))[begins].tolist()
    for places, known in zip(np.split(rows, begins[1:]), item, strict=True):
        actor = recording.actors[poses.actor[places[0]]]
        first, count = int(poses.frame[places[0]]), len(places)
        ends = [event.frame - first + 1 for event in held.ledger.about(actor.id, "down", "removed")]
        count = min([end for end in ends if 0 < end <= count], default=count)
        if recording.logs("spawn", actor.id):
            kind, source = held.rules.kinds[actor.kind], sources.get(int(places[0]))
            places, end = places[:count], int(places[count - 1])
            # frozen frames are left out: its shadow does not freeze
            if frozen := held.frozen(actor.id, first):
                places = places[[at == 0 or not frames_in(frozen, first + at - 1, first + at) for at in range(count)]]
            yield LoggedFlight(actor.id, kind, places, poses.frame[places], end, source, known, count in ends)


def _comes_back(held: Held) -> list[int]:
    """The rows in which an actor is in play again, or is sent home by a return in that very frame."""
    returns = held.ledger.of("respawn")
    frames = {event.frame for event in returns}
    homes = (event for event in held.ledger.of("home") if event.frame in frames)
    rows = (held.recording.row(event.id or "", event.frame) for event in (*returns, *homes))
    return [row for row in rows if row is not None]


class _Comparison:
    """Compares one flight after the other, and keeps the compared ones."""

    def __init__(self, held: Held) -> None:
        self.held, self.recording, self.rules = held, held.recording, held.rules
        self.spawned, self.starts = held.rules.spawned, Starts(held)
        self.alone: set[str] = set()
        self.compared: set[str] = set()
        self.covered = np.zeros(len(held.recording.poses), dtype=np.bool_)
        self.guessed: set[str] = set()
        self.orders: dict[str, list[VerbCall]] = {}
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

    def at(self, flight: LoggedFlight) -> Iterator[Finding]:
        """The deviations of one flight."""
        beside = Beside(self, flight)
        yield from beside.way()
        (self.compared if beside.known else self.guessed).add(flight.name)
        yield from self._life(flight, beside)
        if beside.known and not beside.parted and flight.name not in self.orders:
            self.covered[flight.rows[1:]] = True
            yield from self._spin(flight)

    def _life(self, flight: LoggedFlight, beside: Beside) -> Iterator[Finding]:
        """How long it is there, and whether anything ends it."""
        held, kind, name, last = self.held, flight.kind, flight.name, flight.own_last
        within, life = held.within("removed"), flight.kind.motion.life
        # a reflection begins its life again
        begins = [flight.first] if beside.has_age else []
        begins += [
            flight.own(event.frame) + 1
            for event in held.ledger.about(name, "reflect")
            if not event.detail and flight.first <= event.frame < flight.times[-1]
        ]
        due = None if life is None or not begins else begins[-1] + life - 1
        # a life that is too long needs no other cause; a short life may have ended by anything else
        if due is not None and last > due + within:
            text = f"is there from {flight.first} to {flight.frame(last)}, {last - due} frames too long"
            rule = f"lives {life} frames, to {flight.frame(due)}"
            yield of_actor("life-long", flight.frame(due + 1), name, text, rule)
        elif due is not None and last >= due - max(within, kind.linger):
            return
        elif beside.known and not self._may_end(flight) and not self._is_at_wall(flight, beside, within):
            # without a known start the end may have been due
            gone = int(self.recording.poses.frame[flight.end]) + 1
            if due is not None:
                text = f"is there from {flight.first} to {gone - 1}, {due - last} frames too short"
                yield of_actor("life-short", gone, name, text, f"lives {life} frames, to {flight.frame(due)}")
            elif life is None:
                x, y = beside.place(-1)
                text = f"is gone in {gone}, last at ({x:.1f}, {y:.1f})"
                yield of_actor("vanished", gone, name, text, "goes on: no edge, solid, hit or life ends it")

    def _is_at_wall(self, flight: LoggedFlight, beside: Beside, within: int) -> bool:
        """Whether its shadow leaves next. For one without a body that is at its position; a game may well stop its
        boxes, so that it is gone earlier by their size."""
        kind, place = flight.kind, beside.place(-1)
        if beside.leaves(within + 1):
            return True
        size = max((extent(box) for box in kind.boxes), default=0.0)
        if (
            kind.motion.on_solid not in ("remove", "bounce")
            or not size
            or any(box.role == "body" for box in kind.boxes)
        ):
            return False
        return self.held.near_solid(kind, place, size + math.hypot(*self.held.shadow.velocity) * self.dt)

    def _may_end(self, flight: LoggedFlight) -> bool:
        """Whether anything but its motion and its life may take it away behind its last pose."""
        held, recording = self.held, self.recording
        last = int(recording.poses.frame[flight.end])
        following = int(recording.poses.following[flight.end])
        within = held.within("removed") + flight.kind.linger
        frames = [event.frame for event in held.ledger.about(flight.name, "removed", "down")]
        frames += [event.frame for event in held.ledger.about(flight.name, "reflect") if event.detail]
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

    def _spin(self, flight: LoggedFlight) -> Iterator[Finding]:
        """Its angle, where the game logs an angle that changes and matters."""
        shown, spin = self.recording.poses.angle[flight.rows], flight.kind.motion.spin
        if not np.ptp(shown) or not (spin or any(_is_long(box) for box in flight.kind.boxes)):
            return
        # the angle of its first pose is the game's: only its spin is the rules'
        angles = shown[0] + spin * self.dt * np.arange(len(shown))
        apart = np.abs(np.remainder(shown - angles + 180.0, 360.0) - 180.0)
        for at in np.flatnonzero(apart > DEGREES)[:1].tolist():
            text = f"is turned by {shown[at]:.1f}° in {flight.times[at]}, {apart[at]:.1f}° off"
            rule = f"spins by {spin:g}° a second from {shown[0]:.1f}° in {flight.first} on"
            yield of_actor("path", int(flight.times[at]), flight.name, text, rule)

    def is_free(self, kind: Kind, place: Vector, step: float) -> bool:
        """Whether one meets nothing within a step or two."""
        reach = 2.0 * step + self.held.tolerance
        x0, y0, x1, y1 = self.bounds
        inside = x0 + reach < place[0] < x1 - reach and y0 + reach < place[1] < y1 - reach
        return inside and not self.held.near_solid(kind, place, reach)

    def velocities(self) -> Iterator[Finding]:
        """Logged velocities that are not those of the steps before and after, where these are alike; one an actor."""
        poses, actors = self.recording.poses, self.recording.actors
        between = (poses.previous >= 0) & (poses.following >= 0)  # at an end it may be about to turn
        rows = np.flatnonzero(self.covered & between & ~np.isnan(poses.vx) & ~np.isnan(poses.vy))
        steps = []
        for before, after in ((poses.previous[rows], rows), (rows, poses.following[rows])):
            for place, across in zip((poses.x, poses.y), self.across, strict=True):
                way = place[after] - place[before]
                steps.append(shorter(way, np.full(len(way), across)))
        # between two alike steps nothing was met, so the velocity is that of both
        step_x, step_y, next_x, next_y = steps
        slack = np.array([self.held.tolerance_of(actor.id) for actor in actors])[poses.actor[rows]]
        smooth = np.hypot(step_x - next_x, step_y - next_y) <= slack  # it meets nothing here
        far = np.hypot(poses.vx[rows] * self.dt - step_x, poses.vy[rows] * self.dt - step_y)
        wrong = rows[smooth & (far > 2.0 * slack)]
        described: set[int] = set()
        for row in wrong.tolist():
            reach = math.hypot(poses.vx[row], poses.vy[row]) * self.dt
            where, actor = (float(poses.x[row]), float(poses.y[row])), int(poses.actor[row])
            if actor in described or not self.is_free(self.rules.kinds[actors[actor].kind], where, reach):
                continue
            described.add(actor)
            name, frame = actors[poses.actor[row]].id, int(poses.frame[row])
            text = f"logs a velocity of ({poses.vx[row]:.1f}, {poses.vy[row]:.1f}) in {frame}"
            yield of_actor("velocity", frame, name, text, "goes otherwise, in this frame and in the next")


def _is_long(box: Box) -> bool:
    """Whether a box is another one when its actor turns."""
    return any(box.at) or any(len(part) > 1 for part in box.outline.parts)


AT_ONCE = 1 << 18
"""Places that are looked at together; bounds memory."""


def _grain(held: Held) -> float:
    """The step in which places are logged: 1, 0.1 … or nothing."""
    poses, digits = held.recording.poses, 0
    for column in (poses.x, poses.y):
        for start in range(0, len(column), AT_ONCE):
            values = column[start : start + AT_ONCE]
            while digits < 5 and bool((np.abs(np.round(values, digits) - values) >= 1e-9).any()):
                digits += 1
    return float(10.0**-digits) if digits < 5 and len(poses) else 0.0
