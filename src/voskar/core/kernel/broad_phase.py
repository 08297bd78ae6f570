"""Touches of one frame: which placed boxes have bounds that overlap, without trying all pairs, then which do touch."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cython

from voskar.core.kernel.storage import floats, grown, ints

if not cython.compiled:
    from voskar.core.kernel.meeting import contact_point, surface_normal
    from voskar.core.kernel.narrow_phase import INFINITE

if TYPE_CHECKING:
    from voskar.core.kernel.narrow_phase import NarrowPhase
    from voskar.core.kernel.placed import PlacedBoxes
    from voskar.core.kernel.placing import Placing
    from voskar.core.kernel.storage import Floats, Ints

TouchRow = tuple[int, int, int, int, float, int]
"""Attacker, hitbox, target, hurtbox (rows and box numbers), t, and its row in the finder's table."""

FEW = 64
"""Pairs of boxes up to which they are simply all tried."""
WIDE = 4.0
"""A box so many times as long as the mean of its role is held against everything: it would blunt the search."""


class TouchFinder:
    """Finds touches; row k of the table: placed hitbox `hit[k]`, placed hurtbox `hurt[k]`, the time `t[k]` of the touch
    in the frame, and the convex parts that touch first.

    Two boxes touch if some part of one and some part of the other overlap by more than `slack`; edges that only meet do
    not touch, unless `slack` is below 0. Where one of the two is swept they are tested along their way from the frame
    before, and `t` is the first moment at which their gap is 0; else it is 1.
    """

    def __init__(self, placing: Placing, narrow: NarrowPhase, slack: float) -> None:
        self.placing, self.narrow, self.slack = placing, narrow, slack
        self.count = 0
        self.room = 0
        self.overflow = False
        self.hit: Ints = ints(0)
        self.hurt: Ints = ints(0)
        self.hit_part: Ints = ints(0)
        self.hurt_part: Ints = ints(0)
        self.t: Floats = floats(0)
        self._met_part_a = self._met_part_b = 0
        self._time = 0.0
        self._keys: Floats = floats(0)
        self.grow(64)

    def grow(self, room: int) -> None:
        """Room for so many touches in a frame."""
        self.hit, self.hurt = grown(self.hit, room), grown(self.hurt, room)
        self.hit_part, self.hurt_part = grown(self.hit_part, room), grown(self.hurt_part, room)
        self.t = grown(self.t, room)
        self.room = room

    def reserve(self, boxes: int) -> None:
        """Room to sort so many boxes."""
        if boxes > len(self._keys):
            self._keys = grown(self._keys, boxes)

    def find(self) -> None:
        """Every touch of the placed boxes. `overflow` says that there was no room for all: grow, and find again."""
        hits, hurts = self.placing.hits, self.placing.hurts
        self.count = 0
        self.overflow = False
        if hits.count == 0 or hurts.count == 0:
            return
        # Sorting costs more than trying a few pairs.
        if hits.count * hurts.count <= FEW:
            for i in range(hits.count):
                for j in range(hurts.count):
                    self.pair(i, j)
        elif hits.count <= hurts.count:
            # The larger list is walked once, and the smaller one is sorted.
            self.sweep(hits, hurts, True)
        else:
            self.sweep(hurts, hits, False)
        # With an overflow the search runs again, so a merge would be lost work.
        if self.placing.boxes.any_wraps and not self.overflow:
            self.merge()

    def touches(self) -> list[TouchRow]:
        """Every touch that was found."""
        hits, hurts = self.placing.hits, self.placing.hurts
        found: list[TouchRow] = []
        for k in range(self.count):
            i, j = self.hit[k], self.hurt[k]
            found.append((hits.actor[i], hits.box[i], hurts.actor[j], hurts.box[j], self.t[k], k))
        return found

    def merge(self) -> None:
        """Of a pair that touches in several copies only the touch that comes first is kept, of equals the one the
        least far over, then to the left, then to the low end of y."""
        hits, hurts = self.placing.hits, self.placing.hurts
        kept = 0
        for k in range(self.count):
            same = -1
            i, j = self.hit[k], self.hurt[k]
            for other in range(kept):
                a, b = self.hit[other], self.hurt[other]
                if (
                    hits.actor[a] == hits.actor[i]
                    and hits.box[a] == hits.box[i]
                    and hurts.actor[b] == hurts.actor[j]
                    and hurts.box[b] == hurts.box[j]
                ):
                    same = other
                    break
            if same < 0:
                self.keep(k, kept)
                kept += 1
                continue
            a, b = self.hit[same], self.hurt[same]
            x, y = hits.over_x[i] - hurts.over_x[j], hits.over_y[i] - hurts.over_y[j]
            u, v = hits.over_x[a] - hurts.over_x[b], hits.over_y[a] - hurts.over_y[b]
            far, near = abs(x) + abs(y), abs(u) + abs(v)
            nearer = far < near or (far == near and (x < u or (x == u and y < v)))
            if self.t[k] < self.t[same] or (self.t[k] == self.t[same] and nearer):
                self.keep(k, same)
        self.count = kept

    def keep(self, k: int, place: int) -> None:
        """Moves a touch in the table."""
        self.hit[place], self.hurt[place], self.t[place] = self.hit[k], self.hurt[k], self.t[k]
        self.hit_part[place], self.hurt_part[place] = self.hit_part[k], self.hurt_part[k]

    def sweep(self, few: PlacedBoxes, many: PlacedBoxes, hits_first: bool) -> None:
        """Sorts the fewer boxes along the axis on which they spread the most, and looks for each of the others only
        among those that begin near it (sweep and prune: Baraff 1992)."""
        low_x = low_y = INFINITE
        high_x = high_y = -INFINITE
        wide_x = wide_y = 0.0
        for i in range(few.count):
            low_x, high_x = min(low_x, few.way_low_x[i]), max(high_x, few.way_low_x[i])
            low_y, high_y = min(low_y, few.way_low_y[i]), max(high_y, few.way_low_y[i])
            wide_x += few.way_high_x[i] - few.way_low_x[i]
            wide_y += few.way_high_y[i] - few.way_low_y[i]
        # The axis with the wider spread separates more pairs.
        along_x = high_x - low_x >= high_y - low_y
        limit = WIDE * (wide_x if along_x else wide_y) / few.count
        slim = 0
        last = few.count
        reach = 0.0
        for i in range(few.count):
            key = few.way_low_x[i] if along_x else few.way_low_y[i]
            length = (few.way_high_x[i] if along_x else few.way_high_y[i]) - key
            # One huge box would make `reach` so long that every box is a neighbour.
            if length > limit:
                last -= 1
                few.order[last] = i
                continue
            reach = max(reach, length)
            self._keys[slim] = key
            few.order[slim] = i
            slim += 1
        self.sort(few, slim)
        # With edges that count as a touch, boxes that only meet must be neighbours.
        margin = -self.slack if self.slack < 0.0 else 0.0
        for j in range(many.count):
            start = (many.way_low_x[j] if along_x else many.way_low_y[j]) - reach - margin
            stop = (many.way_high_x[j] if along_x else many.way_high_y[j]) + margin
            # the first that does not end before it; steps that depend on nothing but their number are not guessed wrong
            first, rest = 0, slim
            while rest > 0:
                half = (rest + 1) >> 1
                first = first + half if self._keys[first + half - 1] < start else first
                rest -= half
            for k in range(first, slim):
                if self._keys[k] > stop:
                    break
                if hits_first:
                    self.pair(few.order[k], j)
                else:
                    self.pair(j, few.order[k])
            for k in range(slim, few.count):
                if hits_first:
                    self.pair(few.order[k], j)
                else:
                    self.pair(j, few.order[k])

    def sort(self, few: PlacedBoxes, count: int) -> None:
        """The first `count` of the order by their keys (Shell 1959): short runs, often nearly sorted."""
        step = 1
        while step < count // 3:
            step = 3 * step + 1
        while step > 0:
            for i in range(step, count):
                key, own = self._keys[i], few.order[i]
                k = i
                while k >= step and self._keys[k - step] > key:
                    self._keys[k], few.order[k] = self._keys[k - step], few.order[k - step]
                    k -= step
                self._keys[k], few.order[k] = key, own
            step = step // 3

    def pair(self, i: int, j: int) -> None:
        """Adds the touch of a placed hitbox and hurtbox, if they may meet and do: layers first, then bounds."""
        placing = self.placing
        hits, hurts, boxes, actors = placing.hits, placing.hurts, placing.boxes, placing.actors
        hitbox, hurtbox = hits.box[i], hurts.box[j]
        # The table of layers is the cheapest test and refuses most pairs of a busy frame.
        if not boxes.meets[hitbox * boxes.boxes + hurtbox]:
            return
        slack = self.slack
        if hits.swept[i] or hurts.swept[j]:
            if not (
                min(hits.way_high_x[i], hurts.way_high_x[j]) - max(hits.way_low_x[i], hurts.way_low_x[j]) > slack
                and min(hits.way_high_y[i], hurts.way_high_y[j]) - max(hits.way_low_y[i], hurts.way_low_y[j]) > slack
            ):
                return
        elif not (
            min(hits.high_x[i], hurts.high_x[j]) - max(hits.low_x[i], hurts.low_x[j]) > slack
            and min(hits.high_y[i], hurts.high_y[j]) - max(hits.low_y[i], hurts.low_y[j]) > slack
        ):
            return
        attacker, target = hits.actor[i], hurts.actor[j]
        # An actor never hits itself, even where its own boxes overlap.
        if attacker == target:
            return
        assert 0 <= attacker < actors.count
        assert 0 <= target < actors.count
        # where both wrap, the hitbox's copies meet the hurtbox itself: two copies would only do so again
        if (hurts.over_x[j] != 0.0 or hurts.over_y[j] != 0.0) and boxes.wraps[actors.rows[attacker].kind]:
            return
        if boxes.any_depth and boxes.deep[hitbox] and boxes.deep[hurtbox] and self.depth_gap(i, j) > -placing.tolerance:
            return
        owner = actors.rows[attacker].owner
        # Two shots of one owner spare each other, and a shot its owner.
        if boxes.spares_owner[hitbox] and (owner == target or (owner != -1 and owner == actors.rows[target].owner)):
            return
        if hits.swept[i] or hurts.swept[j]:
            if not self.meet_on_way(i, j):
                return
        else:
            # Unswept boxes touch at the end of the frame.
            self._time = 1.0
            if not self.meet(i, j):
                return
        k = self.count
        if k == self.room:
            # The caller makes room and asks again; growing here would invalidate the buffers in use.
            self.overflow = True
            return
        self.hit[k], self.hurt[k], self.t[k] = i, j, self._time
        self.hit_part[k], self.hurt_part[k] = self._met_part_a, self._met_part_b
        self.count = k + 1

    def depth_gap(self, i: int, j: int) -> float:
        """How far apart two boxes are in depth; below 0 where they overlap."""
        boxes, actors, hits, hurts = self.placing.boxes, self.placing.actors, self.placing.hits, self.placing.hurts
        attacker, target = actors.rows[hits.actor[i]], actors.rows[hurts.actor[j]]
        hit, hurt = hits.box[i], hurts.box[j]
        # Depth scales with the actor as width and height do.
        low = max(attacker.z + boxes.near_z[hit] * attacker.scale, target.z + boxes.near_z[hurt] * target.scale)
        return low - min(attacker.z + boxes.far_z[hit] * attacker.scale, target.z + boxes.far_z[hurt] * target.scale)

    def meet(self, i: int, j: int) -> bool:
        """Whether two boxes touch where they are; of several pairs of parts the first in order is reported."""
        placing, narrow, slack = self.placing, self.narrow, self.slack
        hits, hurts, shapes, actors = placing.hits, placing.hurts, placing.shapes, placing.actors
        form_a, form_b, row_a, row_b = hits.form[i], hurts.form[j], hits.actor[i], hurts.actor[j]
        first_a, last_a = shapes.part_start[form_a], shapes.part_end[form_a]
        first_b, last_b = shapes.part_start[form_b], shapes.part_end[form_b]
        self._met_part_a, self._met_part_b = first_a, first_b
        if shapes.upright[form_a] and shapes.upright[form_b]:
            square_a = actors.rows[row_a].m00 == 0.0 or actors.rows[row_a].m01 == 0.0
            if square_a and (actors.rows[row_b].m00 == 0.0 or actors.rows[row_b].m01 == 0.0):
                return True  # bounds of upright rectangles are the rectangles
        for a in range(first_a, last_a):
            placing.corners_a(narrow, a, row_a, hits.over_x[i], hits.over_y[i])
            reach = shapes.part_radius[a] * actors.rows[row_a].scale
            for b in range(first_b, last_b):
                placing.corners_b(narrow, b, row_b, hurts.over_x[j], hurts.over_y[j])
                radii = reach + shapes.part_radius[b] * actors.rows[row_b].scale
                if narrow.touches(radii, slack):
                    self._met_part_a, self._met_part_b = a, b
                    return True
        return False

    def meet_on_way(self, i: int, j: int) -> bool:
        """Whether two boxes touch along their relative way; of their parts those that touch first are reported."""
        placing, narrow = self.placing, self.narrow
        hits, hurts, shapes, actors = placing.hits, placing.hurts, placing.shapes, placing.actors
        form_a, form_b, row_a, row_b = hits.form[i], hurts.form[j], hits.actor[i], hurts.actor[j]
        first_a, last_a = shapes.part_start[form_a], shapes.part_end[form_a]
        first_b, last_b = shapes.part_start[form_b], shapes.part_end[form_b]
        # Each part has its own start and end, so all must be tried for the earliest.
        move_x, move_y = hits.shift_x[i] - hurts.shift_x[j], hits.shift_y[i] - hurts.shift_y[j]
        self._time = INFINITE
        for a in range(first_a, last_a):
            placing.corners_a(narrow, a, row_a, hits.over_x[i], hits.over_y[i])
            reach = shapes.part_radius[a] * actors.rows[row_a].scale
            for b in range(first_b, last_b):
                placing.corners_b(narrow, b, row_b, hurts.over_x[j], hurts.over_y[j])
                radii = reach + shapes.part_radius[b] * actors.rows[row_b].scale
                time = narrow.time_of_impact(radii, move_x, move_y, self.slack)
                if time < self._time:
                    self._time, self._met_part_a, self._met_part_b = time, a, b
        return self._time < INFINITE

    def stand(self, k: int) -> None:
        """The parts of touch k as they stand at its time, as A and B. Raises IndexError."""
        if not 0 <= k < self.count:
            raise IndexError("no such touch")
        placing, narrow = self.placing, self.narrow
        hits, hurts = placing.hits, placing.hurts
        i, j = self.hit[k], self.hurt[k]
        # The boxes stand at the end of their ways; the rest of the way is taken back.
        late = 1.0 - self.t[k]
        dx, dy = hits.over_x[i] - late * hits.shift_x[i], hits.over_y[i] - late * hits.shift_y[i]
        placing.corners_a(narrow, self.hit_part[k], hits.actor[i], dx, dy)
        dx, dy = hurts.over_x[j] - late * hurts.shift_x[j], hurts.over_y[j] - late * hurts.shift_y[j]
        placing.corners_b(narrow, self.hurt_part[k], hurts.actor[j], dx, dy)

    def contact_normal(self, k: int) -> None:
        """The outward normal of the hurtbox where touch k begins, left in `narrow.normal_x`, `normal_y`.

        Raises IndexError.
        """
        if not 0 <= k < self.count:
            raise IndexError("no such touch")
        hits, hurts = self.placing.hits, self.placing.hurts
        i, j = self.hit[k], self.hurt[k]
        self.stand(k)
        move_x, move_y = hits.shift_x[i] - hurts.shift_x[j], hits.shift_y[i] - hurts.shift_y[j]
        surface_normal(self.narrow, move_x, move_y, self.placing.tolerance)

    def contact_point(self, k: int) -> None:
        """A point inside the overlap of touch k, at its time, left in `narrow.point_x`, `point_y`.

        Raises IndexError.
        """
        if not 0 <= k < self.count:
            raise IndexError("no such touch")
        narrow, shapes, actors = self.narrow, self.placing.shapes, self.placing.actors
        hits, hurts = self.placing.hits, self.placing.hurts
        i, j = self.hit[k], self.hurt[k]
        self.stand(k)
        contact_point(
            narrow,
            shapes.part_radius[self.hit_part[k]] * actors.rows[hits.actor[i]].scale,
            shapes.part_radius[self.hurt_part[k]] * actors.rows[hurts.actor[j]].scale,
        )
