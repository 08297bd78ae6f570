"""Buttons that players pressed, as columns: one row an input, in the order in which it was logged."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from functools import cached_property

import numpy as np

from voskar.core.rules.shapes import Bools, Floats, Ints

Vector = tuple[float, float]


@dataclass(frozen=True, eq=False)
class Inputs:
    """Columns of one length n, sorted by frame. `id` and `button` index `ids` and `buttons`; `aim` (n, 2) is a world
    point, NaN where none was logged."""

    frame: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    id: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    button: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    down: Bools = field(default_factory=lambda: np.zeros(0, dtype=np.bool_))
    aim: Floats = field(default_factory=lambda: np.zeros((0, 2)))
    ids: tuple[str, ...] = ()
    buttons: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.frame)

    @cached_property
    def _rows(self) -> Mapping[tuple[str, str], Ints]:
        """Rows by who and which button."""
        found: dict[tuple[str, str], Ints] = {}
        for number, button in sorted(set(zip(self.id.tolist(), self.button.tolist(), strict=True))):
            rows = np.flatnonzero((self.id == number) & (self.button == button))
            found[self.ids[number], self.buttons[button]] = rows
        return found

    def who(self, button: str) -> list[str]:
        """The ids that ever log a button."""
        return [name for name, item in self._rows if item == button]

    def held(self, name: str, button: str) -> Ints:
        """The frames in which a button is down, rising."""
        rows = self._rows.get((name, button))
        if rows is None:
            return np.zeros(0, dtype=np.int64)
        down = self.frame[rows[self.down[rows]]]
        return down[np.diff(down, prepend=-1) > 0]  # each once: `np.unique` costs 20 ms when it is first called

    def pressed(self, name: str, button: str, anew: Sequence[int] = ()) -> Ints:
        """The frames in which it is down and was not in the frame before, or in which everything begins `again`."""
        held = self.held(name, button)
        return held[(np.diff(held, prepend=-2) > 1) | np.isin(held, anew)]

    def released(self, name: str, button: str, anew: Sequence[int] = ()) -> Ints:
        """The frames in which it is not down and was in the frame before, unless everything begins `again` in it."""
        held = self.held(name, button)
        found = held[np.diff(held, append=1 << 60) > 1] + 1
        return found[~np.isin(found, anew)]

    def aim_of(self, frame: int, name: str, button: str | None) -> Vector | None:
        """The last aim logged in a frame with a button, or with any."""
        low, high = np.searchsorted(self.frame, [frame, frame + 1])
        for row in range(int(high) - 1, int(low) - 1, -1):
            if self.ids[self.id[row]] == name and button in (None, self.buttons[self.button[row]]):
                x, y = self.aim[row].tolist()
                if x == x:
                    return x, y
        return None

    def columns(self) -> list[np.ndarray]:
        """The arrays, in a fixed order."""
        return [getattr(self, field.name) for field in fields(self) if field.name not in ("ids", "buttons")]
