"""Baked recordings: what their poses should show of knockback, launch and the way home, net of other motion."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from voskar.core.ledger import Event
from voskar.core.recording.lingering import spans, velocities
from voskar.core.rules import Motion
from voskar.evidence.finding import Finding
from voskar.evidence.held import Held, Vector

SHARE = 0.05
"""Share by which the speed of a launch may differ, besides the gravity of one frame."""


class Reactions(NamedTuple):
    """Reactions that poses do not show, and how many reactions other motion leaves undecided."""

    findings: tuple[Finding, ...]
    undecided: int


def reactions(held: Held) -> Reactions:
    """Reactions in a baked recording that its poses do not show, in order; a raw one has none to show.

    A knockback is looked at from the frame of the hit to its last, unless another reaction or going down cuts
    it short, a mark comes first, or the actor is gone by then. A launch is the speed in the frame after, home the
    place in the frame after; hitstop puts that off. Once the run has ended, what poses show is nothing.
    """
    if held.recording.reactions == "raw":
        return Reactions((), 0)
    look = _Look(held)
    checks: dict[str, Callable[[Event], Iterator[Finding]]] = {
        "knockback": look.knockback,
        "launch": look.launch,
        "reflect": look.reflect,
        "home": look.home,
    }
    wanted = {name: check for name, check in checks.items() if name not in held.recording.scope.reactions}
    events = [event for event in held.ledger.events if event.event in wanted]
    events = [event for event in events if held.ended_before(held.last_of(event) + 1) is None]
    events = [event for event in events if held.marks_after(event.frame) > max(held.last_of(event), event.frame + 1)]
    found = [finding for event in events for finding in look.at(event, wanted[event.event])]
    return Reactions(tuple(found), look.undecided)


class _Look:
    def __init__(self, held: Held) -> None:
        self.held, self.recording, self.tolerance = held, held.recording, held.tolerance
        """The tolerance is that of the actor of the event that is looked at."""
        self.rate = float(held.recording.rate)
        self._across = spans(held.rules, held.recording)
        self.undecided = 0
        self.bounces = any(table.knockback and table.knockback.bounces for table in held.rules.tables)
        """Whether a push may go back: where it does so is the game's."""
        self.pair_returns = {
            event.frame
            for event in held.ledger.of("respawn")
            if (kind := held.kind_of(event.id or "")) is not None and kind.respawn and kind.respawn.resets == "pair"
        }
        """Frames in which an actor's return sends its attacker home at once."""
        self.turns: dict[str, list[int]] = {}  # frames in which an actor's course changes
        for event in held.ledger.events:
            keeps = event.event == "down" and (kind := held.kind_of(event.id or "")) and kind.down.keeps_push
            if event.event in ("knockback", "home", "launch", "reflect", "down", "removed") and event.id and not keeps:
                self.turns.setdefault(event.id, []).append(event.frame)

    def at(self, event: Event, check: Callable[[Event], Iterator[Finding]]) -> list[Finding]:
        """The findings of a check at an event."""
        self.tolerance = self.held.tolerance_of(event.id or "")
        return list(check(event))

    def _velocity(self, row: int) -> Vector:
        """The velocity of a pose, in units a second."""
        vx, vy = velocities(self.recording.poses, self.rate, self._across, np.array([row]))
        return float(vx[0]), float(vy[0])

    def _row(self, event: Event, frame: int) -> int | None:
        return self.recording.row(event.id or "", frame)

    def _takes_effect(self, event: Event) -> int:
        """The first frame after a hit in which its actor is not frozen."""
        course = self.held.course.courses.get(event.id or "")
        return event.frame + 1 if course is None else course.after(event.frame, 1)

    def _finding(self, event: Event, shown: str, expected: str) -> Finding:
        return Finding(event.event, event.frame, event.by or "", event.id or "", None, event, 0, shown, expected)

    def _way(self, start: int, row: int) -> Vector:
        poses = self.recording.poses
        return float(poses.x[row] - poses.x[start]), float(poses.y[row] - poses.y[start])

    def knockback(self, event: Event) -> Iterator[Finding]:
        """The way along the push, from the frame of the hit to its last, less the body's own."""
        name, until = event.id or "", self.held.last_of(event)
        goal = event.dx or 0.0, event.dy or 0.0
        length = math.hypot(*goal)
        if any(event.frame < turn < until for turn in self.turns.get(name, ())) or length == 0:
            return
        if self._is_mixed(event):
            self.undecided += 1
            return
        start, end = self._row(event, event.frame), self._row(event, until)
        if start is None or end is None:
            return
        frozen = self.held.course.courses[name].frozen  # a push waits for the end of a freeze
        frames = range(event.frame + 1, until + 1)
        free = [frame for frame in frames if not any(span.first <= frame <= span.last for span in frozen)]
        rows = [self._row(event, frame) for frame in (event.frame, *free)]
        poses = self.recording.poses
        if any(row is None or poses.cut[row] or poses.hidden[row] for row in rows[1:]):
            self.undecided += 1
            return
        pair = self._stated_push(event, [row for row in rows[1:] if row is not None])
        if pair is not None:
            if math.dist(pair, goal) > self.tolerance:
                shown = f"logs a push of {_polar(*pair)} to frame {until}"
                yield self._finding(event, shown, f"pushed {_polar(*goal)} from {event.frame + 1} to {until}")
            return
        # what goes along up is its own, unless the push points more up or down than sideways
        level = abs(goal[0]) >= abs(goal[1])
        ux, uy = (math.copysign(1.0, goal[0]), 0.0) if level else (goal[0] / length, goal[1] / length)
        wanted = goal[0] * ux + goal[1] * uy
        shown_way = self._way(start, end)
        low, high = self._own(rows, ux, uy)
        along = shown_way[0] * ux + shown_way[1] * uy
        right = wanted + low - self.tolerance <= along <= wanted + high + self.tolerance
        if right and not self._in_time(event, rows, ux, uy, wanted):
            right = False
        if right:
            return
        if along < wanted and self._is_stopped(event, end, (ux, uy)):
            return
        if self.bounces and any(self._is_stopped(event, row, (ux, uy)) for row in rows if row is not None):
            self.undecided += 1
            return
        stated_own = not np.isnan(poses.vx[[row for row in rows[1:] if row is not None]]).any()
        if self.recording.inputs.presses(name, event.frame, until) and not stated_own:
            self.undecided += 1
            return
        text = f"moves {_polar(*shown_way)} to frame {until}"
        for later in range(until + 1, until + 2 + 2 * (until - event.frame)):
            row = self._row(event, later)
            if row is not None and math.dist(self._way(start, row), goal) <= self.tolerance:
                text += f", and is there in {later}, {later - until} frames later"
                break
        yield self._finding(event, text, f"pushed {_polar(*goal)} from {event.frame + 1} to {until}")

    def _is_mixed(self, event: Event) -> bool:
        """Whether another push, or an end, of the same frame or still under way moves it too."""
        for other in self.held.ledger.about(event.id or "", "knockback"):
            if other is not event and other.frame <= event.frame < self.held.last_of(other):
                return True
        kind = self.held.kind_of(event.id or "")
        keeps = kind is not None and kind.down.keeps_push
        return any(
            other.frame == event.frame
            for other in self.held.ledger.about(event.id or "", *(("home",) if keeps else ("home", "down")))
        )

    def _stated_push(self, event: Event, rows: list[int]) -> Vector | None:
        """The push that the game itself logs; None if it never logs one of any actor."""
        poses = self.recording.poses
        own = poses.rows_of(self.recording.numbers[event.id or ""])
        if np.isnan(poses.push_x[own]).all() or not rows:
            return None
        return float(np.nansum(poses.push_x[rows])), float(np.nansum(poses.push_y[rows]))

    def _own(self, rows: list[int | None], ux: float, uy: float) -> Vector:
        """The least and most of its own motion along a push: from standing still to continuing as before, or as after
        it."""
        poses = self.recording.poses
        known = [row for row in rows if row is not None]
        vx, vy = self._velocity(known[0])
        before = (vx * ux + vy * uy) / self.rate * (len(rows) - 1)
        ways = [0.0, float(before)]
        logged = [row for row in known[1:] if not np.isnan(poses.vx[row])]
        if logged:
            ways.append(float(sum(poses.vx[row] * ux + poses.vy[row] * uy for row in logged) / self.rate))
        after = poses.following[known[-1]]
        if not logged and after >= 0 and not poses.cut[after] and len(rows) > 1:
            way = self._way(known[-1], int(after))
            ways.append((way[0] * ux + way[1] * uy) * (len(rows) - 1))
        return min(ways), max(ways)

    def _in_time(self, event: Event, rows: list[int | None], ux: float, uy: float, wanted: float) -> bool:
        """Half way through, it is no further and no less far than a step of the push, or its own motion, allows."""
        half = len(rows) // 2
        start, row = rows[0], rows[half]
        if len(rows) < 5 or start is None or row is None:
            return True
        x, y = self._way(start, row)
        steps = len(rows) - 1
        even, fade = half / steps, half * (2 * steps - half + 1) / (steps * (steps + 1))
        # what it does by itself shows before the push and behind it, not half way through
        ways = [*self._own(rows[: half + 1], ux, uy), *(way * half / steps for way in self._own(rows, ux, uy))]
        low, high = min(ways), max(ways)
        slack = self.tolerance + 2.0 * abs(wanted) / steps
        ends = sorted((wanted * even, wanted * fade))
        return ends[0] + low - slack <= x * ux + y * uy <= ends[1] + high + slack

    def _is_stopped(self, event: Event, row: int, way: Vector) -> bool:
        """Whether a push ends at a solid, or at a bound."""
        poses, rules = self.recording.poses, self.held.rules
        x, y = float(poses.x[row]), float(poses.y[row])
        # at a wall or an edge the rest of a push is not visible
        kind = rules.kinds[self.recording.actors[self.recording.numbers[event.id or ""]].kind]
        if self.held.near_solid(kind, (x, y), self.tolerance):
            return True
        bounds = rules.space.bounds
        if bounds is None:
            return False
        # an edge stops the boxes of some games, the position of others
        self.held.pose(0, row)
        boxes = [self.held.posed.bounds(0, box) for box in self.held.posed.boxes(0)] or [(x, y, x, y)]
        extent = [
            min(b[0] for b in boxes),
            min(b[1] for b in boxes),
            max(b[2] for b in boxes),
            max(b[3] for b in boxes),
        ]
        reach = self.tolerance
        left = way[0] < 0 and min(x, extent[0]) <= bounds[0] + reach
        right = way[0] > 0 and max(x, extent[2]) >= bounds[2] - reach
        top = way[1] < 0 and min(y, extent[1]) <= bounds[1] + reach
        return left or right or top or (way[1] > 0 and max(y, extent[3]) >= bounds[3] - reach)

    def launch(self, event: Event) -> Iterator[Finding]:
        """The speed when it takes effect: vertical within one frame's gravity, horizontal as before unless it walks."""
        frame = self._takes_effect(event)
        row = self._row(event, frame)
        other = any(event.frame < turn < frame for turn in self.turns.get(event.id or "", ()))
        # a body lies where it fell, killed by this hit or by another one of its frame
        fallen = any(event.frame <= down.frame < frame for down in self.held.ledger.about(event.id or "", "down"))
        if row is None or self.recording.poses.cut[row] or other or fallen:
            return
        shown, goal = self._velocity(row)[1], event.vy or 0.0
        fall = abs(self.held.rules.space.gravity) / self.rate
        rows = [self._row(event, event.frame - back) for back in range(3)]
        # without a gravity of the rules, the last steps show what the game takes for it
        if not fall and None not in rows:
            fell = [self._velocity(number)[1] for number in rows if number is not None]
            fall = min(abs(a - b) for a, b in pairwise(fell))
        kind = self.held.kind_of(event.id or "")
        if kind is not None:  # its own motion bends its first step too
            fall += abs(kind.motion.acceleration[1]) / self.rate
        # the sign of a speed says nothing of height, so squares are compared only for speeds that go up
        if abs(shown - goal) > fall + SHARE * abs(goal) + 1e-6:
            up = self.held.rules.space.upwards
            height = f", {100 * (shown * up) ** 2 / goal**2:.0f} % of the height" if goal and shown * up > 0 else ""
            text = f"vertical speed {shown:.1f} in {frame}{height}"
            yield self._finding(event, text, f"sent off at {goal:.1f} from {frame} on")
        elif self._is_sideways(event, row, frame):
            text = f"horizontal speed {self._velocity(row)[0]:.1f} in {frame}"
            yield self._finding(event, text, f"should have {event.vx or 0.0:.1f} from {frame} on")

    def _is_sideways(self, event: Event, row: int, sent: int) -> bool:
        """Whether a launch has sent it off along x, by a frame: at another speed than it had, and than it walks."""
        frame, name = event.frame, event.id or ""
        # a button pressed in these frames may have turned it
        if self._is_mixed(event) or self.recording.inputs.presses(name, frame - 1, sent):
            return False
        before = [self._row(event, frame - back) for back in range(round(self.rate / 2))]
        goal, slack = event.vx or 0.0, self.tolerance * self.rate
        own = None if before[0] is None else self._velocity(before[0])[0]
        if own is not None and abs(goal - own) > slack:  # the launch gives it another speed, and the poses must show it
            return abs(self._velocity(row)[0] - goal) > slack + SHARE * abs(goal)
        # any speed at which it walked just before may be its own still
        walks = [0.0, goal, *(self._velocity(number)[0] for number in before if number is not None)]
        return not min(walks) - slack <= self._velocity(row)[0] <= max(walks) + slack

    def reflect(self, event: Event) -> Iterator[Finding]:
        """The velocity when it takes effect, of a shot whose kind has no motion: the way of other shots is compared as
        a whole. A shot that continues under another id shows it a frame later."""
        name, kind = event.detail or event.id or "", self.held.kind_of(event.id or "")
        # its new owner shows it under another id, and only from the next frame on
        frame = self._takes_effect(event) + bool(event.detail)
        row = self.recording.row(name, frame)
        if row is None or kind is None or kind.motion != Motion() or self.recording.poses.cut[row]:
            return
        shown, goal = self._velocity(row), (event.vx or 0.0, event.vy or 0.0)
        if math.dist(shown, goal) > self.tolerance * self.rate + SHARE * math.hypot(*goal):
            text = f"goes at ({shown[0]:.1f}, {shown[1]:.1f}) in {frame}"
            yield self._finding(event, text, f"is reflected, and goes at ({goal[0]:.1f}, {goal[1]:.1f})")

    def home(self, event: Event) -> Iterator[Finding]:
        """The place when it takes effect; if a return sends the actor home, the place in the frame of the return."""
        frame = event.frame if event.frame in self.pair_returns else self._takes_effect(event)
        row = self._row(event, frame)
        # a body that went down after it is where it fell, not at home
        fell = any(
            event.frame <= entry.frame < max(frame, event.frame + 1)
            for entry in self.held.ledger.about(event.id or "", "down")
        )
        begun = any(event.frame < mark <= frame for mark in self.recording.resets)  # and all are at their starts
        if row is None or fell or begun:
            return
        poses = self.recording.poses
        shown, goal = (float(poses.x[row]), float(poses.y[row])), (event.x or 0.0, event.y or 0.0)
        if math.dist(shown, goal) > self.tolerance:
            place = f"({shown[0]:g}, {shown[1]:g}) in {frame}"
            yield self._finding(event, f"is at {place}", f"sent home to ({goal[0]:g}, {goal[1]:g})")


def _polar(x: float, y: float) -> str:
    """`24.0 units at 180°`; angles turn from +x towards +y."""
    length = math.hypot(x, y)
    angle = float(np.round(math.degrees(math.atan2(y, x)), 1)) + 0.0
    return f"{length:.1f} units" + (f" at {angle:g}°" if length >= 0.05 else "")
