"""From a shape as it is written to convex parts: capsules, polygons cut up, pixels gathered into rectangles."""

from __future__ import annotations

import numpy as np

from voskar.core.rules.shapes import Bools, Floats, Outline

Point = tuple[float, float]


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


def polygon(points: list[Point]) -> Outline:
    """A simple polygon, convex or not, in either sense of rotation, cut into convex parts.

    Ears are clipped (Meisters 1975) and triangles joined again where the result stays convex (Hertel,
    Mehlhorn 1983). Raises ValueError, saying what is wrong, for fewer than 3 corners, sides that cross or
    touch, and outlines without an area.
    """
    ring = _tidy(points)
    crossing = _crossing(ring)
    if crossing:
        raise ValueError(f"its sides {crossing[0]} and {crossing[1]} meet")
    if _area(ring) < 0:
        ring = ring[::-1]
    return Outline(tuple(np.array(part) for part in _convex_parts(ring)))


def _tidy(points: list[Point]) -> list[Point]:
    """Without repeated corners and corners on a straight side."""
    if len(points) < 3:
        raise ValueError(f"it has {len(points)} corners, expected 3 or more")
    ring = [point for index, point in enumerate(points) if point != points[index - 1]]
    if len(set(ring)) != len(ring):
        raise ValueError("two of its corners are in one place")
    for index, point in enumerate(ring):
        before, after = ring[index - 1], ring[(index + 1) % len(ring)]
        if cross(before, point, after) == 0 and _dot(point, before, after) > 0:
            raise ValueError(f"its outline turns back on itself at {list(point)}")
    kept = [point for index, point in enumerate(ring) if cross(ring[index - 1], point, ring[(index + 1) % len(ring)])]
    if len(kept) < 3:
        raise ValueError("it has no area")
    return kept


def cross(a: Point, b: Point, c: Point) -> float:
    """Twice the signed area of a triangle: above 0 when a, b, c turn from +x towards +y."""
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def _dot(at: Point, a: Point, b: Point) -> float:
    """The dot product of the ways from a point to two others."""
    return (a[0] - at[0]) * (b[0] - at[0]) + (a[1] - at[1]) * (b[1] - at[1])


def _area(ring: list[Point]) -> float:
    return sum(a[0] * b[1] - a[1] * b[0] for a, b in zip(ring, ring[1:] + ring[:1], strict=True))


def _crossing(ring: list[Point]) -> tuple[int, int] | None:
    """Two sides that share a point and are no neighbours, counted from 1."""
    count = len(ring)
    for i in range(count):
        a, b = ring[i], ring[(i + 1) % count]
        for j in range(i + 1, count):
            c, d = ring[j], ring[(j + 1) % count]
            if (j + 1) % count == i or j == i + 1:
                continue  # neighbours share their corner; that they do not fold back is seen before
            if _meet(a, b, c, d):
                return i + 1, j + 1
    return None


def _meet(a: Point, b: Point, c: Point, d: Point) -> bool:
    """Whether segments ab and cd share a point."""
    sides = [cross(a, b, c), cross(a, b, d), cross(c, d, a), cross(c, d, b)]
    if sides[0] * sides[1] < 0 and sides[2] * sides[3] < 0:
        return True
    ends = [(a, b, c), (a, b, d), (c, d, a), (c, d, b)]
    return any(side == 0 and _between(*end) for side, end in zip(sides, ends, strict=True))


def _between(a: Point, b: Point, point: Point) -> bool:
    """Whether a point on the line ab lies on the segment."""
    return all(min(a[axis], b[axis]) <= point[axis] <= max(a[axis], b[axis]) for axis in (0, 1))


def _convex_parts(ring: list[Point]) -> list[list[Point]]:
    if all(cross(ring[i - 2], ring[i - 1], ring[i]) > 0 for i in range(len(ring))):
        return [ring]
    parts = _triangles(ring)
    merged = True
    while merged:
        merged = False
        for i in range(len(parts)):
            for j in range(i + 1, len(parts)):
                joined = _joined(parts[i], parts[j])
                if joined:
                    parts[i] = joined
                    del parts[j]
                    merged = True
                    break
            if merged:
                break
    return parts


def _triangles(ring: list[Point]) -> list[list[Point]]:
    rest, found = list(ring), []
    while len(rest) > 3:
        for i in range(len(rest)):
            a, b, c = rest[i - 1], rest[i], rest[(i + 1) % len(rest)]
            others = (point for point in rest if point not in (a, b, c))
            if cross(a, b, c) > 0 and not any(_inside(a, b, c, point) for point in others):
                found.append([a, b, c])
                del rest[i]
                break
        else:  # every simple polygon has an ear (Meisters 1975), unless rounding hides it
            raise ValueError("it is too thin to be cut into convex parts")
    return [*found, rest] if cross(*rest) > 0 else found


def _inside(a: Point, b: Point, c: Point, point: Point) -> bool:
    return cross(a, b, point) >= 0 and cross(b, c, point) >= 0 and cross(c, a, point) >= 0


def _joined(one: list[Point], other: list[Point]) -> list[Point] | None:
    """Two parts across a shared side as one, if that is convex."""
    for i, start in enumerate(one):
        end = one[(i + 1) % len(one)]
        if start in other and end in other and other[(other.index(end) + 1) % len(other)] == start:
            at = other.index(start)
            outer = [other[(at + step) % len(other)] for step in range(1, len(other) - 1)]
            ring = one[: i + 1] + outer + one[i + 1 :]
            ring = [p for k, p in enumerate(ring) if cross(ring[k - 1], p, ring[(k + 1) % len(ring)]) != 0]
            if all(cross(ring[k - 2], ring[k - 1], ring[k]) > 0 for k in range(len(ring))):
                return ring
    return None


def pixels(solid: Bools, origin: Point, side: float, down: float) -> Outline:
    """The solid cells (rows, columns) of an image as maximal rectangles that cover them, and may overlap.

    `origin` is the image point (x to the right, y down, in cells) that sits on the box's own origin, `side`
    the side of a cell in units, `down` 1 where the world's +y is down as the image's is, -1 where it is up.
    Raises ValueError if no cell is solid.
    """
    if not solid.any():
        raise ValueError("none of its cells is solid")
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
