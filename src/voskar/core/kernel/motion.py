"""Motion of driven actors: one step of a frame, solids on the way, then the edges of the space.

v += a·dt, v *= max(0, 1 - drag·dt), |v| capped, position += v·dt plus the frame's step of knockback, angle += spin·dt
(semi-implicit Euler).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import cython
import numpy as np

from voskar.core.kernel import storage
from voskar.core.kernel.storage import shared_floats, shared_ints

if not cython.compiled:
    from math import floor, sqrt

    from voskar.core.kernel.meeting import surface_normal
    from voskar.core.kernel.narrow_phase import INFINITE

if TYPE_CHECKING:
    from voskar.core.kernel.columns import ActorColumns
    from voskar.core.kernel.narrow_phase import NarrowPhase
    from voskar.core.kernel.placing import Placing
    from voskar.core.kernel.pushes import Pushes
    from voskar.core.kernel.shapes import ClipColumns
    from voskar.core.kernel.storage import Floats, Ints
    from voskar.core.rules import Motion, Space

SLIDES = 4
"""Surfaces a body may slide along within one frame."""
LEVEL = 0.7071067811865476
"""The least part of a normal along up that makes a surface a floor or ceiling: within 45 degrees."""
ANYWHERE = -1
"""The mask of a position without a body box: every solid stops it."""
FOREVER = storage.FOREVER

EDGES = ("none", "remove", "wrap", "bounce", "stop")
SOLIDS = ("pass", "remove", "bounce", "stop", "turn")
# the places of those words, and what a step may come to
AT_EDGE_REMOVE, AT_EDGE_WRAP, AT_EDGE_BOUNCE, AT_EDGE_STOP = 1, 2, 3, 4
ON_SOLID_REMOVE, ON_SOLID_BOUNCE, ON_SOLID_TURN = 1, 2, 4
STAYS, GOES_AT_EDGE, GOES_AT_SOLID = 0, 1, 2


class MotionColumns:
    """The motions of a rulebook as columns: kind k moves by row 2k, and by row 2k + 1 when it is down."""

    def __init__(self, motions: Sequence[Motion], space: Space, dt: float) -> None:
        self.dt = dt
        fall = -space.gravity * space.upwards
        self.ax: Floats = _floats([motion.acceleration[0] * dt for motion in motions])
        self.ay: Floats = _floats([(motion.acceleration[1] + motion.gravity * fall) * dt for motion in motions])
        # A drag beyond the frame would turn the velocity round.
        self.keep: Floats = _floats([max(0.0, 1.0 - motion.drag * dt) for motion in motions])
        self.spin: Floats = _floats([motion.spin * dt for motion in motions])
        self.cap: Floats = _floats(
            [float("inf") if motion.max_speed is None else motion.max_speed for motion in motions]
        )
        # Without bounds or solids the rules for them cannot apply, and the step skips them.
        self.edge: Ints = _ints([EDGES.index(motion.at_edge) if space.bounds else 0 for motion in motions])
        self.solid: Ints = _ints([SOLIDS.index(motion.on_solid) if space.solids else 0 for motion in motions])
        self.bounces: Ints = _ints([FOREVER if motion.bounces is None else motion.bounces for motion in motions])
        self.bounciness: Floats = _floats([motion.bounciness for motion in motions])
        bounds = space.bounds or (0.0, 0.0, 0.0, 0.0)
        self.left, self.top, self.right, self.bottom = map(float, bounds)
        parts = [(part, solid.layer) for solid in space.solids for part in solid.outline.parts]
        self.solids = len(parts)
        self.solid_start: Ints = _ints(np.cumsum([0, *(len(part) for part, _ in parts)]).tolist())
        corners = np.concatenate([np.zeros((0, 2)), *(part for part, _ in parts)])
        self.solid_x: Floats = _floats(corners[:, 0].tolist())
        self.solid_y: Floats = _floats(corners[:, 1].tolist())
        bounds_of = [(*part.min(axis=0).tolist(), *part.max(axis=0).tolist()) for part, _ in parts]
        self.solid_low_x: Floats = _floats([box[0] for box in bounds_of])
        self.solid_low_y: Floats = _floats([box[1] for box in bounds_of])
        self.solid_high_x: Floats = _floats([box[2] for box in bounds_of])
        self.solid_high_y: Floats = _floats([box[3] for box in bounds_of])
        # 64 layers fill the sign bit too
        self.solid_layer: Ints = shared_ints(np.array([layer for _, layer in parts], dtype=np.uint64).astype(np.int64))
        self.most_corners = max((len(part) for part, _ in parts), default=1)


def _floats(values: Sequence[float]) -> Floats:
    return shared_floats(np.array(values, dtype=np.float64))


def _ints(values: Sequence[int]) -> Ints:
    return shared_ints(np.array(values, dtype=np.int64))


class Mover:
    """Moves one driven actor at a time."""

    def __init__(
        self,
        table: MotionColumns,
        placing: Placing,
        narrow: NarrowPhase,
        clips: ClipColumns,
        pushes: Pushes,
        tolerance: float,
    ) -> None:
        self.table, self.placing, self.narrow, self.clips, self.pushes = table, placing, narrow, clips, pushes
        self.actors: ActorColumns = placing.actors
        self.tolerance = tolerance
        self.jumped = self.turned = False
        self._t = 0.0
        self._normal_x = self._normal_y = 0.0
        self._met = False
        self._key_t = self._key_into = self._key_level = 0.0

    def step(self, row: int, push_x: float, push_y: float) -> int:
        """One frame of a body: STAYS, GOES_AT_EDGE (it is gone before anything touches) or GOES_AT_SOLID (after).

        `jumped` says whether an edge has put it to the other side, `turned` whether it has bounced or turned. Raises
        IndexError.
        """
        if not 0 <= row < self.actors.count:
            raise IndexError("no such row")
        actor, table = self.actors.rows[row], self.table
        motion = actor.motion
        self.jumped = self.turned = False
        vx = (actor.vx + table.ax[motion]) * table.keep[motion]
        vy = (actor.vy + table.ay[motion]) * table.keep[motion]
        # An infinite cap must not divide.
        cap = table.cap[motion]
        if cap < INFINITE:
            speed = sqrt(vx * vx + vy * vy)
            if speed > cap:
                vx, vy = vx * (cap / speed), vy * (cap / speed)
        actor.vx, actor.vy = vx, vy
        if table.spin[motion] != 0.0:
            actor.angle += table.spin[motion]
        # The push is added after the cap: knockback may exceed the speed of the kind.
        way_x, way_y = vx * table.dt + push_x, vy * table.dt + push_y
        leaves = STAYS
        if table.solid[motion] != 0:
            leaves = self.travel(row, way_x, way_y)
        else:
            actor.x += way_x
            actor.y += way_y
        # A body that a solid takes has stopped there, so the edges do not matter any more.
        if leaves == STAYS and table.edge[motion] != 0:
            leaves = self.meet_edge(row, True)
            if leaves == STAYS:
                leaves = self.meet_edge(row, False)
        return leaves

    def travel(self, row: int, way_x: float, way_y: float) -> int:
        """Along a way as far as solids let it, sliding along those that only stop it."""
        actor = self.actors.rows[row]
        # Each slide may meet another surface; four are enough for a corner and bound the work.
        for _ in range(SLIDES):
            self.first_met(row, way_x, way_y)
            share = self._t if self._t < 1.0 else 1.0
            actor.x += way_x * share
            actor.y += way_y * share
            if not self._met:
                return STAYS
            way_x, way_y = way_x * (1.0 - share), way_y * (1.0 - share)
            nx, ny = self._normal_x, self._normal_y
            came = self.meet_solid(row, nx, ny)
            if came != STAYS or not self._met:
                return came
            # what is left of the way continues along the surface
            into = way_x * nx + way_y * ny
            way_x, way_y = way_x - into * nx, way_y - into * ny
        return STAYS

    def meet_solid(self, row: int, nx: float, ny: float) -> int:
        """The reaction of a body at a surface; `_met` stays set if it continues along it."""
        actor, table = self.actors.rows[row], self.table
        motion = actor.motion
        rule = table.solid[motion]
        into = actor.vx * nx + actor.vy * ny
        # The allowed bounces are used up, so this one removes.
        if rule == ON_SOLID_REMOVE or (rule == ON_SOLID_BOUNCE and actor.bounces == 0):
            return GOES_AT_SOLID
        self.pushes.bounce(row, nx, ny)
        if rule == ON_SOLID_BOUNCE:
            self._met = False
            # A bounce ends the way of this frame: the rest of it is lost.
            self.turned = True
            actor.bounces -= 1
            if into < 0.0:
                kept = table.bounciness[motion]
                actor.vx = (actor.vx - 2.0 * into * nx) * kept
                actor.vy = (actor.vy - 2.0 * into * ny) * kept
            return STAYS
        # A floor or a slope does not turn a walker; only a wall does.
        if rule == ON_SOLID_TURN and abs(ny) < LEVEL - self.tolerance:
            self._met = False
            self.turned = True
            actor.vx, actor.facing = -actor.vx, -actor.facing
            return STAYS
        if into < 0.0:
            actor.vx -= into * nx
            actor.vy -= into * ny
        return STAYS

    def first_met(self, row: int, way_x: float, way_y: float) -> None:
        """Where a way is first hindered: `_met`, `_t` in [0, 1] (infinite for a free way), and the normal of the
        surface met, pointing out of the solid.

        A way is hindered by a solid that the body would come to overlap by more than the tolerance. A body that
        touches or overlaps one already is hindered, at 0, only by motion into it. Of surfaces met at one moment
        the one that the motion heads into most counts, then the most level one.
        """
        actor, placing, narrow, boxes = self.actors.rows[row], self.placing, self.narrow, self.placing.boxes
        kind = actor.kind
        self._met, self._t = False, INFINITE
        first, last = boxes.body_start[kind], boxes.body_start[kind + 1]
        # Without a body box the position itself is a point that every solid stops.
        if first == last:
            narrow.na = 1
            narrow.ax[0], narrow.ay[0] = actor.x + way_x, actor.y + way_y
            self.against_solids(way_x, way_y, 0.0, ANYWHERE)
            return
        placing.turn(row)
        clip = actor.clip
        cell = self.clips.cell_of(kind, clip, actor.tick) if clip >= 0 else -1
        for i in range(first, last):
            box = boxes.body_box[i]
            form = boxes.form_of(box, clip, cell)
            if form < 0:
                continue
            radius = placing.shapes.radius[form] * actor.scale
            for part in range(placing.shapes.part_start[form], placing.shapes.part_end[form]):
                placing.corners_a(narrow, part, row, way_x, way_y)
                self.against_solids(way_x, way_y, radius, boxes.mask[box])

    def against_solids(self, way_x: float, way_y: float, radius: float, mask: int) -> None:
        """The part that stands as A at the end of its way, against every solid it looks for."""
        table, narrow, tolerance = self.table, self.narrow, self.tolerance
        low_x = high_x = narrow.ax[0]
        low_y = high_y = narrow.ay[0]
        for i in range(1, narrow.na):
            low_x, high_x = min(low_x, narrow.ax[i]), max(high_x, narrow.ax[i])
            low_y, high_y = min(low_y, narrow.ay[i]), max(high_y, narrow.ay[i])
        reach = radius - tolerance
        # The way is as long as the motion, so its start belongs to the bounds.
        low_x, high_x = min(low_x, low_x - way_x) - reach, max(high_x, high_x - way_x) + reach
        low_y, high_y = min(low_y, low_y - way_y) - reach, max(high_y, high_y - way_y) + reach
        for solid in range(table.solids):
            if not (
                high_x > table.solid_low_x[solid]
                and low_x < table.solid_high_x[solid]
                and high_y > table.solid_low_y[solid]
                and low_y < table.solid_high_y[solid]
            ):
                continue
            layer = table.solid_layer[solid]
            # A solid without a layer stops every body.
            if layer != 0 and mask != ANYWHERE and (mask & layer) == 0:
                continue
            first, last = table.solid_start[solid], table.solid_start[solid + 1]
            narrow.nb = last - first
            narrow.check_room()
            for i in range(first, last):
                narrow.bx[i - first], narrow.by[i - first] = table.solid_x[i], table.solid_y[i]
            t = narrow.time_of_impact(radius, way_x, way_y, tolerance)
            if t > 1.0:
                continue
            back_x, back_y = way_x * (1.0 - t), way_y * (1.0 - t)
            for i in range(narrow.na):
                narrow.ax[i] -= back_x
                narrow.ay[i] -= back_y
            surface_normal(narrow, way_x, way_y, tolerance)
            for i in range(narrow.na):
                narrow.ax[i] += back_x
                narrow.ay[i] += back_y
            into = narrow.normal_x * way_x + narrow.normal_y * way_y
            # Motion along or away from a surface is free, even from inside the solid.
            if into >= 0.0:
                continue
            # rounded, so that the order of solids does not decide between moments that are equal but for rounding
            key_t, key_into, level = floor(t * 1e9 + 0.5), floor(into * 1e9 + 0.5), -abs(narrow.normal_y)
            if self._met and (
                key_t > self._key_t
                or (key_t == self._key_t and key_into > self._key_into)
                or (key_t == self._key_t and key_into == self._key_into and level >= self._key_level)
            ):
                continue
            self._met, self._t = True, t
            self._normal_x, self._normal_y = narrow.normal_x, narrow.normal_y
            self._key_t, self._key_into, self._key_level = key_t, key_into, level

    def meet_edge(self, row: int, across: bool) -> int:
        """Keeps a body within the bounds, on one axis."""
        actor, table = self.actors.rows[row], self.table
        motion = actor.motion
        place = actor.x if across else actor.y
        low, high = (table.left, table.right) if across else (table.top, table.bottom)
        # An edge itself belongs to the space.
        if low <= place <= high:
            return STAYS
        rule, kept = table.edge[motion], table.bounciness[motion]
        if rule == AT_EDGE_REMOVE or (rule == AT_EDGE_BOUNCE and actor.bounces == 0):
            return GOES_AT_EDGE
        if rule != AT_EDGE_WRAP:
            inwards = 1.0 if place < low else -1.0
            self.pushes.bounce(row, inwards if across else 0.0, 0.0 if across else inwards)
        if rule == AT_EDGE_WRAP:
            # a kind that wraps touches across the edge, so its way goes on there
            self.jumped = not self.placing.boxes.wraps[actor.kind]
            # Python's modulo is never negative here, so both edges work.
            place = low + (place - low) % (high - low)
        elif rule == AT_EDGE_BOUNCE:
            actor.bounces -= 1
            self.turned = True
            place = 2.0 * low - place if place < low else 2.0 * high - place
            actor.vx *= -kept if across else kept
            actor.vy *= kept if across else -kept
        elif across:
            actor.vx = 0.0
        else:
            actor.vy = 0.0
        if rule != AT_EDGE_WRAP:
            # a body faster than the space is wide would be past the other edge
            place = low if place < low else high if place > high else place
        if across:
            actor.x = place
        else:
            actor.y = place
        return STAYS
