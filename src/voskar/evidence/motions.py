"""Recorded actors of kinds with a motion: how long they live, and the way they fly."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct

from voskar.core.emitters.aim import direction
from voskar.core.ledger.events import SpawnEvent
from voskar.core.recording import Recording
from voskar.core.rules import Kind, Motion
from voskar.evidence.emissions import emitter_of, spawned_kinds
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, Vector


def motions(held: Held, sources: dict[int, SpawnEvent]) -> Iterator[Finding]:
    """`sources` are the foretold spawns that appearances were matched with, by their rows."""
    recording = held.recording
    if recording.reactions == "raw":
        return
    fixtures = {fixture.id for fixture in held.rules.fixtures}
    unmoved = {name for name, kind in held.rules.kinds.items() if kind.motion == Motion()}
    flights = []
    spawned = spawned_kinds(held.rules) - unmoved
    stretches = recording.stretches([n for n, one in enumerate(recording.actors) if one.kind in spawned])
    for name, number in recording.numbers.items():
        kind = held.rules.kinds[recording.actors[number].kind]
        if kind.name in unmoved or name in fixtures or not held.recording.logs("spawn", name):
            continue
        for rows, given in stretches[number] if number in stretches else _whole(recording, number):
            source = sources.get(int(rows[0]))
            flights.append(_flight(held, name, kind, rows, _velocity(held, kind, source, rows), given))
    straight = _straight(held, flights)
    for number, flight in enumerate(flights):
        yield from _life(held, flight)
        if number not in straight:
            yield from _path(held, flight)


class _Flight(Struct, frozen=True, gc=False):
    """A recorded actor from where it appears on, and what it sets off with, None where nothing says how it flies.
    `given`: its age is its own. `stop` is the first frame in which something of the rules' has turned it."""

    name: str
    kind: Kind
    rows: np.ndarray
    first: int
    given: bool
    start: Vector | None
    stop: int


def _whole(recording: Recording, number: int) -> Iterator[tuple[np.ndarray, bool]]:
    """All poses of one that nothing spawns, as one flight; one that is there at first, or at a mark, began before."""
    rows = recording.poses.rows_of(number)
    rows = rows[~recording.poses.lingering[rows]]
    if len(rows):
        first = int(recording.poses.frame[rows[0]])
        yield rows, first == recording.first or first in recording.resets


def _flight(held: Held, name: str, kind: Kind, rows: np.ndarray, velocity: Vector | None, given: bool) -> _Flight:
    first = int(held.recording.poses.frame[rows[0]])
    start = None if kind.wraps or given else velocity
    turns = [event.frame for event in held.ledger.about(name, *TURNS)] if start is not None else []
    stop = min([turn + 1 for turn in turns if turn >= first], default=1 << 60)
    return _Flight(name, kind, rows, first, given, start, stop)


TURNS = ("knockback", "launch", "home", "down", "removed", "respawn")
"""Events that turn or end a flight."""


def _straight(held: Held, flights: Sequence[_Flight]) -> set[int]:
    """Those of the flights, by number, of which there is nothing to tell: at each pose where a velocity that nothing
    changes brings them. Found for all at once; the others are followed step by step."""
    space, poses = held.rules.space, held.recording.poses
    some = [
        number
        for number, one in enumerate(flights)
        if one.start is not None and _is_plain(one.kind.motion, bool(space.solids))
    ]
    if not some:
        return set()
    counts = np.array([len(flights[number].rows) for number in some])
    whose = np.repeat(np.arange(len(some)), counts)
    rows = np.concatenate([flights[number].rows for number in some])
    step = np.arange(len(rows)) - np.repeat(counts.cumsum() - counts, counts)
    first, stop = (np.array([getattr(flights[n], name) for n in some])[whose] for name in ("first", "stop"))
    begin = rows[step == 0][whose]
    dt = 1.0 / float(held.rules.rate)
    odd = (poses.frame[rows] != first + step) | (poses.frame[rows] >= stop) | poses.hidden[rows]
    bounds = space.bounds or (-math.inf,) * 2 + (math.inf,) * 2
    for axis, column in enumerate((poses.x, poses.y)):
        speed = np.array([(flights[number].start or (0.0, 0.0))[axis] for number in some])[whose]
        place = column[begin] + speed * dt * step
        odd |= np.abs(column[rows] - place) > held.tolerance / 2.0
        odd |= (place < bounds[axis] + held.tolerance) | (place > bounds[axis + 2] - held.tolerance)
    return {some[at] for at in np.flatnonzero(np.bincount(whose, odd) == 0).tolist()}


