"""Columns that the placing of boxes writes and reads: placed boxes, and the boxes that a recording logs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from voskar.core.kernel.storage import floats, grown, ints

if TYPE_CHECKING:
    from voskar.core.kernel.storage import Flags, Floats, Ints


class PlacedBoxes:
    """Open boxes of one role in a frame, a row each: whose, which box, in which form.

    `low_x` … `high_y` are the world bounds, rounding radius included; `way_low_x` … the same with its whole way through
    the frame; `shift_x`, `shift_y` how far its anchor has come since the frame before, 0 without a usable past.
    `over_x`, `over_y` are by how much it is a copy, a width or a height of the space over.
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
        self.over_x: Floats = floats(0)
        self.over_y: Floats = floats(0)
        self.order: Ints = ints(0)
        self.grow(room)

    def grow(self, room: int) -> None:
        """Room for so many."""
        for name in ("actor", "box", "form", "swept", "order"):
            setattr(self, name, grown(getattr(self, name), room))
        for name in ("low_x", "low_y", "high_x", "high_y", "way_low_x", "way_low_y", "way_high_x", "way_high_y"):
            setattr(self, name, grown(getattr(self, name), room))
        for name in ("shift_x", "shift_y", "over_x", "over_y"):
            setattr(self, name, grown(getattr(self, name), room))
        self.room = room


class BoxLog:
    """The boxes that a recording logs: pose p has row `row[p * step]` of `bounds`, -1 for none; a row is `names` boxes
    of four numbers, as seen from the pose's position, NaN for one that is not there. `shape` has for each of them its
    place among the shapes, -1 for a rectangle: shape s is parts `part_start[s]` to `part_start[s + 1]`, part p corners
    `corner_start[p]` to `corner_start[p + 1]` with a `radius`, and `is_rect` is a rectangle with its low corner first.
    """

    def __init__(
        self,
        row: Ints,
        step: int,
        bounds: Floats,
        names: int,
        shape: Ints,
        part_start: Ints,
        corner_start: Ints,
        corners: Floats,
        radius: Floats,
        is_rect: Flags,
    ) -> None:
        """`corners` are x, y, x, y …"""
        self.row, self.step, self.bounds, self.names = row, step, bounds, names
        self.shape, self.part_start, self.corner_start = shape, part_start, corner_start
        self.corners, self.radius, self.is_rect = corners, radius, is_rect
