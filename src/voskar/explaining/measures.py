"""Measures of a recording for numbers that a rulebook has: gaps between hits and shots, speeds, turns, lives."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property

import numpy as np

from voskar.core.arrays import distinct
from voskar.core.recording import Recording
from voskar.core.rules.shapes import Floats, Ints

FLIGHTS = 24
"""So many actors of a kind are measured."""


class ShotPath:
    """The first poses of one shot, up to where it is gone or cut: its frames (n,), places (n, 2) and angles (n,)."""

    def __init__(self, recording: Recording, rows: Ints) -> None:
        poses = recording.poses
        self.rate = float(recording.rate)
        self.frames = poses.frame[rows]
        self.places = np.column_stack([poses.x[rows], poses.y[rows]])
        self.angles = poses.angle[rows]
        self.facing = float(poses.facing[rows[0]])
        self.owner = recording.actors[int(poses.actor[rows[0]])].owner

    @cached_property
    def velocities(self) -> Floats:
        """(n - 1, 2) units a second, from pose to pose."""
        return np.asarray(np.diff(self.places, axis=0) * self.rate)


class Measures:
    """Looks at a recording, once for each kind."""

    def __init__(self, recording: Recording) -> None:
        self.recording = recording
        self.rate = float(recording.rate)
        self._flights: dict[str, list[ShotPath]] = {}
        self._motions: dict[str, Mapping[str, list[float]]] = {}

    def flights(self, kind: str) -> list[ShotPath]:
        """The first actors of a kind that appear in the recording."""
        if kind not in self._flights:
            recording = self.recording
            actors = [number for number, actor in enumerate(recording.actors) if actor.kind == kind]
            found = []
            if actors:
                # Actors of the first frame may be older than the recording, so their lives cannot be measured.
                rows, mask = recording.appearances(actors)
                for row in rows[~mask][:FLIGHTS].tolist():
                    poses = recording.poses
                    way = poses.unbroken(int(poses.actor[row]), int(poses.frame[row]))
                    found.append(ShotPath(recording, way))
            self._flights[kind] = found
        return self._flights[kind]

    def motion(self, kind: str) -> Mapping[str, list[float]]:
        """By key of `motion`, and of what spawns a kind, what its actors show of it."""
        if kind not in self._motions:
            self._motions[kind] = shown_motion(self.flights(kind), self.recording)
        return self._motions[kind]

    @cached_property
    def hits_on(self) -> Mapping[str, list[int]]:
        """The frames in which hits on each actor are claimed."""
        found: dict[str, list[int]] = {}
        for claim in self.recording.claims:
            if claim.event == "hit" and claim.target is not None:
                found.setdefault(claim.target, []).append(claim.frame)
        return found

    def arrival(self, name: str) -> int:
        """The frame of an actor's first pose."""
        recording = self.recording
        there = recording.pose_from(recording.numbers[name], recording.first) if name in recording.numbers else None
        return recording.first if there is None else there[1]

    def alive(self, kind: str) -> Iterator[int]:
        """How many of a kind an owner has at most at once, and numbers next to that."""
        by_owner: dict[str, list[tuple[int, int]]] = {}
        for flight in self.flights(kind):
            by_owner.setdefault(flight.owner or "", []).append((int(flight.frames[0]), int(flight.frames[-1])))
        # The largest number at once occurs when one of them appears.
        counts = [sum(low <= first <= high for low, high in spans) for spans in by_owner.values() for first, _ in spans]
        if counts:
            yield from (max(counts), max(counts) + 1, max(max(counts) - 1, 1))

    def births(self, owners: str, kind: str) -> dict[str, list[int]]:
        """By owner of one kind the frames in which it has an actor of another appear."""
        recording = self.recording
        actors = [number for number, actor in enumerate(recording.actors) if actor.kind == kind and actor.owner]
        found: dict[str, list[int]] = {}
        if actors:
            rows, mask = recording.appearances(actors)
            for row in rows[~mask].tolist():
                owner = recording.actors[int(recording.poses.actor[row])].owner or ""
                number = recording.numbers.get(owner)
                # Not logged owners count: the kind alone decides then.
                if number is None or recording.actors[number].kind == owners:
                    found.setdefault(owner, []).append(int(recording.poses.frame[row]))
        return found

    def hits(self, target: str | None, attack: str | None = None) -> list[list[int]]:
        """The frames of claimed hits, by target, or by attacker and target of one attack."""
        kinds = {actor.id: actor.kind for actor in self.recording.actors}
        found: dict[tuple[str | None, ...], list[int]] = {}
        for claim in self.recording.claims:
            if claim.event != "hit" or (target is not None and kinds.get(claim.target or "") != target):
                continue
            if attack is None:
                found.setdefault((claim.target,), []).append(claim.frame)
            elif claim.attack in (None, attack):
                found.setdefault((claim.attacker, claim.target), []).append(claim.frame)
        return list(found.values())

    def waits(self, first: str, then: str) -> list[int]:
        """The frames from each claim of an event to the next one of another, of one actor."""
        since: dict[str, int] = {}
        found = []
        for claim in self.recording.claims:
            if claim.id is not None and claim.event == first:
                since[claim.id] = claim.frame
            elif claim.id is not None and claim.event == then and claim.id in since:
                found.append(claim.frame - since.pop(claim.id))
        return found


