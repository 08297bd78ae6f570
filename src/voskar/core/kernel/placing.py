"""Boxes into the world: every open box of every actor that is in play, with its bounds and how far it has come."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cython

from voskar.core.kernel import storage
from voskar.core.kernel.laying import LoggedForms
from voskar.core.kernel.placed import PlacedBoxes
from voskar.core.kernel.storage import grown, ints

if not cython.compiled:
    from math import cos, fmod, sin, sqrt

    from voskar.core.kernel.narrow_phase import INFINITE

if TYPE_CHECKING:
    from voskar.core.kernel.columns import ActorColumns
    from voskar.core.kernel.narrow_phase import NarrowPhase
    from voskar.core.kernel.placed import BoxLog
    from voskar.core.kernel.shapes import BoxColumns, ShapeColumns
    from voskar.core.kernel.storage import Ints

DEGREE = 0.017453292519943295
ALL, HITS, HURTS = 0, 1, 2
FOREVER = storage.FOREVER
CLOSED = ABSENT = -1  # as in the tables of shapes
SCRATCH = 2
"""Spare forms that are used for a moment only: this frame's, and that of the frame before."""


class Placing:
    """Puts boxes where actors are. `low_x` … hold the bounds found last.

    `swing_start` is the frame in which the last swing of each timed attack of each row began, `opened` the last in
    which one of its boxes was open. `spread` is what all placed boxes spread over, with their ways.
    """

    def __init__(
        self,
        actors: ActorColumns,
        shapes: ShapeColumns,
        boxes: BoxColumns,
        log: BoxLog,
        space: tuple[float, float, float, float],
        tolerance: float,
        freezes: bool = False,
    ) -> None:
        """`space` are the bounds of the space, infinite without any. `freezes`: whether any actor is ever frozen."""
        self.actors, self.shapes, self.boxes = actors, shapes, boxes
        self.logged = LoggedForms(shapes, boxes, log)
        self.hits, self.hurts = PlacedBoxes(8), PlacedBoxes(8)
        self.low_x = self.low_y = self.high_x = self.high_y = 0.0
        self.left, self.top, self.right, self.bottom = space
        self.width, self.height = self.right - self.left, self.bottom - self.top
        self.tolerance = tolerance
        self.frame = 0
        self.freezes = freezes
        self.used = self.first_spare = SCRATCH
        self.opened: Ints = ints(0)
        self.swing_start: Ints = ints(0)

    def reserve(self, room: int) -> None:
        """Room for so many boxes of either role in one frame."""
        if room > self.hits.room:
            self.hits.grow(room)
            self.hurts.grow(room)

    def reserve_rows(self, rows: int) -> None:
        """Room for the swings of so many actors."""
        if rows * self.boxes.swings > len(self.opened):
            self.opened = grown(self.opened, rows * self.boxes.swings)
            self.swing_start = grown(self.swing_start, rows * self.boxes.swings)

    def copy_from(self, other: Placing) -> None:
        """Takes over the swings of another placing of as many rows."""
        self.frame, self.used, self.first_spare = other.frame, other.used, other.first_spare
        self.opened = grown(other.opened, len(other.opened))
        self.swing_start = grown(other.swing_start, len(other.swing_start))

    def forget(self, row: int) -> None:
        """A row is another actor's, or starts over: no box of it was open before. Raises IndexError."""
        if not (row >= 0 and (row + 1) * self.boxes.swings <= len(self.opened)):
            raise IndexError("no such row")
        for at in range(row * self.boxes.swings, (row + 1) * self.boxes.swings):
            # -FOREVER and not 0: frame 0 may be the frame before a swing.
            self.opened[at] = -FOREVER
            self.swing_start[at] = -FOREVER

    def turn(self, row: int) -> None:
        """The matrix of an actor's facing, angle and scale; exact at multiples of 90 degrees, so that an upright
        rectangle stays upright and its bounds alone decide its touches. Raises IndexError."""
        if not 0 <= row < self.actors.count:
            raise IndexError("no such row")
        actor = self.actors.rows[row]
        angle, scale = actor.angle, actor.scale
        wide = actor.facing * scale
        if angle == 0.0:
            actor.m00, actor.m01, actor.m10, actor.m11 = wide, 0.0, 0.0, scale
            return
        x, y = cos(angle * DEGREE), sin(angle * DEGREE)
        # `cos` of 90 degrees is not exactly 0, and an upright box must not get slanted bounds.
        if fmod(angle, 90.0) == 0.0:
            x = 1.0 if x > 0.5 else -1.0 if x < -0.5 else 0.0
            y = 1.0 if y > 0.5 else -1.0 if y < -0.5 else 0.0
        actor.m00, actor.m01, actor.m10, actor.m11 = x * wide, -y * scale, y * wide, x * scale

    def bounds(self, form: int, x: float, y: float, m00: float, m01: float, m10: float, m11: float, r: float) -> None:
        """World bounds of a form, with its radius in world units. Raises IndexError."""
        shapes = self.shapes
        if not 0 <= form < shapes.own + shapes.spare:
            raise IndexError("no such form")
        # A scaled form has all its radii scaled alike, so one factor serves all parts.
        if shapes.uneven[form]:
            self.uneven_bounds(form, x, y, m00, m01, m10, m11, r / shapes.radius[form])
        else:
            self.even_bounds(form, x, y, m00, m01, m10, m11, r)

    def even_bounds(
        self, form: int, x: float, y: float, m00: float, m01: float, m10: float, m11: float, r: float
    ) -> None:
        """World bounds of a form whose parts share a radius."""
        shapes = self.shapes
        # An upright form needs its two corners only. A mirrored one has them in the other order.
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
            for i in range(first + 1, shapes.hull_end[form]):
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

    def uneven_bounds(
        self, form: int, x: float, y: float, m00: float, m01: float, m10: float, m11: float, scale: float
    ) -> None:
        """World bounds of a form whose parts have radii of their own."""
        shapes = self.shapes
        low_x = low_y = INFINITE
        high_x = high_y = -INFINITE
        for part in range(shapes.part_start[form], shapes.part_end[form]):
            r = shapes.part_radius[part] * scale
            for i in range(shapes.vertex_start[part], shapes.vertex_end[part]):
                px = shapes.vertex_x[i] * m00 + shapes.vertex_y[i] * m01 + x
                py = shapes.vertex_x[i] * m10 + shapes.vertex_y[i] * m11 + y
                low_x, high_x = min(low_x, px - r), max(high_x, px + r)
                low_y, high_y = min(low_y, py - r), max(high_y, py + r)
        self.low_x, self.low_y, self.high_x, self.high_y = low_x, low_y, high_x, high_y

    def clear(self) -> None:
        """Nothing placed."""
        self.hits.count = self.hurts.count = 0
        self.used = self.first_spare

    def form_of(self, row: int, box: int, before: bool, spare: int) -> int:
        """The form of a box of an actor in this frame or the one before, CLOSED where it is closed. One that is logged
        takes the spare form. Raises IndexError."""
        if not 0 <= row < self.actors.count:
            raise IndexError("no such row")
        actor, boxes, shapes = self.actors.rows[row], self.boxes, self.shapes
        if before:
            form = boxes.form_of(box, actor.before_clip, actor.before_cell)
        else:
            form = boxes.form_of(box, actor.clip, actor.cell)
        # Most boxes are neither logged nor bound to the space, and are done here.
        if form < 0 or not boxes.special[box]:
            return form
        x, y, scale = actor.x, actor.y, actor.scale
        m00, m01, m10, m11 = actor.m00, actor.m01, actor.m10, actor.m11
        pose = actor.pose
        if before:
            # The way was measured to the nearest copy, but the logged box stands where the game had it.
            x, y = actor.before_x - actor.near_x, actor.before_y - actor.near_y
            pose = actor.before_pose
            m00, m01 = actor.before_m00, actor.before_m01
            m10, m11 = actor.before_m10, actor.before_m11
            # the scale of the frame before is not kept; a column of its matrix has that length, also where it is
            # mirrored
            scale = sqrt(m01 * m01 + m11 * m11)
        if boxes.logged[box] >= ABSENT:
            # a logged box has another shape in each pose, so it is laid into a form that is free
            form = shapes.own + spare
            if not self.logged.lay(form, box, pose, m00, m01, m10, m11, scale):
                return CLOSED
        if boxes.within[box]:
            self.bounds(form, x, y, m00, m01, m10, m11, shapes.radius[form] * scale)
            if (
                self.low_x < self.left - self.tolerance
                or self.low_y < self.top - self.tolerance
                or self.high_x > self.right + self.tolerance
                or self.high_y > self.bottom + self.tolerance
            ):
                return CLOSED
        return form

    def swings_on(self, row: int, box: int) -> None:
        """Notes that a box of a timed attack is open in this frame."""
        actor, frame = self.actors.rows[row], self.frame
        at = row * self.boxes.swings + self.boxes.swing[box]
        # Several boxes of one attack share a swing.
        if self.opened[at] == frame:
            return
        # a clip that starts again is another swing, even if the box is open in both frames
        goes_on = (
            self.opened[at] == frame - 1
            and actor.before_clip == actor.clip
            and actor.before_cell <= actor.cell
            and actor.before_tick <= actor.tick
        )
        if not goes_on:
            self.swing_start[at] = frame
        self.opened[at] = frame

    def swing_began(self, row: int, swing: int) -> int:
        """The frame in which the last swing of a timed attack of an actor began. Raises IndexError."""
        swings = self.boxes.swings
        if not (0 <= swing < swings and row >= 0 and row * swings + swing < len(self.swing_start)):
            raise IndexError("no such swing")
        return self.swing_start[row * swings + swing]

    def place(self, row: int, roles: int) -> None:
        """Adds the open boxes of an actor: ALL, or its HITS or HURTS alone. Raises IndexError."""
        if not 0 <= row < self.actors.count:
            raise IndexError("no such row")
        actor, boxes, shapes = self.actors.rows[row], self.boxes, self.shapes
        kind, clip, cell = actor.kind, actor.clip, actor.cell
        x, y = actor.x, actor.y
        m00, m01, m10, m11 = actor.m00, actor.m01, actor.m10, actor.m11
        scale, disarmed = actor.scale, actor.disarmed_until
        frozen = self.freezes and actor.frozen_since <= self.frame <= actor.frozen_until
        opens, condition = 0, -1
        # One number holds all conditions of a kind's boxes, so a box needs one test.
        if boxes.any_conditions:
            opens = actor.met & boxes.tag_bits[kind * boxes.tag_sets + actor.tags + 1]
            actor.opens = opens
        for i in range(boxes.kind_start[kind], boxes.kind_start[kind + 1]):
            box = boxes.kind_box[i]
            if roles != ALL and (roles == HITS) != boxes.is_hit[box]:
                continue
            # a stun closes hitboxes only, as a stunned actor can still be hit
            if boxes.is_hit[box] and disarmed >= self.frame:
                continue
            form = boxes.form_of(box, clip, cell)
            if form >= 0 and boxes.special[box]:
                form = self.form_of(row, box, False, self.used)
                # The spare form stays in use for this frame, so the next logged box needs another one.
                if form >= shapes.own:
                    self.used += 1
            if form < 0:
                continue
            if boxes.swing[box] >= 0:
                self.swings_on(row, box)
            if boxes.any_conditions:
                condition = boxes.condition[box]
            # behind `swings_on`: a swing goes on while a condition or a freeze closes its box
            if (condition >= 0 and not opens >> condition & 1) or (frozen and boxes.is_hit[box]):
                continue
            placed = self.hits if boxes.is_hit[box] else self.hurts
            k = placed.count
            if k >= placed.room:
                raise IndexError("no room for another box")
            placed.count = k + 1
            self.bounds(form, x, y, m00, m01, m10, m11, shapes.radius[form] * scale)
            placed.actor[k], placed.box[k], placed.form[k] = row, box, form
            placed.low_x[k], placed.low_y[k] = self.low_x, self.low_y
            placed.high_x[k], placed.high_y[k] = self.high_x, self.high_y
            placed.swept[k] = boxes.swept[box]
            placed.over_x[k] = placed.over_y[k] = 0.0
            # a box that is not swept itself moves on relative to one that is
            dx = dy = 0.0
            # a turn or another clip puts the boxes elsewhere at once, so there is no way between
            if actor.past and actor.before_facing == actor.facing and actor.before_clip == clip:
                # a box that was closed in the frame before opens where it is, and sweeps nothing
                old = boxes.form_of(box, clip, actor.before_cell)
                if old >= 0 and boxes.special[box]:
                    old = self.form_of(row, box, True, 1)
                if condition >= 0 and not actor.before_opens >> condition & 1:
                    old = CLOSED
                if old >= 0 and not (boxes.is_hit[box] and disarmed >= self.frame - 1):
                    ax, ay = shapes.anchor_x[form], shapes.anchor_y[form]
                    bx, by = shapes.anchor_x[old], shapes.anchor_y[old]
                    # most boxes have their anchor at the actor's position, and need no matrix
                    if ax == 0.0 and ay == 0.0 and bx == 0.0 and by == 0.0:
                        dx, dy = x - actor.before_x, y - actor.before_y
                    else:
                        dx = ax * m00 + ay * m01 + x
                        dx -= bx * actor.before_m00 + by * actor.before_m01 + actor.before_x
                        dy = ax * m10 + ay * m11 + y
                        dy -= bx * actor.before_m10 + by * actor.before_m11 + actor.before_y
            placed.shift_x[k], placed.shift_y[k] = dx, dy
            low, high = placed.low_x[k] - dx, placed.high_x[k] - dx
            # The bounds of the way hold the box at both ends, so one test of bounds covers swept boxes.
            placed.way_low_x[k] = low if low < placed.low_x[k] else placed.low_x[k]
            placed.way_high_x[k] = high if high > placed.high_x[k] else placed.high_x[k]
            low, high = placed.low_y[k] - dy, placed.high_y[k] - dy
            placed.way_low_y[k] = low if low < placed.low_y[k] else placed.low_y[k]
            placed.way_high_y[k] = high if high > placed.high_y[k] else placed.high_y[k]
            # hitboxes are tested against hurtboxes only, so a hitbox that can clash is added to these, too
            if boxes.any_clashes and boxes.clashes[box] and roles == ALL:
                self.copy(placed, self.hurts, k, 0.0, 0.0)

    def copy_across(self, near: float) -> None:
        """Adds the boxes of kinds that wrap a width or a height over, where they come so near any other."""
        low_x = low_y = INFINITE
        high_x = high_y = -INFINITE
        for role in range(2):
            placed = self.hits if role == 0 else self.hurts
            for k in range(placed.count):
                low_x, high_x = min(low_x, placed.way_low_x[k]), max(high_x, placed.way_high_x[k])
                low_y, high_y = min(low_y, placed.way_low_y[k]), max(high_y, placed.way_high_y[k])
        for role in range(2):
            placed = self.hits if role == 0 else self.hurts
            count = placed.count
            for k in range(count):
                if not self.boxes.wraps[self.actors.rows[placed.actor[k]].kind]:
                    continue
                # Eight copies: an actor in a corner may touch across both edges.
                for across in range(-1, 2):
                    for along in range(-1, 2):
                        dx, dy = across * self.width, along * self.height
                        if (across != 0 or along != 0) and not (
                            placed.way_low_x[k] + dx > high_x + near
                            or placed.way_high_x[k] + dx < low_x - near
                            or placed.way_low_y[k] + dy > high_y + near
                            or placed.way_high_y[k] + dy < low_y - near
                        ):
                            self.copy(placed, placed, k, dx, dy)

    def copy(self, placed: PlacedBoxes, onto: PlacedBoxes, k: int, dx: float, dy: float) -> None:
        """The same box elsewhere, or among the others: a hitbox that clashes is met by hitboxes."""
        other = onto.count
        if other >= onto.room:
            raise IndexError("no room for another box")
        onto.count = other + 1
        onto.actor[other], onto.box[other], onto.form[other] = placed.actor[k], placed.box[k], placed.form[k]
        onto.swept[other] = placed.swept[k]
        onto.low_x[other], onto.high_x[other] = placed.low_x[k] + dx, placed.high_x[k] + dx
        onto.low_y[other], onto.high_y[other] = placed.low_y[k] + dy, placed.high_y[k] + dy
        onto.way_low_x[other], onto.way_high_x[other] = placed.way_low_x[k] + dx, placed.way_high_x[k] + dx
        onto.way_low_y[other], onto.way_high_y[other] = placed.way_low_y[k] + dy, placed.way_high_y[k] + dy
        onto.shift_x[other], onto.shift_y[other] = placed.shift_x[k], placed.shift_y[k]
        onto.over_x[other], onto.over_y[other] = dx, dy

    def check_part(self, part: int, row: int) -> None:
        """Raises IndexError for no such part or row."""
        if not (0 <= part < len(self.shapes.vertex_start) - 1 and 0 <= row < self.actors.count):
            raise IndexError("no such part or row")

    def corners_a(self, narrow: NarrowPhase, part: int, row: int, dx: float, dy: float) -> None:
        """Part of an actor's box as A, moved by (dx, dy). Raises IndexError."""
        # Callers pass numbers of parts from the tables of touches, so they are checked here.
        self.check_part(part, row)
        shapes, actor = self.shapes, self.actors.rows[row]
        first = shapes.vertex_start[part]
        narrow.na = shapes.vertex_end[part] - first
        narrow.check_room()
        m00, m01, m10, m11 = actor.m00, actor.m01, actor.m10, actor.m11
        x, y = actor.x, actor.y
        for i in range(narrow.na):
            px, py = shapes.vertex_x[first + i], shapes.vertex_y[first + i]
            narrow.ax[i] = px * m00 + py * m01 + x + dx
            narrow.ay[i] = px * m10 + py * m11 + y + dy

    def corners_b(self, narrow: NarrowPhase, part: int, row: int, dx: float, dy: float) -> None:
        """Part of an actor's box as B, moved by (dx, dy). Raises IndexError."""
        self.check_part(part, row)
        shapes, actor = self.shapes, self.actors.rows[row]
        first = shapes.vertex_start[part]
        narrow.nb = shapes.vertex_end[part] - first
        narrow.check_room()
        m00, m01, m10, m11 = actor.m00, actor.m01, actor.m10, actor.m11
        x, y = actor.x, actor.y
        for i in range(narrow.nb):
            px, py = shapes.vertex_x[first + i], shapes.vertex_y[first + i]
            narrow.bx[i] = px * m00 + py * m01 + x + dx
            narrow.by[i] = px * m10 + py * m11 + y + dy
