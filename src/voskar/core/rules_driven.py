"""What sets actors in motion: motions, emitters, and what they spawn; frozen values of a rulebook."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from voskar.core.shapes import Outline

EdgeRule = Literal["none", "remove", "wrap", "bounce", "stop"]
SolidRule = Literal["pass", "remove", "bounce", "stop", "turn"]


@dataclass(frozen=True)
class Motion:
    """How a driven actor of a kind moves: units a second, units a second squared, degrees a second.

    `gravity` is a multiple of the space's. `max_speed` and `bounces` None: any. `life` None: without end, else
    it is present in that many frames. `bounciness` is the share of its speed that a bounce keeps.
    """

    velocity: tuple[float, float] = (0.0, 0.0)
    acceleration: tuple[float, float] = (0.0, 0.0)
    gravity: float = 0.0
    drag: float = 0.0
    spin: float = 0.0
    max_speed: float | None = None
    life: int | None = None
    at_edge: EdgeRule = "none"
    on_solid: SolidRule = "pass"
    bounces: int | None = None
    bounciness: float = 1.0
    clip: str | None = None


@dataclass(frozen=True)
class Fan:
    """What is spawned in one go: `count` actors of a kind over `spread` degrees, each off by up to `jitter` degrees.

    They set off at `speed` units a second along their aims, with `inherit` times the velocity of who spawns
    them; with both None at their own kind's velocity.
    """

    kind: str
    count: int = 1
    spread: float = 0.0
    jitter: float = 0.0
    speed: float | None = None
    inherit: float | None = None

    def offsets(self) -> tuple[float, ...]:
        """Degrees off the centre, evenly from one side to the other."""
        if self.count == 1:
            return (0.0,)
        return tuple(self.spread * index / (self.count - 1) - self.spread / 2 for index in range(self.count))


@dataclass(frozen=True)
class Trigger:
    """When an emitter fires: a button pressed, released or held, a beat, or a clip that reaches a cell.

    `name` is the button or the clip; a beat falls `first` frames after its owner came into play, then `every`.
    """

    on: Literal["press", "release", "hold", "every", "clip"]
    name: str = ""
    cell: int = 0
    every: int = 1
    first: int = 1


@dataclass(frozen=True)
class Target:
    """An aim at the nearest actor of a kind."""

    kind: str


Aim = Literal["facing", "input"] | float | Target


@dataclass(frozen=True)
class Emitter:
    """Spawns a fan. `muzzle` and `pivot` are local points; `within` is a part of the world, x0, y0, x1, y1."""

    name: str
    when: Trigger
    fan: Fan
    cooldown: int = 0
    limit: int | None = None
    muzzle: tuple[float, float] = (0.0, 0.0)
    pivot: tuple[float, float] = (0.0, 0.0)
    turns: bool = False
    aim: Aim = "facing"
    within: tuple[float, float, float, float] | None = None


@dataclass(frozen=True)
class Fixture:
    """An actor that the rulebook places. `velocity` None: that of its kind, mirrored by its facing."""

    id: str
    kind: str
    at: tuple[float, float]
    facing: int = 1
    angle: float = 0.0
    velocity: tuple[float, float] | None = None


@dataclass(frozen=True)
class Solid:
    """A part of the world that stops bodies: convex parts in the world, and the layers it is on."""

    outline: Outline
    layer: int = 0