def gaps(groups: Iterable[Sequence[int]]) -> list[int]:
    """Frames from each to the next, of all groups; several in one frame are one."""
    return [int(gap) for group in groups for gap in np.diff(distinct(np.array(group, dtype=np.int64)))]


def commonest(values: Iterable[float], count: int = 3) -> list[float]:
    """The values that stand most often, the commonest first; of those that stand as often the smallest."""
    counted = Counter(round(value, 3) for value in values)
    return [value for value, _ in sorted(counted.items(), key=lambda pair: (-pair[1], pair[0]))[:count]]


def snapped(value: float) -> list[float]:
    """A measured number as a person may have written it: round ones near to it, then itself."""
    found = []
    for step in (10.0, 5.0, 1.0, 0.5, 0.1, 0.05):
        near = round(value / step) * step
        # The noise of logged places grows with the speed.
        if abs(near - value) <= 0.012 * abs(value) + 0.06 * min(step, 1.0) and round(near, 3) not in found:
            found.append(round(near, 3))
    return [*found[:2], *([round(value, 3)] if round(value, 3) not in found[:2] else [])]


FITTED = 14
"""Steps of a flight that are looked at."""


def shown_motion(flights: Sequence[ShotPath], recording: Recording) -> Mapping[str, list[float]]:
    """Values of each key as flights show them: the middle of all, but for lives, of which the commonest."""
    found: dict[str, list[float]] = {}

    def add(key: str, *values: float) -> None:
        found.setdefault(key, []).extend(values)

    lives: list[float] = []
    for flight in flights:
        lives.append(float(len(flight.frames)))
        velocities = flight.velocities
        if len(velocities) < 2:
            continue
        add("max_speed", float(np.hypot(*velocities.T).max()))
        drag, change = _steps(velocities, flight.rate)
        kept = 1 - drag / flight.rate
        # The first logged velocity includes one step of drag and acceleration.
        start = (velocities[0] - change / flight.rate) / (kept if kept > 0.05 else 1.0)
        add("speed", float(np.hypot(*start)))
        add("heading", math.degrees(math.atan2(start[1], start[0])))
        add("spin", math.remainder(float(flight.angles[1] - flight.angles[0]), 360.0) * flight.rate)
        add("acceleration_x", float(change[0]))
        add("acceleration_y", float(change[1]))
        add("drag", drag)
        for axis in (0, 1):
            v = velocities[:, axis]
            # A bounce turns the velocity round; slow shots may turn by gravity.
            back = np.flatnonzero((v[1:] * v[:-1] < 0) & (np.abs(v[:-1]) > 20))
            for at in back[:2].tolist():
                add("bounciness", float(-v[min(at + 2, len(v) - 1)] / v[at]))
    middle = {key: float(np.median(values)) for key, values in found.items()}
    shown = {key: [value] for key, value in middle.items()}
    if "acceleration_y" in middle:
        shown["world_gravity"] = [middle["acceleration_y"] * (-1.0 if recording.up == "+y" else 1.0)]
    shown["inherit"] = _inherited(flights, recording)
    shown["spread"] = _spread(flights)
    if found.get("heading"):
        off = [abs(math.remainder(value - middle["heading"], 180.0)) for value in found["heading"]]
        shown["jitter"] = [math.ceil(2.2 * max(off))] if 0.05 < max(off) < 60 else []
    shown["life"] = commonest(lives, 2)
    return shown


