"""Boxes of actors put anywhere, with the kernel's own geometry: for explanations, pictures and audits."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from voskar.core.boxes import BoxCatalog, FormedBox
from voskar.core.kernel.broad_phase import TouchFinder
from voskar.core.kernel.columns import ActorTable
from voskar.core.kernel.narrow_phase import NarrowPhase
from voskar.core.kernel.placing import Placing
from voskar.core.recording import Recording
from voskar.core.rules import Kind
from voskar.core.rules.shapes import TOLERANCE, Floats

Bounds = tuple[float, float, float, float]


class Touch(NamedTuple):
    """A hitbox of one row that touches a hurtbox of another."""

    striker: int
    hitbox: FormedBox
    target: int
    hurtbox: FormedBox


class Posed:
    """Rows of actors, each in a pose of its own."""

    def __init__(self, catalog: BoxCatalog, clips: tuple[str, ...], rows: int) -> None:
        self.catalog, self.clips, self.rows = catalog, clips, rows
        self.table = ActorTable(rows)
        self.narrow = NarrowPhase(catalog.shapes.most_corners)
        self.placing = Placing(self.table.kernel, catalog.shapes, catalog.table(clips))
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
        table.clip[row], table.cell[row] = clip, cell
        self.placing.turn(row)

    def pose(self, row: int, recording: Recording, pose: int, cell: int) -> None:
        """Puts an actor as a pose of a recording shows it, in a cell of its clip."""
        poses = recording.poses
        x, y = float(poses.x[pose]), float(poses.y[pose])
        facing, angle, scale = (float(column[pose]) for column in (poses.facing, poses.angle, poses.scale))
        kind = recording.actors[poses.actor[pose]].kind
        self.put(row, kind, x, y, facing, angle, scale, int(poses.clip[pose]), cell)

    def clip(self, row: int) -> str | None:
        """The clip that it shows."""
        number = self.table.clip[row]
        return self.clips[number] if number >= 0 else None

    def form(self, row: int, box: FormedBox) -> int:
        """The form of a box, open or not."""
        return box.form_in(self.clip(row), self.table.cell[row])

    def is_open(self, row: int, box: FormedBox) -> bool:
        """Whether a box is open."""
        return box.box.opens(self.clip(row), self.table.cell[row])

    def boxes(self, row: int) -> Iterator[FormedBox]:
        """All boxes of its kind."""
        kind: Kind = self.catalog.rules.kinds[self.catalog.kinds[self.table.kind[row]]]
        yield from self.catalog.by_kind[kind.name]

    def bounds(self, row: int, box: FormedBox) -> Bounds:
        """World bounds of a box, rounding radius included."""
        form, table = self.form(row, box), self.table
        radius = self.catalog.forms[form].radius * table.scale[row]
        matrix = (table.m00[row], table.m01[row], table.m10[row], table.m11[row])
        self.placing.bounds(form, table.x[row], table.y[row], *matrix, radius)
        return self.placing.low_x, self.placing.low_y, self.placing.high_x, self.placing.high_y

    def anchor(self, row: int, box: FormedBox) -> tuple[float, float]:
        """Where the `at` of a box is in the world."""
        form, table = self.catalog.forms[self.form(row, box)], self.table
        x, y = form.anchor
        return (
            x * table.m00[row] + y * table.m01[row] + table.x[row],
            x * table.m10[row] + y * table.m11[row] + table.y[row],
        )

    def parts(self, row: int, box: FormedBox) -> tuple[list[Floats], float]:
        """World corners (n, 2) of the convex parts of a box, and their radius."""
        form, shapes, narrow = self.form(row, box), self.catalog.shapes, self.narrow
        found = []
        for part in range(shapes.part_start[form], shapes.part_start[form + 1]):
            self.placing.corners_a(narrow, part, row, 0.0, 0.0)
            corners = np.stack([np.asarray(narrow.ax)[: narrow.na], np.asarray(narrow.ay)[: narrow.na]], axis=1)
            found.append(corners.copy())
        return found, self.catalog.forms[form].radius * self.table.scale[row]

    def gap(self, a: int, hit: FormedBox, b: int, hurt: FormedBox) -> float:
        """Signed gap in units of two boxes, open or not: the least over their parts; negative where they overlap."""
        shapes, narrow, placing = self.catalog.shapes, self.narrow, self.placing
        form_a, form_b = self.form(a, hit), self.form(b, hurt)
        radii = shapes.radius[form_a] * self.table.scale[a] + shapes.radius[form_b] * self.table.scale[b]
        best = float("inf")
        for part_a in range(shapes.part_start[form_a], shapes.part_start[form_a + 1]):
            placing.corners_a(narrow, part_a, a, 0.0, 0.0)
            for part_b in range(shapes.part_start[form_b], shapes.part_start[form_b + 1]):
                placing.corners_b(narrow, part_b, b, 0.0, 0.0)
                best = min(best, narrow.gap(radii))
        return best

    def touches(self) -> list[Touch]:
        """Every touch among all rows, as they stand."""
        finder = TouchFinder(self.placing, self.narrow, self.slack)
        room = self.rows * max((len(own) for own in self.catalog.by_kind.values()), default=1)
        self.placing.reserve(room)
        finder.reserve(room)
        self.placing.clear()
        for row in range(self.rows):
            self.placing.place(row, 0)
        finder.find()
        while finder.overflow:
            finder.grow(2 * finder.room)
            finder.find()
        hits, hurts, formed = self.placing.hits, self.placing.hurts, self.catalog.formed
        found = []
        for k in range(finder.count):
            i, j = finder.hit[k], finder.hurt[k]
            found.append(Touch(hits.actor[i], formed[hits.box[i]], hurts.actor[j], formed[hurts.box[j]]))
        return found
