"""Where two convex parts meet: a point inside their overlap, and the normal of the surface between them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cython

if not cython.compiled:
    from voskar.core.kernel.narrow_phase import INFINITE

if TYPE_CHECKING:
    from voskar.core.kernel.narrow_phase import NarrowPhase


def contact_point(narrow: NarrowPhase, radius_a: float, radius_b: float) -> None:
    """A point inside the overlap of the two parts, left in `narrow.point_x`, `point_y`.

    Cores apart: the middle of what the two radii share on the shortest line between them. Cores that
    overlap: the mean corner of their intersection.
    """
    distance = narrow.closest()
    low, high = max(distance - radius_b, 0.0), min(distance, radius_a)
    # At distance 0 both points are the same.
    share = (low + high) / 2.0 / distance if distance > 0.0 else 0.0
    narrow.point_x = narrow.on_ax + (narrow.on_bx - narrow.on_ax) * share
    narrow.point_y = narrow.on_ay + (narrow.on_by - narrow.on_ay) * share
    # The shortest line is wrong for cores that overlap: it ends on their outlines.
    if narrow.separation(INFINITE) < 0.0:
        count = intersect(narrow)
        if count:
            x = y = 0.0
            for i in range(count):
                x += narrow._kx[i]
                y += narrow._ky[i]
            narrow.point_x, narrow.point_y = x / count, y / count


def intersect(narrow: NarrowPhase) -> int:
    """The corners of the intersection of the cores, into the scratch of `narrow`; how many.

    Clips one by the other's sides (Sutherland, Hodgman 1974); the clip window is the one with more corners.
    """
    window_is_a = narrow.nb < narrow.na
    n, m = (narrow.nb, narrow.na) if window_is_a else (narrow.na, narrow.nb)
    for i in range(n):
        narrow._kx[i] = narrow.bx[i] if window_is_a else narrow.ax[i]
        narrow._ky[i] = narrow.by[i] if window_is_a else narrow.ay[i]
    # A segment or a point has no sides to clip with.
    if m < 3:
        return 1 if n == 1 else 0
    area = 0.0
    for j in range(m):
        k = j + 1 if j + 1 < m else 0
        if window_is_a:
            area += narrow.ax[j] * narrow.ay[k] - narrow.ay[j] * narrow.ax[k]
        else:
            area += narrow.bx[j] * narrow.by[k] - narrow.by[j] * narrow.bx[k]
    count = n
    for step in range(m):
        # Clipping expects counter-clockwise sides, and a mirrored actor turns them round.
        j = step if area >= 0.0 else m - 1 - step
        k = (j + 1 if j + 1 < m else 0) if area >= 0.0 else (j - 1 if j > 0 else m - 1)
        if window_is_a:
            x0, y0, x1, y1 = narrow.ax[j], narrow.ay[j], narrow.ax[k], narrow.ay[k]
        else:
            x0, y0, x1, y1 = narrow.bx[j], narrow.by[j], narrow.bx[k], narrow.by[k]
        clipped = 0
        for i in range(count):
            after = i + 1 if i + 1 < count else 0
            px, py, qx, qy = narrow._kx[i], narrow._ky[i], narrow._kx[after], narrow._ky[after]
            inside = (x1 - x0) * (py - y0) - (y1 - y0) * (px - x0)
            following = (x1 - x0) * (qy - y0) - (y1 - y0) * (qx - x0)
            if inside >= 0.0:
                narrow._cx[clipped], narrow._cy[clipped] = px, py
                clipped += 1
            # A side that crosses the line adds a corner. A side that ends on the line has its corner already.
            if (inside > 0.0 and following < 0.0) or (inside < 0.0 and following > 0.0):
                share = inside / (inside - following)
                narrow._cx[clipped], narrow._cy[clipped] = px + (qx - px) * share, py + (qy - py) * share
                clipped += 1
        for i in range(clipped):
            narrow._kx[i], narrow._ky[i] = narrow._cx[i], narrow._cy[i]
        count = clipped
    return count


def surface_normal(narrow: NarrowPhase, move_x: float, move_y: float, tolerance: float) -> None:
    """The unit normal from B to A of parts that touch or overlap, left in `narrow.normal_x`, `normal_y`.

    Between the closest points where the cores are apart, else along the axis on which they overlap least;
    of equals the one that the motion of A goes against most, then the most level one, then the one that faces up.
    """
    best, against = -INFINITE, 0.0
    nx = ny = 0.0
    for side in range(2):
        n = narrow.na if side == 0 else narrow.nb
        for index in range(2 if n < 3 else n):
            if not narrow.set_axis(side == 0, index):
                continue
            narrow.project()
            # An axis has two directions, and only one of them points from B to A.
            for turn in range(2):
                sign = 1.0 if turn == 0 else -1.0
                apart = narrow.low_a - narrow.high_b if turn == 0 else narrow.low_b - narrow.high_a
                x, y = sign * narrow.axis_x, sign * narrow.axis_y
                facing = x * move_x + y * move_y
                level = abs(y) - abs(ny)
                flat = level > tolerance or (level > -tolerance and y * narrow.upwards > ny * narrow.upwards)
                is_better = facing < against - tolerance or (facing < against + tolerance and flat)
                if apart > best + tolerance or (apart > best - tolerance and is_better):
                    best, against, nx, ny = max(apart, best), facing, x, y
    # Where the cores are apart, the direction between the closest points is exact, and an axis is not.
    if best > tolerance:
        distance = narrow.closest()
        nx, ny = (narrow.on_ax - narrow.on_bx) / distance, (narrow.on_ay - narrow.on_by) / distance
    narrow.normal_x, narrow.normal_y = nx, ny
