"""The space that actors are in, and the rules that hold for every contact."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from voskar.core.rules.layers import Detect
from voskar.core.rules.shapes import Outline


class Solid(Struct, frozen=True):
    """A part of the world that stops bodies: convex parts in the world, and the layers it is on."""

    outline: Outline
    layer: int = 0


class Space(Struct, frozen=True):
    """`up` is "-y" or "+y"; `bounds` are x0, y0, x1, y1 in units, `gravity` units a second squared."""

    up: Literal["-y", "+y"] = "-y"
    bounds: tuple[float, float, float, float] | None = None
    gravity: float = 0.0
    solids: tuple[Solid, ...] = ()

    @property
    def upwards(self) -> float:
        """The sign of y along `up`."""
        return -1.0 if self.up == "-y" else 1.0


class ContactRules(Struct, frozen=True):
    """The rules that hold for every contact."""

    detect: Detect = "either"
    same_frame: Literal["first", "all"] = "first"
    health_check: Literal["frame_end", "at_once"] = "frame_end"
    edges_touch: bool = False
