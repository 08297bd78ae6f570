"""Which way an emitter points, and where its muzzle is."""

from __future__ import annotations

import math
from collections.abc import Callable

from msgspec import Struct

from voskar.core.recording.inputs import Vector
from voskar.core.rules import Emitter, Target

SAME_POINT = 1e-9
"""Units within which a point is the very one that it is measured from: rounding alone would have a direction."""


class Stance(Struct, frozen=True):
    """Where an owner is in a frame, and how it moves: units, degrees, units a second."""

    x: float
    y: float
    facing: float = 1.0
    angle: float = 0.0
    scale: float = 1.0
    vx: float = 0.0
    vy: float = 0.0

    @property
    def heading(self) -> float:
        """The direction of its local +x, in (-180, 180] degrees."""
        return wrapped_angle(self.angle if self.facing > 0 else self.angle + 180.0)

    def place(self, point: Vector) -> Vector:
        """A local point in the world."""
        # Exact at right angles, so that a muzzle on an axis stays on it.
        cos, sin = direction(self.angle)
        x, y = point[0] * self.facing * self.scale, point[1] * self.scale
        return self.x + cos * x - sin * y, self.y + sin * x + cos * y


def wrapped_angle(degrees: float) -> float:
    """The same direction in (-180, 180]."""
    turned = math.fmod(degrees, 360.0)
    return turned - 360.0 if turned > 180.0 else turned + 360.0 if turned <= -180.0 else turned


def direction(degrees: float) -> Vector:
    """The unit vector of an angle, exact at multiples of 90 degrees."""
    radians = math.radians(degrees)
    x, y = math.cos(radians), math.sin(radians)
    return (float(round(x)), float(round(y))) if degrees % 90.0 == 0 else (x, y)


def angle_of(x: float, y: float) -> float:
    """The direction of a vector, in (-180, 180] degrees."""
    return wrapped_angle(math.degrees(math.atan2(y, x)))


def aim_of(
    emitter: Emitter,
    stance: Stance,
    pointed: Callable[[], Vector | None],
    nearest: Callable[[Vector, str], Vector | None],
    over: Callable[[float, float], Vector],
) -> float:
    """The aim of an emitter in degrees. `pointed` gives an input's aim, `nearest` the nearest of a kind to a point,
    `over` by how much a way is shortened where the space wraps."""
    aim = emitter.aim
    if isinstance(aim, float | int):
        # Degrees are given for an owner that faces right.
        return wrapped_angle(180.0 - aim if direction(stance.heading)[0] < 0 else aim)
    if aim == "facing":
        return stance.heading
    origin = stance.place(emitter.pivot if emitter.turns else emitter.muzzle)
    goal = nearest(origin, aim.target) if isinstance(aim, Target) else pointed()
    if goal is None:
        return stance.heading
    dx, dy = goal[0] - origin[0], goal[1] - origin[1]
    # An input points at a place on the screen, which wraps; the nearest target is measured across the edge already.
    if not isinstance(aim, Target):
        x, y = over(dx, dy)
        dx, dy = dx + x, dy + y
    return stance.heading if math.hypot(dx, dy) < SAME_POINT else angle_of(dx, dy)


def muzzle_of(emitter: Emitter, stance: Stance, aim: float) -> Vector:
    """Where the muzzle is in the world: turned about the pivot by the aim if the emitter `turns`, and then mirrored
    top to bottom when the aim points backwards, as a held weapon is."""
    if not emitter.turns:
        return stance.place(emitter.muzzle)
    x0, y0 = stance.place(emitter.pivot)
    cos, sin = direction(aim)
    # Otherwise a weapon that points left would be upside down.
    x = (emitter.muzzle[0] - emitter.pivot[0]) * stance.scale
    y = (emitter.muzzle[1] - emitter.pivot[1]) * stance.scale * (-1.0 if cos < 0 else 1.0)
    return x0 + cos * x - sin * y, y0 + sin * x + cos * y