def _is_plain(motion: Motion, solids: bool) -> bool:
    """Whether nothing bends or slows a flight on its way."""
    bent = any(motion.acceleration) or motion.gravity or motion.drag or motion.max_speed is not None
    return not bent and not (solids and motion.on_solid != "pass")


def _ends(held: Held, name: str) -> list[int]:
    """The frames in which the rules end it, or take it down."""
    return sorted(event.frame for event in held.ledger.about(name, "removed", "down"))


def _life(held: Held, flight: _Flight) -> Iterator[Finding]:
    poses, name, kind, rows = held.recording.poses, flight.name, flight.kind, flight.rows
    life, first, last = kind.motion.life, flight.first, int(poses.frame[rows[-1]])
    if life is None or last - first + 1 != len(rows):
        return
    due = first + life - 1
    if last > due + held.within("removed"):
        told = f"is there from {first} to {last}, {last - due} frames too long"
        yield of_actor("life-long", due + 1, name, told, f"lives {life} frames, to {due}")
        return
    ended = any(
        last - held.within("removed") - kind.linger <= frame <= last + 1 + held.within("removed")
        for frame in _ends(held, name)
    )
    if (
        last < due - max(held.within("removed"), kind.linger)
        and not flight.given
        and poses.following[rows[-1]] < 0
        and not ended
        and last < held.recording.last
        and held.restarts.isdisjoint((last, last + 1))
        and held.ended_before(last + 1) is None
        and not _leaves(held, kind, rows[-1])
    ):
        told = f"is there from {first} to {last}, {due - last} frames too short"
        yield of_actor("life-short", last + 1, name, told, f"lives {life} frames, to {due}")


def _leaves(held: Held, kind: Kind, row: int) -> bool:
    """Whether it is about to meet an edge or a solid that ends it, as far as its pose shows."""
    poses, motion = held.recording.poses, kind.motion
    step = 2.0 * _step(held, row) + held.tolerance
    x, y = float(poses.x[row]), float(poses.y[row])
    bounds = held.rules.space.bounds
    ends = bounds is not None and motion.at_edge in ("remove", "bounce")
    if bounds is not None and ends and min(x - bounds[0], y - bounds[1], bounds[2] - x, bounds[3] - y) <= step:
        return True
    return motion.on_solid in ("remove", "bounce") and near_solid(held, kind, (x, y), step)


def _step(held: Held, row: int) -> float:
    poses = held.recording.poses
    before = poses.previous[row]
    return float(math.hypot(poses.x[row] - poses.x[before], poses.y[row] - poses.y[before])) if before >= 0 else 0.0


def near_solid(held: Held, kind: Kind, place: Vector, reach: float) -> bool:
    """Whether a solid's bounds come within reach of an actor's body, or of its position without one."""
    low_x = low_y = high_x = high_y = 0.0
    for box in kind.boxes:
        if box.role == "body":
            points = np.concatenate(box.outline.parts) + np.array(box.at)
            size = box.outline.radius + max(box.outline.grow, 0.0) + float(np.abs(points).max(initial=0.0))
            low_x, low_y, high_x, high_y = -size, -size, size, size
    for solid in held.rules.space.solids:
        for part in solid.outline.parts:
            (x0, y0), (x1, y1) = part.min(axis=0).tolist(), part.max(axis=0).tolist()
            across = x0 - reach <= place[0] + high_x and place[0] + low_x <= x1 + reach
            if across and y0 - reach <= place[1] + high_y and place[1] + low_y <= y1 + reach:
                return True
    return False


