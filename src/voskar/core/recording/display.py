"""The game's own display, as columns: one row an entry, in the order in which it was logged."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from msgspec import Struct

from voskar.core.rules.shapes import Floats, Ints


class Display(Struct, frozen=True, gc=False):
    """One entry of what the game's own display showed in a frame: an actor's values, or the clock."""

    frame: int
    line: int
    id: str | None = None
    health: float | None = None
    percent: float | None = None
    icons: float | None = None
    lives: float | None = None
    score: float | None = None
    clock: str | None = None


def _ints() -> Ints:
    return np.zeros(0, dtype=np.int64)


@dataclass(frozen=True, eq=False)
class DisplayLog:
    """Columns of one length n, sorted by frame. `line` is where an entry stands in the recording (a row, in tables);
    `id` and `clock` index `ids` and `clocks`, -1 for none; numbers are NaN where not shown."""

    frame: Ints = field(default_factory=_ints)
    line: Ints = field(default_factory=_ints)
    id: Ints = field(default_factory=_ints)
    health: Floats = field(default_factory=lambda: np.zeros(0))
    percent: Floats = field(default_factory=lambda: np.zeros(0))
    icons: Floats = field(default_factory=lambda: np.zeros(0))
    lives: Floats = field(default_factory=lambda: np.zeros(0))
    score: Floats = field(default_factory=lambda: np.zeros(0))
    clock: Ints = field(default_factory=_ints)
    ids: tuple[str, ...] = ()
    clocks: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.frame)

    def within(self, first: int, last: int) -> Iterator[Display]:
        """The entries of some frames, one by one."""
        low, high = np.searchsorted(self.frame, [first, last + 1]).tolist()
        ids, clocks = [*self.ids, None], [*self.clocks, None]
        numbers = [
            [None if value != value else value for value in column[low:high].tolist()]
            for column in (self.health, self.percent, self.icons, self.lives, self.score)
        ]
        who, clock = (
            [*map(names.__getitem__, codes[low:high].tolist())]
            for names, codes in ((ids, self.id), (clocks, self.clock))
        )
        yield from map(Display, self.frame[low:high].tolist(), self.line[low:high].tolist(), who, *numbers, clock)
