"""Reactions that no rule orders: right after a hit a body is thrown, or put back, and nothing else explains it."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator
from functools import cached_property
from typing import overload

import numpy as np

from voskar.core.ledger import Event
from voskar.core.rules import Motion
from voskar.core.rules.shapes import Floats, Ints
from voskar.evidence.finding import Finding
from voskar.evidence.held import Held, Vector

MANY = 12
"""Looking up one step takes as long as computing this many at once."""
TOGETHER = 0.01
"""Units a frame by which the steps of two that are carried along may differ."""
GOES_ON = 0.9
"""A push continues if the step after its last is at least so much of that."""


def unordered(held: Held) -> Iterator[Finding]:
    """Motion after hits, the game's too, and after pushes, beyond what they order. A raw recording shows no
    reactions."""
    recording = held.recording
    if recording.reactions == "raw":
        return
    hits: dict[str, dict[int, Event]] = {}
    # a hit that only the game has may throw a body, too
    landed = [*held.ledger.hits(), *(event for event in held.ledger.of("adopted") if event.detail == "hit")]
    for event in landed:
        for name in (event.attacker, event.target):
            if name is not None and name in recording.numbers:
                hits.setdefault(name, {}).setdefault(event.frame, event)
    fixtures = {fixture.id for fixture in held.rules.fixtures}
    for name in sorted(hits):
        kind = held.rules.kinds[recording.actors[recording.numbers[name]].kind]
        # actors with a motion, or on a wrapping way, are compared in full elsewhere
        if kind.motion == Motion() and not kind.wraps and name not in fixtures:
            yield from _Struck(held, name, hits).odd()


class _Struck:
    """An actor that deals or takes hits."""

    def __init__(self, held: Held, name: str, hits: dict[str, dict[int, Event]]) -> None:
        self.held, self.name, self.hits, self.all = held, name, hits[name], hits
        self.kind = held.rules.kinds[held.recording.actors[held.recording.numbers[name]].kind]
        self.tolerance = held.tolerance_of(name)
        self.steps = _Steps(held, name, often=MANY * len(self.hits))
        poses = held.recording.poses
        rows = poses.rows_of(held.recording.numbers[name])
        self.cuts: set[int] = set(poses.frame[rows[poses.cut[rows]]].tolist())
        self.rate = float(held.recording.rate)
        self.gone: set[int] = set()
        """Frames after which it is down, or no longer there: what its body does then is another matter."""
        for end in held.ledger.about(name, "removed", "out"):
            self.gone |= {end.frame - 1, end.frame}
        for span in held.course.courses[name].down:
            self.gone.update(range(span.first - 2, span.last + 1))
        self.ordered: Counter[int] = Counter()
        """Frames in which the rules have something of their own for it, up to one after its end, and how many such."""
        # the frame behind the last of a reaction may still show its pace
        for order in held.ledger.about(name, "knockback", "launch", "reflect", "home", "respawn"):
            self.ordered.update(range(order.frame, held.last_of(order) + 2))

    def odd(self) -> Iterator[Finding]:
        """Every reaction that nothing orders, once a hit."""
        scope = self.held.recording.scope.reactions
        for frame, hit in sorted(self.hits.items()):
            # a motion that the rules order is explained, or is a finding of its own
            if frame in self.gone or self.ordered[frame + 1] or self.held.ended_before(frame + 1) is not None:
                continue
            text = None if "home" in scope else self._put_back(frame)
            text = text or (None if {"knockback", "launch", "reflect"} & scope else self._thrown(frame))
            if text is not None:
                orders = f"{hit.attack or 'the hit'} in {frame} orders nothing of the kind"
                yield self._finding(frame, hit.attacker or "", text, orders)
        if "knockback" not in scope:
            for event in self.held.ledger.about(self.name, "knockback"):
                yield from self._goes_on(event)

    def _finding(self, frame: int, attacker: str, game: str, rules: str) -> Finding:
        return Finding(
            "unexplained-motion", frame, attacker if attacker != self.name else "", self.name, game=game, rules=rules
        )

    def _put_back(self, frame: int) -> str | None:
        if frame + 1 not in self.cuts:
            return None
        recording, poses = self.held.recording, self.held.recording.poses
        row, before = recording.row(self.name, frame + 1), recording.row(self.name, frame)
        if row is None or before is None or poses.hidden[row] or poses.cut[before]:
            return None  # an actor that was moved for this frame alone only goes back
        # a mark puts each actor to its own start
        since = max((mark for mark in recording.resets if mark <= frame), default=recording.first)
        first = recording.pose_from(recording.numbers[self.name], since)
        if first is None or first[1] > frame or frame + 1 in recording.resets:
            return None
        x, y = float(poses.x[first[0]]), float(poses.y[first[0]])
        near = [math.dist((x, y), (float(poses.x[number]), float(poses.y[number]))) for number in (row, before)]
        if near[0] > self.tolerance or near[1] <= self.tolerance:
            return None
        return f"is put back to its start, ({x:g}, {y:g}), in {frame + 1}"

    def _thrown(self, frame: int) -> str | None:
        """A step beyond its own motion."""
        before, now = self.steps.get(frame), self.steps.get(frame + 1)
        if before is None or now is None:
            return None
        gain = math.hypot(*now) - math.hypot(*before)
        earlier = self.steps.get(frame - 1, before)
        gravity = abs(self.held.rules.space.gravity) / self.rate**2
        up = self.held.rules.space.upwards
        # gravity may pull it down, but nothing pulls it up
        turns = before[1] * up < -gravity and now[1] * up > self.tolerance  # a fall that turns into a rise
        # speeding up as it did before the hit is its own motion
        if gain <= self.tolerance + gravity + math.dist(before, earlier) and not turns:
            return None
        if self._explains(frame, frame + 1, now):
            return None
        return f"sets off with {_length(now)} units a frame in {frame + 1}, after {_length(before)}"

    def _explains(self, frame: int, after: int, step: Vector) -> bool:
        """Whether it is its own motion: by the log, by a button, at a solid, with others, or as elsewhere."""
        held, recording, poses = self.held, self.held.recording, self.held.recording.poses
        row = recording.row(self.name, after)
        if row is None:
            return True
        # a game that logs pushes says itself that this is none
        if not np.isnan(poses.push_x[row]):
            return math.hypot(poses.push_x[row], poses.push_y[row]) <= self.tolerance
        if not np.isnan(poses.vx[row]) and not np.isnan(poses.vy[row]):
            own = float(poses.vx[row]) / self.rate, float(poses.vy[row]) / self.rate
            # its own logged velocity explains the step
            if math.dist(own, step) <= self.tolerance:
                return True
        place = float(poses.x[row]), float(poses.y[row])
        reach = math.hypot(*step) + self.tolerance
        if recording.inputs.presses(self.name, frame, after) or held.near_solid(self.kind, place, reach):
            return True
        return self._moves_so_elsewhere(frame, step) or self._moves_with_others(frame, after, step)

    @cached_property
    def _quiet(self) -> Floats:
        """(n, 2) steps with no hit within half a second."""
        (frames, steps), hits = self.steps.all(), np.array(sorted(self.hits))
        at = np.searchsorted(hits, frames)
        apart = np.minimum(
            np.abs(frames - hits[np.clip(at, 0, len(hits) - 1)]),
            np.abs(frames - hits[np.clip(at - 1, 0, len(hits) - 1)]),
        )
        quiet: Floats = steps[apart > self.rate / 2]
        return quiet

    def _moves_so_elsewhere(self, frame: int, step: Vector) -> bool:
        return bool((np.hypot(*(self._quiet - step).T) <= self.tolerance).any())

    def _moves_with_others(self, frame: int, after: int, step: Vector) -> bool:
        """Whether another actor, without any hit, makes the same step: a platform, or a screen that scrolls."""
        recording, poses = self.held.recording, self.held.recording.poses
        rows = np.arange(*recording.block(after, after + 1).indices(len(poses))[:2])
        rows = rows[(poses.previous[rows] >= 0) & ~poses.cut[rows] & ~poses.hidden[rows]]
        before = poses.previous[rows]
        x, y = poses.x[rows] - poses.x[before], poses.y[rows] - poses.y[before]
        names = [recording.actors[number].id for number in poses.actor[rows].tolist()]
        # a body that stands on a platform makes its step to the last digit
        alike = np.hypot(x - step[0], y - step[1]) <= TOGETHER
        return any(
            same and name != self.name and not any(abs(frame - number) <= 1 for number in self.all.get(name, ()))
            for same, name in zip(alike.tolist(), names, strict=True)
        )

    def _goes_on(self, event: Event) -> Iterator[Finding]:
        """At its pace, after the last frame of a push."""
        until, length = self.held.last_of(event), math.hypot(event.dx or 0.0, event.dy or 0.0)
        last, after = self.steps.get(until), self.steps.get(until + 1)
        own = self.steps.get(event.frame, (0.0, 0.0))
        # more than one order in the frame behind it may move it on
        if last is None or after is None or length == 0 or until in self.gone or self.ordered[until + 1] > 1:
            return
        way = (event.dx or 0.0) / length, (event.dy or 0.0) / length
        along, goes, walked = (pair[0] * way[0] + pair[1] * way[1] for pair in (last, after, own))
        pushed = [self.steps.get(frame, (0.0, 0.0)) for frame in range(event.frame + 1, until + 1)]
        whole = sum(x * way[0] + y * way[1] for x, y in pushed)
        if abs(whole - length) > self.tolerance + abs(walked) * len(pushed):
            return  # the push itself is another, which is a finding already
        if goes <= self.tolerance + max(walked, 0.0) or goes < GOES_ON * along:
            return
        if self._explains(until, until + 1, after):
            return
        text = f"goes on at {goes:.1f} units a frame in {until + 1}"
        yield self._finding(event.frame, event.by or "", text, f"the push ends in {until}")


class _Steps:
    """By frame: the way of one from the frame before, where it has one."""

    def __init__(self, held: Held, name: str, often: int) -> None:
        """`often` is how many of them are asked for, about."""
        self.recording, self.number = held.recording, held.recording.numbers[name]
        self.known: dict[int, Vector] | None = None
        # many questions about one actor are cheaper with all steps at once
        if often > len(self.recording.poses.rows_of(self.number)):
            frames, ways = self.all()
            self.known = dict(zip(frames.tolist(), map(tuple, ways.tolist()), strict=True))

    def all(self) -> tuple[Ints, Floats]:
        """The frames (n,) of all that there are, and the ways (n, 2)."""
        poses, rows = self.recording.poses, self.recording.poses.rows_of(self.number)
        before = poses.previous[rows]
        known = (before >= 0) & ~poses.cut[rows] & ~poses.hidden[rows] & ~poses.hidden[before] & ~poses.lingering[rows]
        rows, before = rows[known], before[known]
        return poses.frame[rows], np.column_stack([poses.x[rows] - poses.x[before], poses.y[rows] - poses.y[before]])

    @overload
    def get(self, frame: int) -> Vector | None: ...
    @overload
    def get(self, frame: int, default: Vector) -> Vector: ...
    def get(self, frame: int, default: Vector | None = None) -> Vector | None:
        """That of a frame."""
        if self.known is not None:
            return self.known.get(frame, default)
        poses, row = self.recording.poses, self.recording.row(self.number, frame)
        before = -1 if row is None else int(poses.previous[row])
        if row is None or before < 0 or poses.cut[row] or poses.hidden[row] or poses.hidden[before]:
            return default
        if poses.lingering[row]:
            return default
        return float(poses.x[row] - poses.x[before]), float(poses.y[row] - poses.y[before])


def _length(step: Vector) -> str:
    return f"{math.hypot(*step):.1f}"
