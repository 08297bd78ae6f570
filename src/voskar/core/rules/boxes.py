"""Boxes fixed to a kind, and the clips and cells that open and move them."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Literal

from msgspec import Struct

from voskar.core.rules.conditions import NO_CONDITION, ActorCondition, Windows, within
from voskar.core.rules.shapes import Outline

Role = Literal["hitbox", "hurtbox", "body"]

MOST_TICKS = 1 << 40
"""The highest tick of a pose."""


def _from_below(value: Fraction) -> Fraction:
    """The largest fraction up to a value with a denominator of at most MOST_TICKS.

    m / tick <= value holds for whole m and tick just if it holds for this fraction, as none lies between. Of the last
    two steps of the continued fraction one is the nearest from below (Hardy and Wright, The Theory of Numbers, chapter
    10).
    """
    if value.denominator <= MOST_TICKS:
        return value
    # the continued fraction of the value, step by step, until the next denominator would be too large
    p0, q0, p1, q1 = 0, 1, 1, 0
    n, d = value.numerator, value.denominator
    while q0 + n // d * q1 <= MOST_TICKS:
        p0, q0, p1, q1, n, d = p1, q1, p0 + n // d * p1, q0 + n // d * q1, d, n - n // d * d
    # between the last two steps there are others, and one of them may be nearer
    k = (MOST_TICKS - q0) // q1
    return max(number for number in (Fraction(p1, q1), Fraction(p0 + k * p1, q0 + k * q1)) if number <= value)


class Clip(Struct, frozen=True):
    """An animation of a kind. `rate` is cells a second, None for one cell a frame."""

    cells: int
    rate: Fraction | None = None
    loop: bool = False
    iframes: tuple[tuple[int, int], ...] = ()
    """Ranges of cells in which its actor is immune."""

    def step(self, recording_rate: Fraction) -> Fraction:
        """Cells a frame, as a fraction of whole numbers that a machine can hold: floor(tick * step) is exact for every
        tick up to MOST_TICKS."""
        return Fraction(1) if self.rate is None else _from_below(self.rate / recording_rate)


class Key(Struct, frozen=True):
    """A new shape or place of a box from a cell on. None: this key does not name the value."""

    cell: int
    at: tuple[float, float] | None = None
    turn: float | None = None
    stretch: tuple[float, float] | None = None
    blend: Literal["hold", "linear"] = "hold"


class Box(Struct, frozen=True):
    """A shape fixed to a kind. `layer` and `mask` are bit sets over `Rules.layers`.

    `during` None: open in every cell. It is closed where its actor does not meet `if_`. `swept` None: if emitters or
    parents spawn the kind. `keys` by clip, sorted by cell. One that is `logged`, under that name, is where the game
    says; its outline only says by how much it grows, `pad` by how much more towards low x, low y, high x and high y.
    One `within_bounds` is closed while it sticks out of the space. Two boxes with a `depth`, about the z of their
    actors, touch only where these overlap.
    """

    name: str
    role: Role
    outline: Outline
    at: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    layer: int = 0
    mask: int = 0
    attack: str | None = None
    rank: int = 0
    damage_scale: float = 1.0
    during: Windows | None = None
    except_during: Windows = {}
    keys: Mapping[str, tuple[Key, ...]] = {}
    swept: bool | None = None
    logged: str = ""
    pad: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    within_bounds: bool = False
    if_: ActorCondition = NO_CONDITION
    depth: tuple[float, float] | None = None

    def opens(self, clip: str | None, cell: int) -> bool:
        """Whether the box is open in a cell of a clip; without a clip only where it names no cells."""
        # a pose without a clip shows no cell, so a box that names cells is closed
        inside = self.during is None or within(self.during, clip, cell)
        return inside and not within(self.except_during, clip, cell)
