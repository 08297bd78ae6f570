"""Two convex parts held against each other: signed gap, time of impact.

A part is a convex polygon, a segment or a point, with a rounding radius. For cores that overlap the gap is
minus their penetration depth, found on the separating axes (for convex polygons the shallowest way out is
along an edge's normal: Gottschalk, Lin, Manocha 1996); for cores apart it is the least distance of a corner
of one from an edge of the other. The radii are then taken off.

Ordinary Python; compiled with the types of `narrow_phase.pxd`. Square roots of sums of squares instead of `hypot`,
whose last bit differs between C and Python: both forms give the same bytes.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import cython

from voskar.core.kernel.storage import floats

if not cython.compiled:
    from math import sqrt

if TYPE_CHECKING:
    from voskar.core.kernel.storage import Floats

ROUNDING = 1e-9
"""A gap that may be one of 0."""
INFINITE = float("inf")


class NarrowPhase:
    """The corners of two parts A and B, in the world, and what was found of them.

    The caller fills `ax`, `ay` (`na` corners) and `bx`, `by` (`nb`), or calls `put`, then asks. `closest` leaves the
    nearest points in `on_ax` …, the interval searches leave theirs in `begin` and `end`.
    """

    def __init__(self, corners: int, upwards: float = -1.0) -> None:
        """Room for parts of so many corners; `upwards` is the sign of y upwards."""
        self.upwards = upwards
        self.ax: Floats = floats(corners)
        self.ay: Floats = floats(corners)
        self.bx: Floats = floats(corners)
        self.by: Floats = floats(corners)
        self.na = self.nb = 0
        self.axis_x = self.axis_y = 0.0
        self.low_a = self.high_a = self.low_b = self.high_b = 0.0
        self.on_ax = self.on_ay = self.on_bx = self.on_by = 0.0
        self.begin = self.end = 0.0
        self.point_x = self.point_y = 0.0
        self.normal_x = self.normal_y = 0.0
        self._sides = 0
        # Each of the two parts adds an axis for each corner, and at least two.
        self._kx, self._ky, self._cx, self._cy = (floats(2 * corners + 4) for _ in range(4))
        self._pace, self._low, self._high = (floats(2 * corners + 4) for _ in range(3))

    def put(self, of_a: bool, corners: Sequence[tuple[float, float]]) -> None:
        """Sets the corners of A, or of B. Raises IndexError for none, and for more than there is room for."""
        if not 0 < len(corners) <= len(self.ax):
            raise IndexError(f"found {len(corners)} corners, expected 1 to {len(self.ax)}")
        for k in range(len(corners)):
            if of_a:
                self.ax[k], self.ay[k] = corners[k]
            else:
                self.bx[k], self.by[k] = corners[k]
        if of_a:
            self.na = len(corners)
        else:
            self.nb = len(corners)

    def check_room(self) -> None:
        """Raises IndexError where a part has more corners than there is room for; it then has none."""
        if self.na > len(self.ax) or self.nb > len(self.bx):
            # Without corners a later call finds nothing instead of reading past the end.
            self.na = self.nb = 0
            raise IndexError("no room for so many corners")

    def set_axis(self, of_a: bool, index: int) -> bool:
        """The unit axis that a side of A or B adds; False for a side of no length.

        A point adds the two axes of the world, a segment its normal and its own direction, so that the half-planes
        they span are closed.
        """
        n = self.na if of_a else self.nb
        if n == 1:
            self.axis_x, self.axis_y = (1.0, 0.0) if index == 0 else (0.0, 1.0)
            return True
        first = 0 if n == 2 else index
        second = first + 1 if first + 1 < n else 0
        if of_a:
            dx, dy = self.ax[second] - self.ax[first], self.ay[second] - self.ay[first]
        else:
            dx, dy = self.bx[second] - self.bx[first], self.by[second] - self.by[first]
        length = sqrt(dx * dx + dy * dy)
        # Two corners at one place span no side.
        if length == 0.0:
            return False
        if n == 2 and index == 1:
            self.axis_x, self.axis_y = dx / length, dy / length
        else:
            self.axis_x, self.axis_y = dy / length, -dx / length
        return True

    def project(self) -> None:
        """Both parts on the axis: `low_a` … `high_b`."""
        x, y = self.axis_x, self.axis_y
        low = high = self.ax[0] * x + self.ay[0] * y
        for i in range(1, self.na):
            value = self.ax[i] * x + self.ay[i] * y
            if value < low:
                low = value
            if value > high:
                high = value
        self.low_a, self.high_a = low, high
        low = high = self.bx[0] * x + self.by[0] * y
        for i in range(1, self.nb):
            value = self.bx[i] * x + self.by[i] * y
            if value < low:
                low = value
            if value > high:
                high = value
        self.low_b, self.high_b = low, high

    def separation(self, enough: float) -> float:
        """The largest separation of the cores along any axis, negative where they overlap: the penetration depth.

        May stop early with any value above `enough`.
        """
        result = -INFINITE
        for side in range(2):
            n = self.na if side == 0 else self.nb
            for index in range(2 if n < 3 else n):
                # A polygon may repeat a corner after a mirror or a stretch to nothing.
                if not self.set_axis(side == 0, index):
                    continue
                self.project()
                apart = self.low_a - self.high_b
                other = self.low_b - self.high_a
                if other > apart:
                    apart = other
                if apart > result:
                    result = apart
                    # One axis that separates is enough for an answer of no touch.
                    if result > enough:
                        return result
        return result

    def closest(self) -> float:
        """The distance of the outlines of the cores, and the points of it. Only meant for cores apart.

        Ties go to the first corner of A, then of B.
        """
        best = INFINITE
        for side in range(2):
            corners, sides = (self.na, self.nb) if side == 0 else (self.nb, self.na)
            for i in range(corners):
                px, py = (self.ax[i], self.ay[i]) if side == 0 else (self.bx[i], self.by[i])
                # A segment has one side, not two that are equal.
                for j in range(1 if sides <= 2 else sides):
                    k = j + 1 if j + 1 < sides else 0
                    if side == 0:
                        x0, y0, x1, y1 = self.bx[j], self.by[j], self.bx[k], self.by[k]
                    else:
                        x0, y0, x1, y1 = self.ax[j], self.ay[j], self.ax[k], self.ay[k]
                    dx, dy = x1 - x0, y1 - y0
                    square = dx * dx + dy * dy
                    along = 0.0
                    if square > 0.0:
                        along = ((px - x0) * dx + (py - y0) * dy) / square
                        along = 0.0 if along < 0.0 else 1.0 if along > 1.0 else along
                    qx, qy = x0 + along * dx, y0 + along * dy
                    away = sqrt((px - qx) * (px - qx) + (py - qy) * (py - qy))
                    if away < best:
                        best = away
                        if side == 0:
                            self.on_ax, self.on_ay, self.on_bx, self.on_by = px, py, qx, qy
                        else:
                            self.on_ax, self.on_ay, self.on_bx, self.on_by = qx, qy, px, py
        return best

    def gap(self, radii: float) -> float:
        """Signed gap with summed radii; negative: overlap depth. Edges that only meet have gap 0.

        Symmetric up to rounding: A against B is B against A.
        """
        apart = self.separation(INFINITE)
        # Cores that are apart need their distance, which costs more than the axes.
        if apart > 0.0:
            apart = self.closest()
        return apart - radii

    def touches(self, radii: float, slack: float) -> bool:
        """Whether they overlap by more than `slack`: `gap(radii) < -slack`, the distance only where it decides."""
        # Most pairs end here: the bounds meet and the shapes do not.
        apart = self.separation(radii - slack)
        if not apart - radii < -slack:
            return False
        return apart <= 0.0 or self.closest() - radii < -slack

    def time_of_impact(self, radii: float, move_x: float, move_y: float, slack: float) -> float:
        """The first moment in [0, 1] at which their gap is 0 as A moves; infinite if they never touch.

        A and B stand as they do at moment 1; `move` is how far A comes relative to B from moment 0 to 1. They
        touch if at any moment they overlap by more than `slack`, and then the time is 0 if they do so from the
        start. The set of offsets at which two convex cores lie within a distance is convex, so every piece of
        it gives an interval and the first moment is the least of their beginnings.
        """
        self._sides = 0
        self.within(radii - slack, move_x, move_y)
        begin, end = self.begin, self.end
        # A single moment counts only where touching edges are a touch.
        if not begin < end and not (begin == end and slack < 0.0):
            return INFINITE
        self.within(radii, move_x, move_y)
        if self.begin > self.end:  # they come so near that only rounding parts them, or else within the slack
            self.within(radii + ROUNDING, move_x, move_y)
        return self.begin if self.begin <= self.end else begin

    def within(self, distance: float, move_x: float, move_y: float) -> None:
        """The interval of moments in [0, 1] in which the cores are within a distance; `begin` > `end` if there is none.

        A distance below 0 asks for cores that overlap at least that deep.
        """
        self.between_sides(distance, move_x, move_y)
        if distance <= 0.0:
            return
        # No offset of the way lies within the distance of any side, so the corners need no look.
        if self.begin > self.end:
            self.begin, self.end = INFINITE, -INFINITE
            return
        self.between_sides(0.0, move_x, move_y)
        begin, end = self.begin, self.end
        if begin > end:
            begin, end = INFINITE, -INFINITE
        self.past_edges(True, distance, move_x, move_y)
        begin, end = min(begin, self.begin), max(end, self.end)
        self.past_edges(False, distance, -move_x, -move_y)
        self.begin, self.end = min(begin, self.begin), max(end, self.end)

    def between_sides(self, distance: float, move_x: float, move_y: float) -> None:
        """The moments in which no axis separates the cores by more than a distance, within [0, 1].

        What is asked again for another distance is projected once: `_sides` are the axes known so far.
        """
        begin, end = 0.0, 1.0
        known = 0
        for side in range(2):
            n = self.na if side == 0 else self.nb
            for index in range(2 if n < 3 else n):
                if known == self._sides:
                    self.know_side(side == 0, index, move_x, move_y)
                # at moment t the offset along the axis is (t - 1) * pace, and has to lie between low and high
                pace, low, high = self._pace[known], self._low[known] - distance, self._high[known] + distance
                known += 1
                # No moment fits one axis, so none fits all, and the other axes need no look.
                if low > high or (pace == 0.0 and (low > 0.0 or high < 0.0)):
                    self.begin, self.end = INFINITE, -INFINITE
                    return
                if pace == 0.0:
                    continue
                enter, leave = (low + pace) / pace, (high + pace) / pace
                if leave < enter:
                    enter, leave = leave, enter
                if enter > begin:
                    begin = enter
                if leave < end:
                    end = leave
        self.begin, self.end = begin, end

    def know_side(self, of_a: bool, index: int, move_x: float, move_y: float) -> None:
        """The axis of one more side: how far the motion goes along it, and where the cores would overlap."""
        k = self._sides
        self._sides = k + 1
        if self.set_axis(of_a, index):
            self.project()
            self._pace[k] = move_x * self.axis_x + move_y * self.axis_y
            self._low[k], self._high[k] = self.low_b - self.high_a, self.high_b - self.low_a
        else:  # a side of no length parts nothing
            self._pace[k], self._low[k], self._high[k] = 0.0, -INFINITE, INFINITE

    def past_edges(self, of_a: bool, distance: float, move_x: float, move_y: float) -> None:
        """The moments in [0, 1] in which any corner of one is within a distance of any edge of the other.

        Each edge with its distance is a rectangle next to it and a disc about its start.
        """
        best_begin, best_end = INFINITE, -INFINITE
        corners, sides = (self.na, self.nb) if of_a else (self.nb, self.na)
        square = move_x * move_x + move_y * move_y
        for i in range(corners):
            px = (self.ax[i] if of_a else self.bx[i]) - move_x
            py = (self.ay[i] if of_a else self.by[i]) - move_y
            for j in range(sides):
                k = j + 1 if j + 1 < sides else 0
                if of_a:
                    x0, y0, dx, dy = self.bx[j], self.by[j], self.bx[k], self.by[k]
                else:
                    x0, y0, dx, dy = self.ax[j], self.ay[j], self.ax[k], self.ay[k]
                dx -= x0
                dy -= y0
                ox, oy = px - x0, py - y0  # where the corner begins, seen from the edge
                begin, end = INFINITE, -INFINITE
                along = ox * move_x + oy * move_y
                rest = ox * ox + oy * oy - distance * distance
                # Without motion the distance is the same all the time.
                if square == 0.0:
                    if rest <= 0.0:
                        begin, end = 0.0, 1.0
                elif along * along - square * rest >= 0.0:
                    root = sqrt(along * along - square * rest)
                    begin, end = (-along - root) / square, (-along + root) / square
                length = sqrt(dx * dx + dy * dy)
                if length > 0.0:
                    ux, uy = dx / length, dy / length
                    first, last = 0.0, 1.0
                    # First along the edge, then across it: the two intervals together are the rectangle.
                    for turn in range(2):
                        if turn == 0:
                            place, pace = ox * ux + oy * uy, move_x * ux + move_y * uy
                            low, high = -place, length - place
                        else:
                            place, pace = oy * ux - ox * uy, move_y * ux - move_x * uy
                            low, high = -distance - place, distance - place
                        if pace == 0.0:
                            if low > 0.0 or high < 0.0:
                                first, last = INFINITE, -INFINITE
                            continue
                        enter, leave = low / pace, high / pace
                        if leave < enter:
                            enter, leave = leave, enter
                        if enter > first:
                            first = enter
                        if leave < last:
                            last = leave
                    if first <= last:
                        begin, end = min(begin, first), max(end, last)
                # The quadratic formula knows no beginning and no end of the frame.
                begin, end = max(begin, 0.0), min(end, 1.0)
                if begin <= end:
                    best_begin, best_end = min(best_begin, begin), max(best_end, end)
        self.begin, self.end = best_begin, best_end
