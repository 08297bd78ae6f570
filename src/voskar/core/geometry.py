"""Signed gaps between convex parts in bulk, exact up to rounding.

A part is a convex polygon, a segment or a point, with a rounding radius. For cores that overlap the gap is
minus their penetration depth, found on the separating axes (for convex polygons the shallowest way out is
along an edge's normal: Gottschalk, Lin, Manocha 1996); for cores apart it is the least distance of a corner
of one from an edge of the other. The radii are then taken off.
"""

from __future__ import annotations

import numpy as np

from voskar.core.shapes import Bools, Floats


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


def first_touch(a: Floats, b: Floats, radii: Floats, move: Floats, slack: float) -> Floats:
    """(k,) the first moment in [0, 1] at which the gap of moving parts is 0; infinite for those that never touch.

    `a` (k, n, 2) and `b` (k, m, 2) stand as they do at moment 1; `move` (k, 2) is how far a comes relative to
    b from moment 0 to 1. A pair touches if at any moment it overlaps by more than `slack`, and then its time
    is 0 if it does so from the start. The set of offsets at which two convex cores lie within a distance is
    convex, so every piece of it gives an interval and the first moment is the least of their beginnings.
    """
    begin, end = _within(a, b, radii - slack, move)
    touched, met = _within(a, b, radii, move)
    never = ~(begin < end) & ~((begin == end) & (slack < 0))
    result = np.where(touched <= met, touched, begin)
    return np.where(never, np.inf, result)


def _within(a: Floats, b: Floats, distance: Floats, move: Floats) -> tuple[Floats, Floats]:
    """The interval of moments in [0, 1] in which cores are within a distance; begin > end if there is none.

    A distance below 0 asks for cores that overlap at least that deep.
    """
    begin, end = _between_sides(a, b, np.minimum(distance, 0.0), move)
    rounded = np.flatnonzero(distance > 0)
    if len(rounded):
        near = _between_sides(a[rounded], b[rounded], distance[rounded], move[rounded])
        rounded = rounded[near[0] <= near[1]]
    if len(rounded):
        pieces = [
            _past_edges(a[rounded], b[rounded], distance[rounded], move[rounded]),
            _past_edges(b[rounded], a[rounded], distance[rounded], -move[rounded]),
        ]
        core_begin, core_end = begin[rounded], end[rounded]
        empty = core_begin > core_end
        begins = [np.where(empty, np.inf, core_begin), *(piece[0] for piece in pieces)]
        ends = [np.where(empty, -np.inf, core_end), *(piece[1] for piece in pieces)]
        begin[rounded], end[rounded] = np.minimum.reduce(begins), np.maximum.reduce(ends)
    return begin, end


def _between_sides(a: Floats, b: Floats, distance: Floats, move: Floats) -> tuple[Floats, Floats]:
    """The moments in which no axis separates the cores by more than a distance, within [0, 1]."""
    begin, end = np.zeros(len(a)), np.ones(len(a))
    for directions in (axes(a), axes(b)):
        for index in range(directions.shape[1]):
            axis = directions[:, index]
            along_a = a[..., 0] * axis[:, :1] + a[..., 1] * axis[:, 1:]
            along_b = b[..., 0] * axis[:, :1] + b[..., 1] * axis[:, 1:]
            pace = (move * axis).sum(axis=1)
            # at moment t the offset along the axis is (t - 1) * pace, and has to lie between low and high
            low = along_b.min(axis=1) - along_a.max(axis=1) - distance
            high = along_b.max(axis=1) - along_a.min(axis=1) + distance
            known = (axis[:, 0] != 0) | (axis[:, 1] != 0)
            first, last = _interval(low + pace, high + pace, pace)
            begin = np.where(known, np.maximum(begin, first), begin)
            end = np.where(known, np.minimum(end, last), end)
    return begin, end


def _interval(low: Floats, high: Floats, pace: Floats) -> tuple[Floats, Floats]:
    """The t with low <= t * pace <= high: (begin, end), infinite where pace is 0 and it always or never holds."""
    with np.errstate(invalid="ignore", divide="ignore"):
        one, other = low / pace, high / pace
    still = pace == 0
    held = (low <= 0) & (high >= 0)
    empty = low > high
    begin = np.where(still, np.where(held, -np.inf, np.inf), np.minimum(one, other))
    end = np.where(still, np.where(held, np.inf, -np.inf), np.maximum(one, other))
    return np.where(empty, np.inf, begin), np.where(empty, -np.inf, end)


def _past_edges(corners: Floats, other: Floats, distance: Floats, move: Floats) -> tuple[Floats, Floats]:
    """The moments in [0, 1] in which any corner is within a distance of any edge of the other core.

    Each edge with its distance is a rectangle beside it and a disc about its start.
    """
    start = other[:, None, :, :]
    edge = (np.roll(other, -1, axis=1) - other)[:, None, :, :]
    offset = corners[:, :, None, :] - move[:, None, None, :] - start  # where a corner begins, seen from the edge
    way = move[:, None, None, :]
    reach = distance[:, None, None]
    begins, ends = [], []
    # the disc: |offset + t * way| <= reach
    square = (way * way).sum(axis=-1)
    along = (offset * way).sum(axis=-1)
    rest = (offset * offset).sum(axis=-1) - reach * reach
    with np.errstate(invalid="ignore", divide="ignore"):
        root = np.sqrt(along * along - square * rest)
        first, last = (-along - root) / square, (-along + root) / square
    inside = np.broadcast_to((square == 0) & (rest <= 0), first.shape)
    begins.append(np.where(inside, 0.0, np.where(np.isfinite(first), first, np.inf)))
    ends.append(np.where(inside, 1.0, np.where(np.isfinite(last), last, -np.inf)))
    # the rectangle: between the edge's ends, and no further from its line than reach
    length = np.hypot(edge[..., 0], edge[..., 1])
    with np.errstate(invalid="ignore", divide="ignore"):
        unit = edge / length[..., None]
    normal = np.stack([-unit[..., 1], unit[..., 0]], axis=-1)
    begin, end = np.zeros(first.shape), np.ones(first.shape)
    for axis, low, high in ((unit, np.zeros_like(length), length), (normal, -reach, reach)):
        place, pace = (offset * axis).sum(axis=-1), (way * axis).sum(axis=-1)
        one, other_end = _interval(low - place, high - place, pace)
        begin, end = np.maximum(begin, one), np.minimum(end, other_end)
    flat = np.broadcast_to(length > 0, begin.shape) & (begin <= end)
    begins.append(np.where(flat, begin, np.inf))
    ends.append(np.where(flat, end, -np.inf))
    begin = np.minimum(*begins).clip(0.0, None)
    end = np.maximum(*ends).clip(None, 1.0)
    void = ~(begin <= end)
    shape = (len(corners), -1)
    begin, end = np.where(void, np.inf, begin).reshape(shape), np.where(void, -np.inf, end).reshape(shape)
    return begin.min(axis=1), end.max(axis=1)
