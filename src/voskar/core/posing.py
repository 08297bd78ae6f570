"""Boxes of actors put anywhere, with the kernel's own geometry: for explanations, pictures and audits."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from voskar.core.boxes import BoxCatalog, FormedBox
from voskar.core.kernel.actor_table import ActorTable
from voskar.core.kernel.broad_phase import TouchFinder
from voskar.core.kernel.narrow_phase import NarrowPhase
from voskar.core.kernel.placed import BoxLog
from voskar.core.kernel.placing import SCRATCH, Placing
from voskar.core.kernel.storage import shared_flags, shared_floats, shared_ints
from voskar.core.recording import LoggedBoxes, Recording
from voskar.core.rules import Kind, Rules
from voskar.core.rules.shapes import TOLERANCE, Floats

Bounds = tuple[float, float, float, float]


COPIES = 9
"""A box that wraps, and those a width or a height over."""


def box_log(played: Recording | None) -> BoxLog:
    """The boxes that a recording logs, as the kernel reads them."""
    boxes = LoggedBoxes() if played is None else played.boxes
    parts = [part for shape in boxes.shapes for part in shape]
    shapes = (
        shared_ints(boxes.shape.reshape(-1)),
        shared_ints(np.cumsum([0, *map(len, boxes.shapes)])),
        shared_ints(np.cumsum([0, *(len(part.corners) for part in parts)])),
        shared_floats(np.concatenate([np.zeros((0, 2)), *(part.corners for part in parts)]).reshape(-1)),
        shared_floats(np.array([part.radius for part in parts], dtype=np.float64)),
        shared_flags(np.array([part.is_rect for part in parts], dtype=np.bool_)),
    )
    if played is None or not boxes.names:
        return BoxLog(shared_ints(np.array([-1])), 0, shared_floats(np.zeros(1)), 1, *shapes)
    bounds = shared_floats(boxes.bounds.reshape(-1))
    return BoxLog(shared_ints(played.poses.logged), 1, bounds, len(boxes.names), *shapes)


def bounds_of(rules: Rules) -> Bounds:
    """The bounds of the space, infinite without any."""
    return rules.space.bounds or (-math.inf, -math.inf, math.inf, math.inf)


class Touch(NamedTuple):
    """A hitbox of one row that touches a hurtbox of another."""

    attacker: int
    hitbox: FormedBox
    target: int
    hurtbox: FormedBox


class Posed:
    """Rows of actors, each in a pose of its own."""

    def __init__(self, catalog: BoxCatalog, clips: tuple[str, ...], rows: int, played: Recording | None = None) -> None:
        """`played` is the recording with the poses to show."""
        self.catalog, self.clips, self.rows = catalog, clips, rows
        self.table = ActorTable(rows)
        self.shapes = catalog.shapes((1, 4) if played is None else played.boxes.room)
        self.narrow = NarrowPhase(self.shapes.most_corners)
        names = played.boxes.names if played is not None else ()
        self._most = max((len(own) for own in catalog.by_kind.values()), default=1) if names else 0
        self.shapes.reserve(SCRATCH + rows * self._most)
        boxes = catalog.table(clips, names, () if played is None else played.tag_sets)
        self.placing = Placing(
            self.table.kernel, self.shapes, boxes, box_log(played), bounds_of(catalog.rules), TOLERANCE
        )
        self.placing.reserve_rows(rows)
        self.slack = -TOLERANCE if catalog.rules.contact.edges_touch else TOLERANCE

    def put(
        self,
        row: int,
        kind: str,
        x: float,
        y: float,
        facing: float = 1.0,
        angle: float = 0.0,
        scale: float = 1.0,
        clip: int = -1,
        cell: int = -1,
    ) -> None:
        """Puts an actor of a kind somewhere."""
        table = self.table
        table.kind[row], table.owner[row] = self.catalog.kind_number[kind], -1
        table.x[row], table.y[row], table.facing[row] = x, y, facing
        table.angle[row], table.scale[row] = angle, scale
        table.clip[row], table.cell[row], table.pose[row] = clip, cell, -1
        table.disarmed_until[row] = table.frozen_until[row] = -1
        table.z[row] = 0.0
        table.met[row], table.tags[row] = -1, -1  # what its state would be is not known here
        self.placing.turn(row)

    def pose(self, row: int, recording: Recording, pose: int, cell: int) -> None:
        """Puts an actor as a pose of a recording shows it, in a cell of its clip."""
        poses = recording.poses
        x, y = float(poses.x[pose]), float(poses.y[pose])
        facing, angle, scale = (float(column[pose]) for column in (poses.facing, poses.angle, poses.scale))
        kind = recording.actors[poses.actor[pose]].kind
        self.put(row, kind, x, y, facing, angle, scale, int(poses.clip[pose]), cell)
        self.table.z[row] = float(poses.z[pose])
        self.table.pose[row], self.table.tags[row] = pose, int(poses.tags[pose])

    def clip(self, row: int) -> str | None:
        """The clip that it shows."""
        number = self.table.clip[row]
        return self.clips[number] if number >= 0 else None

    def form(self, row: int, box: FormedBox) -> int:
        """The form of a box, open or not; -1 for a box that the game would have to log, and does not."""
        if not box.box.logged:
            return box.form_in(self.clip(row), self.table.cell[row])
        table, form = self.table, self.shapes.own + self._spare(row, box)
        matrix = (table.m00[row], table.m01[row], table.m10[row], table.m11[row])
        return form if self.placing.logged.lay(form, box.number, table.pose[row], *matrix, table.scale[row]) else -1

    def _spare(self, row: int, box: FormedBox) -> int:
        """The spare form for a logged box of a row."""
        return SCRATCH + row * self._most + self.catalog.by_kind[box.kind.name].index(box) if self._most else 0

    def is_open(self, row: int, box: FormedBox) -> bool:
        """Whether a box is open."""
        return self.placing.form_of(row, box.number, False, self._spare(row, box)) >= 0

    def boxes(self, row: int) -> Iterator[FormedBox]:
        """All boxes of its kind."""
        kind: Kind = self.catalog.rules.kinds[self.catalog.kinds[self.table.kind[row]]]
        yield from self.catalog.by_kind[kind.name]

    def bounds(self, row: int, box: FormedBox) -> Bounds:
        """World bounds of a box, rounding radius included."""
        form, table = self.form(row, box), self.table
        if form < 0:
            return table.x[row], table.y[row], table.x[row], table.y[row]
        radius = self.shapes.radius[form] * table.scale[row]
        matrix = (table.m00[row], table.m01[row], table.m10[row], table.m11[row])
        self.placing.bounds(form, table.x[row], table.y[row], *matrix, radius)
        return self.placing.low_x, self.placing.low_y, self.placing.high_x, self.placing.high_y

    def anchor(self, row: int, box: FormedBox) -> tuple[float, float]:
        """Where the `at` of a box is in the world."""
        form, table = self.form(row, box), self.table
        x, y = self.shapes.anchor_x[form], self.shapes.anchor_y[form]
        return (
            x * table.m00[row] + y * table.m01[row] + table.x[row],
            x * table.m10[row] + y * table.m11[row] + table.y[row],
        )

    def parts(self, row: int, box: FormedBox) -> list[tuple[Floats, float]]:
        """World corners (n, 2) of the convex parts of a box, each with its radius."""
        form, shapes, narrow = self.form(row, box), self.shapes, self.narrow
        found: list[tuple[Floats, float]] = []
        if form < 0:
            return found
        for part in range(shapes.part_start[form], shapes.part_end[form]):
            self.placing.corners_a(narrow, part, row, 0.0, 0.0)
            corners = np.stack([np.asarray(narrow.ax)[: narrow.na], np.asarray(narrow.ay)[: narrow.na]], axis=1)
            found.append((corners.copy(), shapes.part_radius[part] * self.table.scale[row]))
        return found

    def gap(self, a: int, hit: FormedBox, b: int, hurt: FormedBox) -> float:
        """Signed gap in units of two boxes, open or not: the least over their parts; negative where they overlap.

        Where either wraps, the least over all the places that are one. Infinite if the game does not log one of them.
        """
        shapes, narrow, placing = self.shapes, self.narrow, self.placing
        form_a, form_b = self.form(a, hit), self.form(b, hurt)
        best = float("inf")
        if form_a < 0 or form_b < 0:
            return best
        over = [(0.0, 0.0)]
        if hit.kind.wraps or hurt.kind.wraps:
            steps = (0.0, -1.0, 1.0)
            over = [(x * placing.width, y * placing.height) for x in steps for y in steps]
        for part_a in range(shapes.part_start[form_a], shapes.part_end[form_a]):
            reach = shapes.part_radius[part_a] * self.table.scale[a]
            for dx, dy in over:
                placing.corners_a(narrow, part_a, a, dx, dy)
                for part_b in range(shapes.part_start[form_b], shapes.part_end[form_b]):
                    placing.corners_b(narrow, part_b, b, 0.0, 0.0)
                    best = min(best, narrow.gap(reach + shapes.part_radius[part_b] * self.table.scale[b]))
        return best

    def depth_gap(self, a: int, hit: FormedBox, b: int, hurt: FormedBox) -> float:
        """How far apart two boxes are in depth, below 0 where they overlap; endlessly so if either has none."""
        pair, other, table = hit.box.depth, hurt.box.depth, self.table
        if pair is None or other is None:
            return -math.inf
        near, far = zip(
            *((table.z[row] + own[0] * table.scale[row], table.z[row] + own[1] * table.scale[row])
              for row, own in ((a, pair), (b, other))),
            strict=True,
        )  # fmt: skip
        return float(max(near) - min(far))

    def distance(self, row: int, box: FormedBox, x: float, y: float) -> float:
        """How far a point is from a box, open or not: 0 inside, infinite if the game does not log the box."""
        shapes, narrow, form = self.shapes, self.narrow, self.form(row, box)
        best = math.inf
        if form < 0:
            return best
        narrow.put(False, [(x, y)])
        for part in range(shapes.part_start[form], shapes.part_end[form]):
            self.placing.corners_a(narrow, part, row, 0.0, 0.0)
            best = min(best, narrow.gap(shapes.part_radius[part] * self.table.scale[row]))
        return max(best, 0.0)

    def touches(self) -> list[Touch]:
        """Every touch among all rows, as they stand."""
        finder = TouchFinder(self.placing, self.narrow, self.slack)
        room = self.rows * max((len(own) for own in self.catalog.by_kind.values()), default=1)
        room *= COPIES if self.placing.boxes.any_wraps else 1
        self.placing.reserve(room)
        finder.reserve(room)
        self.placing.clear()
        for row in range(self.rows):
            self.placing.place(row, 0)
        if self.placing.boxes.any_wraps:
            self.placing.copy_across(self.placing.tolerance)
        finder.find()
        while finder.overflow:
            finder.grow(2 * finder.room)
            finder.find()
        formed = self.catalog.formed
        return [
            Touch(attacker, formed[hit], target, formed[hurt]) for attacker, hit, target, hurt, _, _ in finder.touches()
        ]
