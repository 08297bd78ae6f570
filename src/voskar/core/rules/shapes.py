"""Every shape as a union of convex parts with one rounding radius.

An `Outline` is a shape as it is written; a `Form` is the shape put on its actor (offset, turn), in the
actor's own units, ready to be carried into the world by a pose.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.signedinteger[Any]]
Bools = NDArray[np.bool_]

TOLERANCE = 1e-6
"""The one tolerance, in units: boxes touch when they overlap by more than this. It is far above what float64
loses on coordinates up to `LIMIT` (1.5e-8 units), and far below anything a game can show."""

LIMIT = 1e8
"""Largest coordinate accepted, in units, so that TOLERANCE keeps its meaning."""


class Outline(Struct, frozen=True, eq=False):
    """Convex parts about the box's own origin: each (n, 2), counter-clockwise in a y-up frame, and a radius.

    A part of one vertex is a point, of two a segment; with the radius they are a circle and a capsule
    (`round`). `grow` is added to the radius when the shape is put on, after any stretching; below 0 it takes away on
    every side, and a rectangle keeps its corners.
    """

    parts: tuple[Floats, ...]
    radius: float = 0.0
    round: bool = False
    grow: float = 0.0


class Form(Struct, frozen=True, eq=False):
    """An outline put on its actor. `parts` as in `Outline`, `anchor` is the box's `at`, all in local units.

    `hull` (m, 2) are the vertices that can be extreme in some direction: enough for bounds.
    """

    parts: tuple[Floats, ...]
    radius: float
    anchor: tuple[float, float]
    hull: Floats


def rotation(degrees: float) -> Floats:
    """The (2, 2) matrix that turns +x towards +y; exact at multiples of 90 degrees."""
    cos, sin = cos_sin(np.array([degrees], dtype=np.float64))
    return np.array([(cos[0], -sin[0]), (sin[0], cos[0])])


def cos_sin(degrees: Floats) -> tuple[Floats, Floats]:
    """Cosine and sine of angles in degrees, shape kept, exact at multiples of 90 degrees.

    Exactness there keeps an upright rectangle upright, so that its bounds alone decide its touches.
    """
    quarter = np.mod(degrees, 360.0) / 90.0
    # a matrix of exact zeros and ones keeps sides along the axes where they are
    square = quarter == np.floor(quarter)
    radians = np.radians(degrees)
    cos, sin = np.cos(radians), np.sin(radians)
    return np.where(square, np.round(cos), cos), np.where(square, np.round(sin), sin)


def put_on(outline: Outline, at: tuple[float, float], turn: float) -> Form:
    """Turns an outline about its own origin and moves it to `at`."""
    matrix, offset = rotation(turn), np.array(at, dtype=np.float64)
    own, radius = outline.parts, outline.radius + outline.grow
    if radius < 0:  # only a rectangle has no radius to take from
        own, radius = tuple(_shrunk(part, -radius) for part in own), 0.0
    parts = tuple(part @ matrix.T + offset for part in own)
    return Form(parts, radius, at, hull(np.concatenate(parts)))


def _shrunk(rectangle: Floats, by: float) -> Floats:
    """A rectangle along its axes that has lost so much on every side; a rectangle without a rest keeps its centre."""
    low, high = rectangle.min(axis=0), rectangle.max(axis=0)
    middle = (low + high) / 2
    # sides that have passed each other collapse to the middle, where nothing is open
    shrunk: Floats = np.where(rectangle == low, np.minimum(low + by, middle), np.maximum(high - by, middle))
    return shrunk


def hull(points: Floats) -> Floats:
    """Convex hull of (n, 2) points, counter-clockwise, without points inside its edges (Andrew's monotone chain)."""
    # equal points would stop the chain
    ordered = sorted({(float(x), float(y)) for x, y in points})
    if len(ordered) < 3:
        return np.array(ordered)

    def chain(run: list[tuple[float, float]]) -> list[tuple[float, float]]:
        kept: list[tuple[float, float]] = []
        for point in run:
            # points on a side are left out: they are extreme in no direction
            while len(kept) > 1 and _cross(kept[-2], kept[-1], point) <= 0:
                kept.pop()
            kept.append(point)
        return kept[:-1]

    return np.array(chain(ordered) + chain(ordered[::-1]))


def _cross(a: tuple[float, float], b: tuple[float, float], c: tuple[float, float]) -> float:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def is_upright(form: Form) -> bool:
    """One sharp rectangle along the axes: its bounds are the shape itself."""
    if len(form.parts) != 1 or form.radius != 0 or len(form.parts[0]) != 4:
        return False
    part = form.parts[0]
    low, high = part.min(axis=0), part.max(axis=0)
    # a corner that is no number is not upright
    return bool(np.all((part == low) | (part == high)) and math.isfinite(low.sum()))
