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
        """Rows by actor and button."""
        found: dict[tuple[str, str], Ints] = {}
        for number, button in sorted(set(zip(self.id.tolist(), self.button.tolist(), strict=True))):
            rows = np.flatnonzero((self.id == number) & (self.button == button))
            found[self.ids[number], self.buttons[button]] = rows
        return found

    @cached_property
    def _held(self) -> Mapping[tuple[str, str], Ints]:
        """The frames of those rows in which the button is down."""
        found: dict[tuple[str, str], Ints] = {}
        for key, rows in self._rows.items():
            down = self.frame[rows[self.down[rows]]]
            found[key] = down[np.diff(down, prepend=-1) > 0]  # each once: `np.unique` costs 20 ms when first called
        return found

    def presses(self, name: str, first: int, last: int) -> bool:
        """Whether a button of an actor goes down or up in some frames."""
        for (own, _), held in self._held.items():
            if own == name:
                # the frame before says whether it goes down in the first, or is up in it already
                low, high = np.searchsorted(held, [first - 1, last + 1]).tolist()
                if 0 < high - low < last - first + 2:
                    return True
        return False

    def who(self, button: str) -> list[str]:
        """The ids that ever log a button."""
        return [name for name, item in self._rows if item == button]

    def held(self, name: str, button: str) -> Ints:
        """The frames in which a button is down, rising."""
        return self._held.get((name, button), np.zeros(0, dtype=np.int64))

    def pressed(self, name: str, button: str, run_marks: Sequence[int] = ()) -> Ints:
        """The frames in which it is down and was not in the frame before, or that a run mark begins."""
        # a button held across a mark counts as pressed again: the run before is another one
        held = self.held(name, button)
        return held[(np.diff(held, prepend=-2) > 1) | np.isin(held, run_marks)]

    def released(self, name: str, button: str, run_marks: Sequence[int] = ()) -> Ints:
        """The frames in which it is not down and was in the frame before, except frames that a run mark begins."""
        held = self.held(name, button)
        found = held[np.diff(held, append=1 << 60) > 1] + 1
        return found[~np.isin(found, run_marks)]

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