def _path(held: Held, flight: _Flight) -> Iterator[Finding]:
    """The distance from the path since its first pose, until anything of the rules' turns it."""
    if flight.start is None:
        return
    name, kind, rows, first, stop = flight.name, flight.kind, flight.rows, flight.first, flight.stop
    poses, motion, dt = held.recording.poses, kind.motion, 1.0 / float(held.rules.rate)
    up = held.rules.space.upwards
    ax = motion.acceleration[0]
    ay = motion.acceleration[1] - motion.gravity * held.rules.space.gravity * up
    vx, vy = flight.start
    x, y = float(poses.x[rows[0]]), float(poses.y[rows[0]])
    slack = math.hypot(ax, ay) * dt * dt
    keep = max(0.0, 1.0 - motion.drag * dt)
    bounds = held.rules.space.bounds if motion.at_edge != "none" else None
    stopped = motion.on_solid != "pass" and bool(held.rules.space.solids)
    later = rows[1:]
    columns = (poses.frame[later], poses.x[later], poses.y[later], poses.hidden[later])
    shown = zip(*(column.tolist() for column in columns), strict=True)
    for count, (frame, shown_x, shown_y, hidden) in enumerate(shown, 1):
        if frame != first + count or frame >= stop or hidden:
            return
        vx, vy = (vx + ax * dt) * keep, (vy + ay * dt) * keep
        if motion.max_speed is not None and (speed := math.hypot(vx, vy)) > motion.max_speed:
            vx, vy = vx / speed * motion.max_speed, vy / speed * motion.max_speed
        x, y = x + vx * dt, y + vy * dt
        if stopped and near_solid(held, kind, (x, y), math.hypot(vx, vy) * dt + held.tolerance):
            return
        if bounds is not None and min(x - bounds[0], y - bounds[1], bounds[2] - x, bounds[3] - y) < 0:
            yield from _past(held, name, kind, rows[count:])
            return
        apart = math.dist((shown_x, shown_y), (x, y))
        if apart > held.tolerance + slack * count:
            told = f"leaves its path in {frame}: at ({shown_x:.1f}, {shown_y:.1f}), {apart:.1f} units off"
            yield of_actor("path", frame, name, told, f"at ({x:.1f}, {y:.1f}), from its first pose in {first} on")
            return


def _past(held: Held, name: str, kind: Kind, rows: np.ndarray) -> Iterator[Finding]:
    """Outside an edge that ends it, or turns it back."""
    poses, bounds = held.recording.poses, held.rules.space.bounds
    assert bounds is not None
    x, y = poses.x[rows], poses.y[rows]
    far = np.maximum.reduce([bounds[0] - x, bounds[1] - y, x - bounds[2], y - bounds[3]])
    out = np.flatnonzero(far > held.tolerance)
    if len(out) > held.within("removed"):
        frame = int(poses.frame[rows[out[0]]])
        told = f"is {float(far[out].max()):.1f} units outside the bounds, first in {frame}"
        yield of_actor("outside", frame, name, told, f'at_edge = "{kind.motion.at_edge}"')


def _velocity(held: Held, kind: Kind, source: SpawnEvent | None, rows: np.ndarray) -> Vector | None:
    """What it sets off with: by its emission, else by its kind; None where its steering is its own. Where the game
    draws its direction, that of its first step."""
    if source is not None:
        emitter = emitter_of(held, source)
        if emitter is None or emitter.fan.inherit:
            return None
        if emitter.fan.speed is not None:
            angle = source.angle
            if emitter.fan.jitter and len(rows) > 1:
                x, y = (
                    (column[rows[1]] - column[rows[0]]) for column in (held.recording.poses.x, held.recording.poses.y)
                )
                angle = math.degrees(math.atan2(y, x))
            x, y = direction(angle)
            return x * emitter.fan.speed, y * emitter.fan.speed
    motion = kind.motion
    moves = any(motion.velocity) or any(motion.acceleration) or motion.gravity or motion.drag
    return motion.velocity if moves else None
