"""What judging may ask about where things are: positions, velocities, headings, and where a striker came from."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from voskar.core.lingering import velocities
from voskar.core.placing import Cast, Fitted, Wardrobe, cells, form_bounds
from voskar.core.recording import Poses
from voskar.core.rules import Attack, Place
from voskar.core.shapes import TOLERANCE

if TYPE_CHECKING:
    from voskar.core.touching import Touches

Vector = tuple[float, float]


@dataclass(frozen=True)
class Bearing:
    """Where a striker is, seen from its target, and the numbers that decided.

    `frame` is the one looked at. `gap` is how far the striker (its lowest point, or its centre) is above the
    target (its highest point, or its centre), in units along up; `along` the part of the way to the striker
    along the target's heading.
    """

    place: Place
    frame: int
    gap: float
    along: float


class Sight:
    """Answers for the poses of one block; `row` is a row of its touch table."""

    def __init__(self, poses: Poses, touches: Touches, cast: Cast, wardrobe: Wardrobe, velocity_of: Poses) -> None:
        self.poses, self.touches, self.cast, self.wardrobe = poses, touches, cast, wardrobe
        self._moving = velocity_of
        self._velocities: tuple[np.ndarray, np.ndarray] | None = None
        self.up = -1.0 if wardrobe.rules.space.up == "-y" else 1.0

    def pose_rows(self, row: int) -> tuple[int, int]:
        """The poses of striker and target."""
        return int(self.touches.striker_pose[row]), int(self.touches.target_pose[row])

    def position(self, pose: int, t: float = 1.0) -> Vector:
        """Where an actor is at a time of the frame, on the straight way from the frame before."""
        x, y = float(self.poses.x[pose]), float(self.poses.y[pose])
        before = self._usable(pose)
        if t == 1.0 or before is None:
            return x, y
        x0, y0 = float(self.poses.x[before]), float(self.poses.y[before])
        return x0 + (x - x0) * t, y0 + (y - y0) * t

    def _usable(self, pose: int) -> int | None:
        """The pose of the frame before, for an actor that was in play then and is not cut."""
        before = int(self.poses.previous[pose])
        if before < 0 or self.poses.cut[pose] or self.poses.hidden[before]:
            return None
        return before

    def velocity(self, pose: int) -> Vector:
        """Units a second, as recorded: a push is no part of it."""
        if self._velocities is None:
            self._velocities = velocities(self._moving, float(self.wardrobe.rules.rate))
        return float(self._velocities[0][pose]), float(self._velocities[1][pose])

    def heading(self, pose: int) -> Vector:
        """The direction of an actor's local +x, of length 1."""
        m00, _, m10, _ = (float(entry[pose]) for entry in self.poses.matrix)
        length = math.hypot(m00, m10)
        return m00 / length, m10 / length

    def falling(self, row: int) -> tuple[bool, float]:
        """Whether the striker's velocity points downwards, and how fast it falls, in units a second."""
        fall = -self.velocity(self.pose_rows(row)[0])[1] * self.up
        return fall > 0, fall

    def bearing(self, row: int, attack: Attack) -> Bearing:
        """Where the striker is, seen from the target.

        By edge: above if the hitbox's lowest point was no more than the slack below the hurtbox's highest; else
        below the other way round; else ahead if the way to the striker has a part of 0 or more along the
        target's heading; else behind; all in the frame before, or in this one if either was not in play then
        or its pose is cut. By centre: above or below if positions differ by more than the slack, in this frame.
        """
        striker, target = self.pose_rows(row)
        if attack.from_by == "edge":
            old_striker, old_target = self._usable(striker), self._usable(target)
            if old_striker is not None and old_target is not None:
                striker, target = old_striker, old_target
            hit_low, hit_high = self._heights(striker, self.wardrobe.fitted[int(self.touches.hitbox[row])])
            hurt_low, hurt_high = self._heights(target, self.wardrobe.fitted[int(self.touches.hurtbox[row])])
            gap, under = hit_low - hurt_high, hurt_low - hit_high
            slack = attack.slack + TOLERANCE
            above, below = gap >= -slack, under >= -slack
        else:
            gap = (float(self.poses.y[striker]) - float(self.poses.y[target])) * self.up
            above, below = gap > attack.slack, -gap > attack.slack
        (x, y), (x0, y0), (hx, hy) = self.position(striker), self.position(target), self.heading(target)
        along = (x - x0) * hx + (y - y0) * hy
        place: Place = "above" if above else "below" if below else "ahead" if along >= 0 else "behind"
        return Bearing(place, int(self.poses.frame[striker]), gap, along)

    def _heights(self, pose: int, fitted: Fitted) -> tuple[float, float]:
        """The lowest and highest point of a box along up, open or not."""
        rows = np.array([pose])
        kind = self.wardrobe.rules.kinds[fitted.kind]
        cell = int(cells(self.poses, rows, kind, self.cast.clips, self.wardrobe.rules.rate)[0])
        clip = int(self.poses.clip[pose])
        form = fitted.form_in(self.cast.clips[clip] if clip >= 0 else None, cell)
        bounds = form_bounds(self.poses, rows, self.wardrobe.forms[form])
        y0, y1 = float(bounds[1, 0]) * self.up, float(bounds[3, 0]) * self.up
        return min(y0, y1), max(y0, y1)
