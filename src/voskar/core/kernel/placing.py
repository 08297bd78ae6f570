"""Boxes into the world: every open box of whoever is in play, with its bounds and how far it has come."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cython

from voskar.core.kernel.storage import floats, grown, ints

if not cython.compiled:
    from math import cos, fmod, sin

    from voskar.core.kernel.columns import ActorTable as ActorColumns

if TYPE_CHECKING:
    from voskar.core.kernel.narrow_phase import NarrowPhase
    from voskar.core.kernel.shapes import BoxTable, ShapeTable
    from voskar.core.kernel.storage import Floats, Ints

DEGREE = 0.017453292519943295
ALL, HITS, HURTS = 0, 1, 2


class PlacedBoxes:
    """Open boxes of one role in a frame, a row each: whose, which box, in which form.

    `low_x` … `high_y` are the world bounds, rounding radius included; `way_low_x` … the same with its whole way through
    the frame; `shift_x`, `shift_y` how far its anchor has come since the frame before, 0 without a usable past.
    """

    def __init__(self, room: int) -> None:
        self.count = 0
        self.room = 0
        self.actor: Ints = ints(0)
        self.box: Ints = ints(0)
        self.form: Ints = ints(0)
        self.swept: Ints = ints(0)
        self.low_x: Floats = floats(0)
        self.low_y: Floats = floats(0)
        self.high_x: Floats = floats(0)
        self.high_y: Floats = floats(0)
        self.way_low_x: Floats = floats(0)
        self.way_low_y: Floats = floats(0)
        self.way_high_x: Floats = floats(0)
        self.way_high_y: Floats = floats(0)
        self.shift_x: Floats = floats(0)
        self.shift_y: Floats = floats(0)
        self.order: Ints = ints(0)
        self.grow(room)

    def grow(self, room: int) -> None:
        """Room for so many."""
        for name in ("actor", "box", "form", "swept", "order"):
            setattr(self, name, grown(getattr(self, name), room))
        for name in ("low_x", "low_y", "high_x", "high_y", "way_low_x", "way_low_y", "way_high_x", "way_high_y"):
            setattr(self, name, grown(getattr(self, name), room))
        self.shift_x, self.shift_y = grown(self.shift_x, room), grown(self.shift_y, room)
        self.room = room


class Placing:
    """Puts boxes where actors are. `low_x` … hold the bounds found last."""

    def __init__(self, actors: ActorColumns, shapes: ShapeTable, boxes: BoxTable) -> None:
        self.actors, self.shapes, self.boxes = actors, shapes, boxes
        self.hits, self.hurts = PlacedBoxes(8), PlacedBoxes(8)
        self.low_x = self.low_y = self.high_x = self.high_y = 0.0

    def reserve(self, room: int) -> None:
        """Room for so many boxes of either role in one frame."""
        if room > self.hits.room:
            self.hits.grow(room)
            self.hurts.grow(room)

    def turn(self, row: int) -> None:
        """The matrix of an actor's facing, angle and scale; exact at multiples of 90 degrees, so that an upright
        rectangle stays upright and its bounds alone decide its touches."""
        actors = self.actors
        angle, scale = actors.angle[row], actors.scale[row]
        wide = actors.facing[row] * scale
        if angle == 0.0:
            actors.m00[row], actors.m01[row], actors.m10[row], actors.m11[row] = wide, 0.0, 0.0, scale
            return
        x, y = cos(angle * DEGREE), sin(angle * DEGREE)
        if fmod(angle, 90.0) == 0.0:
            x = 1.0 if x > 0.5 else -1.0 if x < -0.5 else 0.0
            y = 1.0 if y > 0.5 else -1.0 if y < -0.5 else 0.0
        actors.m00[row], actors.m01[row], actors.m10[row], actors.m11[row] = x * wide, -y * scale, y * wide, x * scale

    def bounds(self, form: int, x: float, y: float, m00: float, m01: float, m10: float, m11: float, r: float) -> None:
        """World bounds of a form, with its radius in world units."""
        shapes = self.shapes
        if m01 == 0.0 and m10 == 0.0:
            low_x, high_x = shapes.low_x[form] * m00, shapes.high_x[form] * m00
            if high_x < low_x:
                low_x, high_x = high_x, low_x
            low_y, high_y = shapes.low_y[form] * m11, shapes.high_y[form] * m11
            if high_y < low_y:
                low_y, high_y = high_y, low_y
        else:
            first = shapes.hull_start[form]
            low_x = high_x = shapes.hull_x[first] * m00 + shapes.hull_y[first] * m01
            low_y = high_y = shapes.hull_x[first] * m10 + shapes.hull_y[first] * m11
            for i in range(first + 1, shapes.hull_start[form + 1]):
                px = shapes.hull_x[i] * m00 + shapes.hull_y[i] * m01
                py = shapes.hull_x[i] * m10 + shapes.hull_y[i] * m11
                if px < low_x:
                    low_x = px
                if px > high_x:
                    high_x = px
                if py < low_y:
                    low_y = py
                if py > high_y:
                    high_y = py
        self.low_x, self.low_y, self.high_x, self.high_y = low_x + x - r, low_y + y - r, high_x + x + r, high_y + y + r

    def clear(self) -> None:
        """Nothing placed."""
        self.hits.count = self.hurts.count = 0

    def place(self, row: int, roles: int) -> None:
        """Adds the open boxes of an actor: ALL, or its HITS or HURTS alone."""
        actors, boxes, shapes = self.actors, self.boxes, self.shapes
        kind, clip, cell = actors.kind[row], actors.clip[row], actors.cell[row]
        x, y = actors.x[row], actors.y[row]
        m00, m01, m10, m11 = actors.m00[row], actors.m01[row], actors.m10[row], actors.m11[row]
        scale = actors.scale[row]
        for i in range(boxes.kind_start[kind], boxes.kind_start[kind + 1]):
            box = boxes.kind_box[i]
            if roles != ALL and (roles == HITS) != boxes.is_hit[box]:
                continue
            form = boxes.form_of(box, clip, cell)
            if form < 0:
                continue
            placed = self.hits if boxes.is_hit[box] else self.hurts
            k = placed.count
            placed.count = k + 1
            self.bounds(form, x, y, m00, m01, m10, m11, shapes.radius[form] * scale)
            placed.actor[k], placed.box[k], placed.form[k] = row, box, form
            placed.low_x[k], placed.low_y[k] = self.low_x, self.low_y
            placed.high_x[k], placed.high_y[k] = self.high_x, self.high_y
            swept = boxes.swept[box]
            if swept == 2:
                swept = actors.spawned[row]
            placed.swept[k] = swept
            # a box that is not swept itself moves on relative to one that is
            dx = dy = 0.0
            if actors.past[row] and actors.before_facing[row] == actors.facing[row] and actors.before_clip[row] == clip:
                old = boxes.form_of(box, clip, actors.before_cell[row])
                if old >= 0:
                    ax, ay = shapes.anchor_x[form], shapes.anchor_y[form]
                    bx, by = shapes.anchor_x[old], shapes.anchor_y[old]
                    if ax == 0.0 and ay == 0.0 and bx == 0.0 and by == 0.0:
                        dx, dy = x - actors.before_x[row], y - actors.before_y[row]
                    else:
                        dx = ax * m00 + ay * m01 + x
                        dx -= bx * actors.before_m00[row] + by * actors.before_m01[row] + actors.before_x[row]
                        dy = ax * m10 + ay * m11 + y
                        dy -= bx * actors.before_m10[row] + by * actors.before_m11[row] + actors.before_y[row]
            placed.shift_x[k], placed.shift_y[k] = dx, dy
            low, high = self.low_x - dx, self.high_x - dx
            placed.way_low_x[k] = low if low < self.low_x else self.low_x
            placed.way_high_x[k] = high if high > self.high_x else self.high_x
            low, high = self.low_y - dy, self.high_y - dy
            placed.way_low_y[k] = low if low < self.low_y else self.low_y
            placed.way_high_y[k] = high if high > self.high_y else self.high_y

    def corners_a(self, narrow: NarrowPhase, part: int, row: int, dx: float, dy: float) -> None:
        """Part of an actor's box as A, moved by (dx, dy)."""
        shapes, actors = self.shapes, self.actors
        first = shapes.vertex_start[part]
        narrow.na = shapes.vertex_start[part + 1] - first
        m00, m01, m10, m11 = actors.m00[row], actors.m01[row], actors.m10[row], actors.m11[row]
        x, y = actors.x[row], actors.y[row]
        for i in range(narrow.na):
            px, py = shapes.vertex_x[first + i], shapes.vertex_y[first + i]
            narrow.ax[i] = px * m00 + py * m01 + x + dx
            narrow.ay[i] = px * m10 + py * m11 + y + dy

    def corners_b(self, narrow: NarrowPhase, part: int, row: int, dx: float, dy: float) -> None:
        """Part of an actor's box as B, moved by (dx, dy)."""
        shapes, actors = self.shapes, self.actors
        first = shapes.vertex_start[part]
        narrow.nb = shapes.vertex_start[part + 1] - first
        m00, m01, m10, m11 = actors.m00[row], actors.m01[row], actors.m10[row], actors.m11[row]
        x, y = actors.x[row], actors.y[row]
        for i in range(narrow.nb):
            px, py = shapes.vertex_x[first + i], shapes.vertex_y[first + i]
            narrow.bx[i] = px * m00 + py * m01 + x + dx
            narrow.by[i] = px * m10 + py * m11 + y + dy
