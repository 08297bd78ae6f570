"""Signed gaps between convex parts in bulk, exact up to rounding.

A part is a convex polygon, a segment or a point, with a rounding radius. For cores that overlap the gap is
minus their penetration depth, found on the separating axes (for convex polygons the shallowest way out is
along an edge's normal: Gottschalk, Lin, Manocha 1996); for cores apart it is the least distance of a corner
of one from an edge of the other. The radii are then taken off.
"""

from __future__ import annotations

import numpy as np

from voskar.core.recording import Bools
from voskar.core.shapes import Floats


def axes(corners: Floats) -> Floats:
    """(k, a, 2) unit directions that can separate parts (k, n, 2) from others; zero for an edge of no length.

    A segment adds its own direction and a point the two axes, so that the half-planes they span are closed.
    """
    count = corners.shape[1]
    if count == 1:
        return np.broadcast_to(np.eye(2), (len(corners), 2, 2))
    edges = np.roll(corners, -1, axis=1) - corners if count > 2 else corners[:, 1:] - corners[:, :1]
    length = np.hypot(edges[..., 0], edges[..., 1])[..., None]
    with np.errstate(invalid="ignore", divide="ignore"):
        unit = np.where(length > 0, edges / length, 0.0)
    normals = np.stack([unit[..., 1], -unit[..., 0]], axis=-1)
    return np.concatenate([normals, unit], axis=1) if count == 2 else normals


def separation(a: Floats, b: Floats) -> Floats:
    """(k,) largest separation of cores a (k, n, 2) and b (k, m, 2) along any axis; negative: penetration depth."""
    result = np.full(len(a), -np.inf)
    for directions in (axes(a), axes(b)):
        for index in range(directions.shape[1]):
            axis = directions[:, index]
            along_a = a[..., 0] * axis[:, :1] + a[..., 1] * axis[:, 1:]
            along_b = b[..., 0] * axis[:, :1] + b[..., 1] * axis[:, 1:]
            apart = np.maximum(along_a.min(axis=1) - along_b.max(axis=1), along_b.min(axis=1) - along_a.max(axis=1))
            known = (axis[:, 0] != 0) | (axis[:, 1] != 0)
            result = np.where(known, np.maximum(result, apart), result)
    return result


def closest(a: Floats, b: Floats) -> tuple[Floats, Floats, Floats]:
    """The closest points of the outlines of cores a (k, n, 2) and b (k, m, 2): distance (k,), on a and on b (k, 2).

    Only meant for cores apart: it looks at corners against edges. Ties go to the first corner of a, then of b.
    """
    on_b, from_a = _corner_to_edge(a, b)
    on_a, from_b = _corner_to_edge(b, a)
    distance = np.concatenate([from_a, from_b], axis=1)
    best = distance.argmin(axis=1)
    rows = np.arange(len(a))
    points_a = np.concatenate(
        [np.broadcast_to(a[:, :, None], on_b.shape).reshape(len(a), -1, 2), on_a.reshape(len(a), -1, 2)], axis=1
    )
    points_b = np.concatenate(
        [on_b.reshape(len(a), -1, 2), np.broadcast_to(b[:, :, None], on_a.shape).reshape(len(a), -1, 2)], axis=1
    )
    return distance[rows, best], points_a[rows, best], points_b[rows, best]


def _corner_to_edge(corners: Floats, other: Floats) -> tuple[Floats, Floats]:
    """Nearest points (k, n, e, 2) on each edge of `other` to each corner, and their distances (k, n * e)."""
    start = other[:, None, :, :]
    edge = (np.roll(other, -1, axis=1) - other)[:, None, :, :]
    offset = corners[:, :, None, :] - start
    square = (edge * edge).sum(axis=-1)
    with np.errstate(invalid="ignore", divide="ignore"):
        along = np.where(square > 0, (offset * edge).sum(axis=-1) / square, 0.0)
    point = start + np.clip(along, 0.0, 1.0)[..., None] * edge
    away = corners[:, :, None, :] - point
    return point, np.hypot(away[..., 0], away[..., 1]).reshape(len(corners), -1)


def gap(a: Floats, b: Floats, radii: Floats) -> Floats:
    """(k,) signed gap of parts a (k, n, 2) and b (k, m, 2) with summed radii (k,); negative: overlap depth.

    Symmetric up to rounding: `gap(a, b, r) == gap(b, a, r)`. Edges that only meet have gap 0.
    """
    apart = separation(a, b)
    outside = np.flatnonzero(apart > 0)
    if len(outside):
        apart[outside] = closest(a[outside], b[outside])[0]
    return apart - radii


def touches(a: Floats, b: Floats, radii: Floats, slack: float) -> Bools:
    """(k,) whether parts overlap by more than `slack`: `gap(...) < -slack`, with the distance only where it decides."""
    apart = separation(a, b)
    result = apart - radii < -slack
    unsure = np.flatnonzero(result & (apart > 0))
    if len(unsure):
        result[unsure] = closest(a[unsure], b[unsure])[0] - radii[unsure] < -slack
    return result


def intersection(a: Floats, b: Floats) -> Floats:
    """(c, 2) corners of the intersection of two convex cores (n, 2) and (m, 2); a point or segment may be `a` or `b`.

    Clips one by the other's sides (Sutherland, Hodgman 1974); the clip window is the one with more corners.
    """
    if len(b) < len(a):
        a, b = b, a
    if len(b) < 3:
        return np.zeros((0, 2)) if len(a) > 1 else a
    turned = np.roll(b, -1, axis=0)
    if ((b[:, 0] * turned[:, 1]) - (b[:, 1] * turned[:, 0])).sum() < 0:
        b = b[::-1]
    kept = [(float(x), float(y)) for x, y in a]
    for (x0, y0), (x1, y1) in zip(b.tolist(), np.roll(b, -1, axis=0).tolist(), strict=True):
        inside = [(x1 - x0) * (y - y0) - (y1 - y0) * (x - x0) for x, y in kept]
        clipped = []
        for index, (point, depth) in enumerate(zip(kept, inside, strict=True)):
            after = (index + 1) % len(kept)
            if depth >= 0:
                clipped.append(point)
            if (depth > 0 > inside[after]) or (depth < 0 < inside[after]):
                share = depth / (depth - inside[after])
                end = kept[after]
                clipped.append((point[0] + (end[0] - point[0]) * share, point[1] + (end[1] - point[1]) * share))
        kept = clipped
    return np.array(kept).reshape(-1, 2)
