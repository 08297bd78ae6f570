"""What a game tells by name: where it has its boxes, and the values of counters."""

from __future__ import annotations

import numpy as np
from msgspec import Struct, field

from voskar.core.rules.shapes import Floats


class LoggedBoxes(Struct, frozen=True, eq=False):
    """The boxes that poses log: `bounds` (m, names, 4) are low x, low y, high x, high y as seen from the pose's own
    position, NaN for a box that is not among them. `Poses.logged` says which of the m rows a pose has."""

    names: tuple[str, ...] = ()
    bounds: Floats = field(default_factory=lambda: np.zeros((0, 0, 4)))

    def of(self, row: int) -> dict[str, tuple[float, float, float, float]]:
        """The boxes of one row by name."""
        found = {}
        for name, one in zip(self.names, self.bounds[row].tolist(), strict=True):
            if one[0] == one[0]:
                found[name] = (one[0], one[1], one[2], one[3])
        return found


class LoggedCounters(Struct, frozen=True, eq=False):
    """The counters that poses log: `values` (m, names), NaN for one that is not among them. `Poses.counted` says which
    of the m rows a pose has."""

    names: tuple[str, ...] = ()
    values: Floats = field(default_factory=lambda: np.zeros((0, 0)))
