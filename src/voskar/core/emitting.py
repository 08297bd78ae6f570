"""Emitters: when they fire, and where and which way what they spawn sets off."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from hashlib import blake2b

import numpy as np

from voskar.core.inputs import Inputs, Vector
from voskar.core.placing import Cast, Wardrobe, cell_of_tick, cells
from voskar.core.recording import Poses
from voskar.core.rules import Kind
from voskar.core.rules_driven import Emitter, Fan, Target, Trigger
from voskar.core.shapes import Ints


@dataclass(frozen=True)
class Stance:
    """Where an actor is in a frame, and how it moves: units, degrees, units a second."""

    x: float
    y: float
    facing: float = 1.0
    angle: float = 0.0
    scale: float = 1.0
    vx: float = 0.0
    vy: float = 0.0
    hidden: bool = False

    @property
    def heading(self) -> float:
        """The direction of its local +x, in (-180, 180] degrees."""
        return told_angle(self.angle if self.facing > 0 else self.angle + 180.0)

    def place(self, point: Vector) -> Vector:
        """A local point in the world."""
        cos, sin = direction(self.angle)
        x, y = point[0] * self.facing * self.scale, point[1] * self.scale
        return self.x + cos * x - sin * y, self.y + sin * x + cos * y


@dataclass(frozen=True)
class Birth:
    """An actor that appears: where, which way it turns and moves, and whose it is.

    `emitter` None: a child or an effect. `velocity` None: its kind's own. `expected`: the recording shows such
    actors itself, and this one is only foretold.
    """

    frame: int
    id: str
    kind: str
    x: float
    y: float
    angle: float
    velocity: Vector | None
    owner: int | None
    owner_id: str | None
    side: str | None
    emitter: str | None = None
    spawned: bool = True
    expected: bool = False


@dataclass(frozen=True)
class Denial:
    """A trigger that could not fire, and why."""

    frame: int
    id: str
    emitter: str
    reason: str


def draw(seed: int, name: str, what: str) -> float:
    """A number in [0, 1) that depends on these three alone, so that a game in any language can make the same."""
    digest = blake2b(f"{seed}:{name}:{what}".encode(), digest_size=8).digest()
    return int.from_bytes(digest, "big") / 2**64


def told_angle(degrees: float) -> float:
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
    return told_angle(math.degrees(math.atan2(y, x)))


def aim_of(
    emitter: Emitter, stance: Stance, told: Callable[[], Vector | None], nearest: Callable[[Vector, str], Vector | None]
) -> float:
    """The aim of an emitter in degrees. `told` gives an input's aim, `nearest` the nearest of a kind to a point."""
    aim = emitter.aim
    if isinstance(aim, float | int):
        return told_angle(180.0 - aim if direction(stance.heading)[0] < 0 else aim)
    if aim == "facing":
        return stance.heading
    origin = stance.place(emitter.pivot if emitter.turns else emitter.muzzle)
    goal = nearest(origin, aim.kind) if isinstance(aim, Target) else told()
    if goal is None or goal == origin:
        return stance.heading
    return angle_of(goal[0] - origin[0], goal[1] - origin[1])


def muzzle_of(emitter: Emitter, stance: Stance, aim: float) -> Vector:
    """Where the muzzle is in the world: turned about the pivot by the aim if the emitter `turns`, and then mirrored
    top to bottom when the aim points backwards, as a held weapon is."""
    if not emitter.turns:
        return stance.place(emitter.muzzle)
    x0, y0 = stance.place(emitter.pivot)
    cos, sin = direction(aim)
    x = (emitter.muzzle[0] - emitter.pivot[0]) * stance.scale
    y = (emitter.muzzle[1] - emitter.pivot[1]) * stance.scale * (-1.0 if cos < 0 else 1.0)
    return x0 + cos * x - sin * y, y0 + sin * x + cos * y


def fan_of(
    fan: Fan, centre: float, names: list[str], seed: int, inherited: Vector
) -> list[tuple[float, Vector | None]]:
    """The angle and velocity of each of a fan, in (-180, 180] degrees and units a second."""
    found = []
    for offset, name in zip(fan.offsets(), names, strict=True):
        angle = centre + offset
        if fan.jitter:
            angle += fan.jitter * (2 * draw(seed, name, "jitter") - 1)
        angle = told_angle(angle)
        velocity: Vector | None = None
        if fan.speed is not None or fan.inherit is not None:
            cos, sin = direction(angle)
            speed, share = fan.speed or 0.0, fan.inherit or 0.0
            velocity = cos * speed + inherited[0] * share, sin * speed + inherited[1] * share
        found.append((angle, velocity))
    return found


def input_frames(trigger: Trigger, name: str, inputs: Inputs) -> Ints:
    """The frames in which an actor's button sets off a press, release or hold."""
    frames = {"press": inputs.pressed, "release": inputs.released, "hold": inputs.held}
    return frames[trigger.on](name, trigger.name)


def beats(trigger: Trigger, since: Ints, start: int, stop: int) -> Iterator[tuple[int, int]]:
    """(frame, row) of every beat from start to stop - 1 of owners in play since some frames (n,)."""
    zero = since + trigger.first
    lowest = np.maximum(-((zero - start) // trigger.every), 0)  # the first beat at start or later
    highest = (stop - 1 - zero) // trigger.every
    for row in np.flatnonzero(highest >= lowest).tolist():
        for beat in range(int(lowest[row]), int(highest[row]) + 1):
            yield int(zero[row]) + beat * trigger.every, row


def clip_starts(
    trigger: Trigger, poses: Poses, lead: int, kind: Kind, number: int, cast: Cast, wardrobe: Wardrobe
) -> Ints:
    """Rows from `lead` on in which a clip that actors of a kind show first reaches the trigger's cell since it began.

    It begins anew where it was not shown in the frame before, and where its cell or tick has gone back.
    """
    if trigger.name not in cast.clips:
        return np.zeros(0, dtype=np.int64)
    clip = cast.clips.index(trigger.name)
    rows = np.flatnonzero((cast.kind[poses.actor] == number) & (poses.clip == clip))
    cell = np.full(len(poses), -1, dtype=np.int64)
    cell[rows] = cells(poses, rows, kind, cast.clips, wardrobe.rules.rate)
    before = poses.previous[rows]
    fresh = (before < 0) | (poses.clip[before] != clip)
    fresh |= (cell[rows] < cell[before]) | (poses.tick[rows] < poses.tick[before])
    fires = (cell[rows] >= trigger.cell) & (fresh | (cell[before] < trigger.cell))
    result: Ints = rows[fires & (rows >= lead)]
    return result


def tick_starts(trigger: Trigger, kind: Kind, ticks: Ints, wardrobe: Wardrobe) -> Ints:
    """The same for a driven actor, which shows its kind's clip from tick 0 on: (n,) indices into ticks."""
    if kind.motion.clip != trigger.name:
        return np.zeros(0, dtype=np.int64)
    now, before = (
        cell_of_tick(np.maximum(some, 0), kind, trigger.name, wardrobe.rules.rate) for some in (ticks, ticks - 1)
    )
    fresh = (ticks == 0) | (now < before)
    return np.flatnonzero((now >= trigger.cell) & (fresh | (before < trigger.cell)) & (ticks >= 0))
