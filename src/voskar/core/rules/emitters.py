"""Spawning in the rules: emitters, their triggers and aims, the fans they fire, and fixtures."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from voskar.core.rules.conditions import NO_CONDITION, ActorCondition


class Fan(Struct, frozen=True):
    """Actors that spawn together: `count` actors of a kind over `spread` degrees, each off by up to `jitter` degrees.

    They set off at `speed` units a second along their aims, with `inherit` times the velocity of who spawns them; with
    both None at their own kind's velocity. Of two speeds the game draws one between them. Children that `moves_at_once`
    make their first move in the frame in which they appear.
    """

    kind: str
    count: int = 1
    spread: float = 0.0
    jitter: float = 0.0
    speed: float | tuple[float, float] | None = None
    inherit: float | None = None
    moves_at_once: bool = False

    @property
    def speeds(self) -> tuple[float, float]:
        """The least and the most that they may set off at."""
        speed = self.speed or 0.0
        return speed if isinstance(speed, tuple) else (speed, speed)

    @property
    def is_drawn(self) -> bool:
        """Whether the game draws how its actors set off."""
        return bool(self.jitter) or isinstance(self.speed, tuple)

    def offsets(self) -> tuple[float, ...]:
        """Degrees off the centre, evenly from one side to the other."""
        if self.count == 1:
            return (0.0,)
        # a spread of 360 degrees puts the first and the last on one line, which the audit reports
        return tuple(self.spread * index / (self.count - 1) - self.spread / 2 for index in range(self.count))


class Trigger(Struct, frozen=True):
    """When an emitter fires: a button pressed, released or held, a beat, or a clip that reaches a cell.

    `name` is the button or the clip; a beat falls `first` frames after its owner came into play, then `every`. A
    release with a `charge` counts only if the button was down for so many frames, at least and at most (None: any).
    """

    on: Literal["press", "release", "hold", "every", "clip"]
    name: str = ""
    cell: int = 0
    every: int = 1
    first: int = 1
    charge: tuple[int, int | None] | None = None


class Target(Struct, frozen=True):
    """An aim at the nearest actor of a kind."""

    target: str


Aim = Literal["facing", "input"] | float | Target


class Emitter(Struct, frozen=True):
    """Spawns a fan. `muzzle` and `pivot` are local points; `within` is a part of the world, x0, y0, x1, y1. What
    `moves_at_once` makes its first move in the frame it is fired. `if_` is asked of its owner. Under the `limit`
    are the shots of all emitters of its owner that have the same `limit_group`."""

    name: str
    when: Trigger
    fan: Fan
    cooldown: int = 0
    limit: int | None = None
    limit_group: str | None = None
    muzzle: tuple[float, float] = (0.0, 0.0)
    pivot: tuple[float, float] = (0.0, 0.0)
    turns: bool = False
    aim: Aim = "facing"
    within: tuple[float, float, float, float] | None = None
    moves_at_once: bool = False
    if_: ActorCondition = NO_CONDITION

    @property
    def counted_as(self) -> str:
        """The name under which its shots are counted: its own, or that of its limit group."""
        return self.name if self.limit_group is None else f"group {self.limit_group}"


class Fixture(Struct, frozen=True):
    """An actor that the rulebook places. `velocity` None: that of its kind, mirrored by its facing."""

    id: str
    kind: str
    at: tuple[float, float]
    facing: int = 1
    angle: float = 0.0
    z: float = 0.0
    velocity: tuple[float, float] | None = None
