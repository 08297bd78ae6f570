"""Values that a game logs by name: places of boxes, and counters."""

from __future__ import annotations

import numpy as np
from msgspec import Struct, field

from voskar.core.rules.shapes import Floats, Ints


class LoggedPart(Struct, frozen=True, eq=False):
    """A convex part of a logged shape: `corners` (n, 2) as seen from the pose's own position, and a radius. One that
    `is_rect` begins with its low corner."""

    corners: Floats
    radius: float = 0.0
    is_rect: bool = False

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """Low x, low y, high x, high y."""
        (x0, y0), (x1, y1) = self.corners.min(axis=0).tolist(), self.corners.max(axis=0).tolist()
        return x0 - self.radius, y0 - self.radius, x1 + self.radius, y1 + self.radius


class LoggedBoxes(Struct, frozen=True, eq=False):
    """The boxes that poses log: `bounds` (m, names, 4) are low x, low y, high x, high y as seen from the pose's own
    position, NaN for a box that is not among them. `Poses.logged` says which of the m rows a pose has. A box that is no
    rectangle has its place in `shapes` in `shape` (m, names), others -1."""

    names: tuple[str, ...] = ()
    bounds: Floats = field(default_factory=lambda: np.zeros((0, 0, 4)))
    shape: Ints = field(default_factory=lambda: np.zeros((0, 0), dtype=np.int64))
    shapes: tuple[tuple[LoggedPart, ...], ...] = ()

    @property
    def room(self) -> tuple[int, int]:
        """The most parts that a box has, and the most corners of a part."""
        corners = [len(part.corners) for shape in self.shapes for part in shape]
        return max(map(len, self.shapes), default=1), max([4, *corners])

    def parts(self, row: int) -> dict[str, tuple[LoggedPart, ...]]:
        """The shapes of one row by name."""
        found = {}
        for name, number in zip(self.names, self.shape[row].tolist(), strict=True):
            if number >= 0:
                found[name] = self.shapes[number]
        for name, (x0, y0, x1, y1) in self.of(row).items():
            # a shape that is no rectangle has its own corners; its bounds are only a summary
            found.setdefault(name, (LoggedPart(np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)]), is_rect=True),))
        return found

    def of(self, row: int) -> dict[str, tuple[float, float, float, float]]:
        """The boxes of one row by name."""
        found = {}
        for name, item in zip(self.names, self.bounds[row].tolist(), strict=True):
            # NaN differs from itself, and is the only value that does
            if item[0] == item[0]:
                found[name] = (item[0], item[1], item[2], item[3])
        return found


class LoggedCounters(Struct, frozen=True, eq=False):
    """The counters that poses log: `values` (m, names), NaN for one that is not among them. `Poses.counted` says which
    of the m rows a pose has."""

    names: tuple[str, ...] = ()
    values: Floats = field(default_factory=lambda: np.zeros((0, 0)))