def _inherited(flights: Sequence[ShotPath], recording: Recording) -> list[float]:
    """Which share of its owner's velocity a shot has: from pairs of shots whose owners moved otherwise."""
    seen = []
    for flight in flights:
        frame = int(flight.frames[0])
        rows = [recording.row(flight.owner or "", at) for at in (frame - 1, frame)]
        if len(flight.velocities) and rows[0] is not None and rows[1] is not None:
            x, y = recording.poses.x, recording.poses.y
            own = np.array([x[rows[1]] - x[rows[0]], y[rows[1]] - y[rows[0]]]) * flight.rate
            seen.append((flight.facing, flight.velocities[0], own))
    shares = []
    for at, (facing, velocity, own) in enumerate(seen):
        for other_facing, other_velocity, other_own in seen[at + 1 : at + 4]:
            change = own - other_own
            # Two shots that face the same way differ by what their owners added.
            if facing == other_facing and float(change @ change) > 100.0:
                shares.append(float((velocity - other_velocity) @ change / (change @ change)))
    return [float(np.median(shares))] if shares else []


def _spread(flights: Sequence[ShotPath]) -> list[float]:
    """The spread of shots of one owner and frame, in degrees."""
    fans: dict[tuple[str | None, int], list[float]] = {}
    for flight in flights:
        if len(flight.velocities):
            x, y = flight.velocities[0]
            fans.setdefault((flight.owner, int(flight.frames[0])), []).append(math.degrees(math.atan2(y, x)))
    widths = []
    for angles in fans.values():
        if len(angles) > 1:
            off = [math.remainder(angle - angles[0], 360.0) for angle in angles]
            widths.append(max(off) - min(off))
    return [float(np.median(widths))] if widths else []


def _steps(velocities: Floats, rate: float) -> tuple[float, Floats]:
    """Drag and acceleration (2,), by least squares from how the first velocities change: each step takes drag / rate of
    the velocity away and adds acceleration / rate. Of the longest beginning that goes by that, if any does."""
    # A flight may meet something, so shorter beginnings are tried until one fits.
    for steps in (FITTED, 6, 4, 3):
        values = velocities[: steps + 1]
        count = len(values) - 1
        if count < 2 or (steps > 3 and count < steps):
            continue
        change = np.diff(values, axis=0)
        numbers, none = np.ones(count), np.zeros(count)
        rows = np.concatenate(
            [np.column_stack([-values[:-1, 0], numbers, none]), np.column_stack([-values[:-1, 1], none, numbers])]
        )
        column = np.concatenate([change[:, 0], change[:, 1]])
        found, *_ = np.linalg.lstsq(rows, column, rcond=1e-9)
        if np.abs(rows @ found - column).max() <= 0.02 * np.abs(values).max() + 1.0 or steps == 3:
            return float(found[0]) * rate, np.asarray(found[1:]) * rate
    return 0.0, np.zeros(2)
