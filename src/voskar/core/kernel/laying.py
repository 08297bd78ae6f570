"""The forms of boxes that only a recording knows: shapes of the world, laid out about an actor."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cython

if TYPE_CHECKING:
    from voskar.core.kernel.placed import BoxLog
    from voskar.core.kernel.shapes import BoxColumns, ShapeColumns

if not cython.compiled:
    from voskar.core.kernel.narrow_phase import INFINITE


class LoggedForms:
    """Gives spare forms the shapes that a recording logs."""

    def __init__(self, shapes: ShapeColumns, boxes: BoxColumns, log: BoxLog) -> None:
        self.shapes, self.boxes, self.log = shapes, boxes, log

    def lay(self, form: int, box: int, pose: int, m00: float, m01: float, m10: float, m11: float, scale: float) -> bool:
        """Gives a spare form the shape that a box has in a pose, for an actor turned so; False if it has none there.

        Raises IndexError for a form that is not a spare one, and for no such box or pose.
        """
        log, shapes, boxes = self.log, self.shapes, self.boxes
        if not 0 <= box < boxes.boxes:
            raise IndexError("no such box")
        name = boxes.logged[box]
        if pose < 0 or name < 0:
            return False
        if not shapes.own <= form < shapes.own + shapes.spare:
            raise IndexError("no such spare form")
        if pose * log.step >= len(log.row):
            raise IndexError("no such pose")
        row = log.row[pose * log.step]
        if row < 0:
            return False
        at = (row * log.names + name) * 4
        x0, y0, x1, y1 = log.bounds[at], log.bounds[at + 1], log.bounds[at + 2], log.bounds[at + 3]
        # NaN: the game has no such box in this pose.
        if x0 != x0:
            return False
        self.begin_form(form)
        shape = log.shape[row * log.names + name]
        if shape >= 0:
            left = self.lay_parts(form, box, shape, m00, m01, m10, m11, scale)
            whole, x0, y0 = (
                m00 * m11 - m01 * m10,
                (x0 + x1) / 2.0,
                (y0 + y1) / 2.0,
            )  # the middle is the same however turned
            shapes.anchor_x[form], shapes.anchor_y[form] = (m11 * x0 - m01 * y0) / whole, (m00 * y0 - m10 * x0) / whole
            return left
        x0, y0 = x0 - boxes.pad[4 * box], y0 - boxes.pad[4 * box + 1]
        x1, y1 = x1 + boxes.pad[4 * box + 2], y1 + boxes.pad[4 * box + 3]
        if x1 <= x0 or y1 <= y0:
            return False
        grow = boxes.grow[box]
        # A logged rectangle shrinks on every side, in units of the world.
        if grow < 0.0:
            x0, y0, x1, y1 = x0 - grow * scale, y0 - grow * scale, x1 + grow * scale, y1 + grow * scale
            if x1 <= x0 or y1 <= y0:
                return False
            grow = 0.0
        self.open_part(form, grow)
        # Corners in this order keep the turning direction that polygons have.
        for i in range(4):
            self.add_corner(form, x1 if i == 1 or i == 2 else x0, y1 if i >= 2 else y0, m00, m01, m10, m11)
        self.finish_form(form)
        shapes.upright[form] = 1 if grow == 0.0 and ((m01 == 0.0 and m10 == 0.0) or (m00 == 0.0 and m11 == 0.0)) else 0
        return True

    def lay_parts(
        self, form: int, box: int, shape: int, m00: float, m01: float, m10: float, m11: float, scale: float
    ) -> bool:
        """Gives a spare form that has been begun the parts of a logged shape; False if nothing of it is left."""
        log, boxes, pad = self.log, self.boxes, self.boxes.pad
        grow, at = boxes.grow[box], 4 * box
        left, low, right, high = pad[at], pad[at + 1], pad[at + 2], pad[at + 3]
        if grow < 0.0:
            # A negative grow takes from a rectangle's sides; round shapes lose radius further down.
            left, low, right, high = left + grow * scale, low + grow * scale, right + grow * scale, high + grow * scale
        for part in range(log.part_start[shape], log.part_start[shape + 1]):
            first, last = log.corner_start[part], log.corner_start[part + 1]
            if log.is_rect[part]:
                x0, y0 = log.corners[2 * first] - left, log.corners[2 * first + 1] - low
                x1, y1 = log.corners[2 * first + 4] + right, log.corners[2 * first + 5] + high
                if x1 <= x0 or y1 <= y0:
                    continue
                self.open_part(form, max(grow, 0.0))
                for i in range(4):
                    self.add_corner(form, x1 if i == 1 or i == 2 else x0, y1 if i >= 2 else y0, m00, m01, m10, m11)
                continue
            # The stored radius is that of the world, and forms are scaled by the actor.
            radius = log.radius[part] / scale + grow
            if radius < 0.0 or (radius == 0.0 and last - first < 3):
                continue
            self.open_part(form, radius)
            for i in range(first, last):
                self.add_corner(form, log.corners[2 * i], log.corners[2 * i + 1], m00, m01, m10, m11)
        self.finish_form(form)
        return self.shapes.part_end[form] > self.shapes.part_start[form]

    def lay_point(self, form: int) -> None:
        """Gives a spare form the shape of a point at its actor's position. Raises IndexError for another form."""
        self.begin_form(form)
        self.open_part(form, 0.0)
        self.add_corner(form, 0.0, 0.0, 1.0, 0.0, 0.0, 1.0)
        self.finish_form(form)

    def begin_form(self, form: int) -> None:
        """A spare form without a part. Raises IndexError for a form that is not a spare one."""
        shapes = self.shapes
        if not shapes.own <= form < shapes.own + shapes.spare:
            raise IndexError("no such spare form")
        shapes.part_end[form], shapes.hull_end[form] = shapes.part_start[form], shapes.hull_start[form]
        shapes.radius[form] = 0.0
        shapes.upright[form] = shapes.uneven[form] = 0

    def open_part(self, form: int, radius: float) -> None:
        """Another part of a spare form, without a corner. Raises IndexError where it has no room for one."""
        shapes = self.shapes
        part = shapes.part_end[form]
        if part >= shapes.part_start[form + 1]:
            raise IndexError("no room for another part")
        shapes.part_end[form] = part + 1
        shapes.vertex_end[part], shapes.part_radius[part] = shapes.vertex_start[part], radius
        if part > shapes.part_start[form] and radius != shapes.part_radius[part - 1]:
            shapes.uneven[form] = 1
        shapes.radius[form] = max(shapes.radius[form], radius)

    def add_corner(self, form: int, x: float, y: float, m00: float, m01: float, m10: float, m11: float) -> None:
        """Another corner of the last part of a spare form, as seen from the actor's position in the world. Raises
        IndexError where it has no room for one."""
        shapes = self.shapes
        part = shapes.part_end[form] - 1
        at, edge = shapes.vertex_end[part], shapes.hull_end[form]
        if at >= shapes.vertex_start[part + 1]:
            raise IndexError("no room for another corner")
        # The inverse of the actor's matrix: a form is in the actor's own axes.
        whole = m00 * m11 - m01 * m10
        px, py = (m11 * x - m01 * y) / whole, (m00 * y - m10 * x) / whole
        shapes.vertex_x[at], shapes.vertex_y[at] = px, py
        shapes.hull_x[edge], shapes.hull_y[edge] = px, py
        shapes.vertex_end[part], shapes.hull_end[form] = at + 1, edge + 1

    def finish_form(self, form: int) -> None:
        """The bounds of a spare form's corners, and its anchor amid them."""
        shapes = self.shapes
        first, last = shapes.hull_start[form], shapes.hull_end[form]
        low_x = low_y = INFINITE
        high_x = high_y = -INFINITE
        for i in range(first, last):
            px, py = shapes.hull_x[i], shapes.hull_y[i]
            low_x, high_x, low_y, high_y = min(low_x, px), max(high_x, px), min(low_y, py), max(high_y, py)
        shapes.low_x[form], shapes.low_y[form], shapes.high_x[form], shapes.high_y[form] = low_x, low_y, high_x, high_y
        shapes.anchor_x[form], shapes.anchor_y[form] = (low_x + high_x) / 2.0, (low_y + high_y) / 2.0
