"""Motion of driven actors, in the rules."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

EdgeRule = Literal["none", "remove", "wrap", "bounce", "stop"]
SolidRule = Literal["pass", "remove", "bounce", "stop", "turn"]


class Motion(Struct, frozen=True):
    """The motion of driven actors of a kind: units a second, units a second squared, degrees a second.

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

    @property
    def is_even(self) -> bool:
        """Whether nothing on its way bends or slows it."""
        # only then is the place of a frame a multiple of the first step
        return not (any(self.acceleration) or self.gravity or self.drag or self.max_speed is not None)

    @property
    def edge_ends(self) -> bool:
        """Whether an edge ends it sooner or later: the first one, or the one after its last bounce."""
        # a shot that bounces without end never leaves
        return self.at_edge == "remove" or (self.at_edge == "bounce" and self.bounces is not None)

    @property
    def solid_ends(self) -> bool:
        """The same of solids."""
        return self.on_solid == "remove" or (self.on_solid == "bounce" and self.bounces is not None)
