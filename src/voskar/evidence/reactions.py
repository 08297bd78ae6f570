"""Baked recordings: what their poses should show of knockback, rebound and the way home."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from voskar.core.ledger import Event, Ledger
from voskar.core.recording import Recording
from voskar.core.recording.lingering import velocities

TOLERANCE = 1.0
"""Units by which poses may differ from what the rules expect; for speeds, units a frame."""


@dataclass(frozen=True)
class Unshown:
    """A reaction that the poses do not show: the event, what they show, and what the rules expect, in words."""

    event: Event
    shown: str
    expected: str


def unshown(recording: Recording, ledger: Ledger, tolerance: float = TOLERANCE) -> list[Unshown]:
    """Reactions in a baked recording that its poses do not show, in order; a raw one has none to show.

    A knockback is looked at from the frame of the blow to its last, unless another reaction or going down cuts
    it short, or the actor is gone by then. A rebound is the vertical speed in the frame after; home the place
    in the frame after.
    """
    if recording.reactions == "raw":
        return []
    look = _Look(recording, ledger, tolerance)
    checks = {"knockback": look.knockback, "rebound": look.rebound, "home": look.home}
    found = [checks[event.event](event) for event in ledger.events if event.event in checks]
    return [one for one in found if one is not None]


class _Look:
    def __init__(self, recording: Recording, ledger: Ledger, tolerance: float) -> None:
        self.recording, self.tolerance = recording, tolerance
        self.vx, self.vy = velocities(
            recording.poses, float(recording.rate), np.full((len(recording.actors), 2), np.inf)
        )
        self.turns: dict[str, list[int]] = {}  # frames in which an actor's course changes
        for event in ledger.events:
            if event.event in ("knockback", "home", "rebound", "down", "removed") and event.id:
                self.turns.setdefault(event.id, []).append(event.frame)

    def _row(self, event: Event, frame: int) -> int | None:
        number = self.recording.numbers.get(event.id or "")
        found = None if number is None else self.recording.pose_from(number, frame)
        return found[0] if found is not None and found[1] == frame else None

    def _way(self, start: int, row: int) -> tuple[float, float]:
        poses = self.recording.poses
        return float(poses.x[row] - poses.x[start]), float(poses.y[row] - poses.y[start])

    def knockback(self, event: Event) -> Unshown | None:
        """The whole way from the frame of the blow to the last frame of the push."""
        until, goal = event.until or event.frame, (event.dx or 0.0, event.dy or 0.0)
        if any(event.frame < turn < until for turn in self.turns.get(event.id or "", ())):
            return None
        start, end = self._row(event, event.frame), self._row(event, until)
        if start is None or end is None:
            return None
        shown = self._way(start, end)
        if math.dist(shown, goal) <= self.tolerance:
            return None
        told = f"moves {_polar(*shown)} to frame {until}"
        for later in range(until + 1, until + 2 + 2 * (until - event.frame)):
            row = self._row(event, later)
            if row is not None and math.dist(self._way(start, row), goal) <= self.tolerance:
                told += f", and is there in {later}, {later - until} frames later"
                break
        return Unshown(event, told, f"pushed {_polar(*goal)} from {event.frame + 1} to {until}")

    def rebound(self, event: Event) -> Unshown | None:
        """The vertical speed in the frame after."""
        row = self._row(event, event.frame + 1)
        if row is None:
            return None
        shown, goal = float(self.vy[row]), event.vy or 0.0
        if abs(shown - goal) <= self.tolerance * float(self.recording.rate):
            return None
        frame = event.frame + 1
        return Unshown(event, f"vertical speed {shown:.1f} in {frame}", f"sent off at {goal:.1f} from {frame} on")

    def home(self, event: Event) -> Unshown | None:
        """The place in the frame after."""
        row = self._row(event, event.frame + 1)
        if row is None:
            return None
        poses = self.recording.poses
        shown, goal = (float(poses.x[row]), float(poses.y[row])), (event.x or 0.0, event.y or 0.0)
        if math.dist(shown, goal) <= self.tolerance:
            return None
        place = f"({shown[0]:g}, {shown[1]:g}) in {event.frame + 1}"
        return Unshown(event, f"is at {place}", f"sent home to ({goal[0]:g}, {goal[1]:g})")


def _polar(x: float, y: float) -> str:
    """`24.0 units at 180°`; angles turn from +x towards +y."""
    length = math.hypot(x, y)
    angle = float(np.round(math.degrees(math.atan2(y, x)), 1)) + 0.0
    return f"{length:.1f} units" + (f" at {angle:g}°" if length >= 0.05 else "")
