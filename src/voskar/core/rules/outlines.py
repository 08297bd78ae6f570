"""From a shape as it is written to convex parts: capsules, polygons, pixels gathered into rectangles."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from voskar.core.rules.polygons import Point, convex_parts
from voskar.core.rules.shapes import Bools, Floats, Outline


def capsule(radius: float, length: float) -> Outline:
    """All points within `radius` of a segment of `length` along x, centred on the origin; of length 0 a circle."""
    if length == 0:
        return circle(radius)
    half = length / 2
    return Outline((np.array([(-half, 0.0), (half, 0.0)]),), radius, round=True)


def circle(radius: float) -> Outline:
    """A disc about the origin."""
    return Outline((np.zeros((1, 2)),), radius, round=True)


def rectangle(x0: float, y0: float, x1: float, y1: float) -> Outline:
    """The rectangle between two corners, given in any order."""
    left, right, low, high = min(x0, x1), max(x0, x1), min(y0, y1), max(y0, y1)
    return Outline((np.array([(left, low), (right, low), (right, high), (left, high)], dtype=np.float64),))


def polygon(points: Sequence[Point]) -> Outline:
    """A simple polygon, convex or not, in either sense of rotation, cut into convex parts.

    Raises ValueError with the mistake for fewer than 3 or more than 10,000 corners, sides that cross or touch,
    and outlines without an area.
    """
    return Outline(tuple(np.array(part) for part in convex_parts(points)))


def pixels(solid: Bools, origin: Point, side: float, down: float) -> Outline:
    """The solid cells (rows, columns) of an image as maximal rectangles that cover them, and may overlap.

    `origin` is the image point (x to the right, y down, in cells) that sits on the box's own origin, `side`
    the side of a cell in units, `down` 1 where the world's +y is down as the image's is, -1 where it is up.
    Raises ValueError if no cell is solid.
    """
    if not solid.any():
        raise ValueError("none of its cells is solid")
    # rectangles may overlap, since a union of convex parts is all that a touch needs
    uncovered = solid.copy()
    parts = []
    for row, column in np.argwhere(solid).tolist():
        if not uncovered[row, column]:
            continue
        top, bottom, left, right = _grow(solid, row, column)
        uncovered[top:bottom, left:right] = False
        corners = rectangle(left - origin[0], (top - origin[1]) * down, right - origin[0], (bottom - origin[1]) * down)
        parts.append(corners.parts[0] * side)
    return Outline(tuple(parts))


def _grow(solid: Bools, row: int, column: int) -> tuple[int, int, int, int]:
    """A rectangle of solid cells around one that can grow to no side: top, bottom, left, right."""
    # first as wide as its own row allows, then as high as all of that width is solid: maximal, not the largest
    blocked = np.flatnonzero(~solid[row])
    after, before = blocked[blocked > column], blocked[blocked < column]
    right = int(after[0]) if len(after) else solid.shape[1]
    left = int(before[-1]) + 1 if len(before) else 0
    full = np.all(solid[:, left:right], axis=1, keepdims=True)[:, 0]
    gaps = np.flatnonzero(~full)
    below, above = gaps[gaps > row], gaps[gaps < row]
    return (
        int(above[-1]) + 1 if len(above) else 0,
        int(below[0]) if len(below) else solid.shape[0],
        left,
        right,
    )


def stretched(outline: Outline, stretch: Point) -> Outline:
    """An outline with its vertices multiplied along its own axes.

    A circle or capsule has its two extents multiplied and stays a capsule: its radius is half the smaller
    extent, its segment lies along the larger one and makes up the difference.
    """
    if not outline.round:
        return Outline(tuple(part * np.array(stretch) for part in outline.parts), outline.radius, grow=outline.grow)
    part = outline.parts[0]
    length = float(part[-1, 0] - part[0, 0])
    wide, high = (length + 2 * outline.radius) * stretch[0], 2 * outline.radius * stretch[1]
    half = abs(wide - high) / 2
    if half == 0:
        return Outline((np.zeros((1, 2)),), wide / 2, round=True, grow=outline.grow)
    end: Floats = np.array([half, 0.0]) if wide > high else np.array([0.0, half])
    return Outline((np.stack([-end, end]),), min(wide, high) / 2, round=True, grow=outline.grow)
