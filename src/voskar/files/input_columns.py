"""The inputs of a recording, checked one by one and kept as columns: a long session has millions."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import numpy as np
from msgspec import UNSET

from voskar.core.recording.inputs import Inputs
from voskar.core.rules.shapes import LIMIT
from voskar.errors import InputError
from voskar.files.frames import InputLine, told

Wrong = Callable[[int, int, str, str], InputError]
"""What an error at a line or row, in a frame, at a field, with a message is made of."""

Met = Callable[[str, int, int, str], object]


class InputColumns:
    """Gathers inputs. `meet` is called with each new id, `meet_button` with each new button."""

    def __init__(self, wrong: Wrong, meet: Met, meet_button: Met) -> None:
        self._wrong, self._meet, self._meet_button = wrong, meet, meet_button
        self._pieces: list[tuple[np.ndarray, np.ndarray, np.ndarray]] = []
        self._ids: dict[str, int] = {}
        self._buttons: dict[str, int] = {}

    def take(self, found: Iterable[tuple[int, int, InputLine]]) -> None:
        """Some inputs, each with its line or row and its frame. Raises InputError."""
        down: dict[tuple[int, str, str], bool] = {}
        numbers: list[tuple[int, int, int]] = []
        held: list[bool] = []
        aims: list[tuple[float, float]] = []
        for number, frame, one in found:
            is_down = True if one.down is UNSET else bool(one.down)
            if down.setdefault((frame, one.id, one.button), is_down) != is_down:
                message = f'the button "{one.button}" of "{one.id}" is down and up in one frame'
                raise self._wrong(number, frame, "inputs", message)
            if one.id not in self._ids:
                self._meet(one.id, number, frame, "inputs.id")
            if one.button not in self._buttons:
                self._meet_button(one.button, number, frame, "inputs.button")
            aim = told(one.aim)
            if aim is not None and not all(abs(value) <= LIMIT for value in aim):
                message = f"found the aim {aim}, expected [x, y] within ±{LIMIT:g}"
                raise self._wrong(number, frame, "inputs", message)
            who = self._ids.setdefault(one.id, len(self._ids))
            numbers.append((frame, who, self._buttons.setdefault(one.button, len(self._buttons))))
            held.append(is_down)
            aims.append((math.nan, math.nan) if aim is None else (aim[0], aim[1]))
        if numbers:
            self._pieces.append((np.array(numbers, dtype=np.int64), np.array(held), np.array(aims)))

    def clear(self) -> None:
        """Drops what was gathered."""
        self._pieces.clear()

    def whole(self) -> Inputs:
        """All of them."""
        if not self._pieces:
            return Inputs()
        numbers, down, aim = (np.concatenate(one) for one in zip(*self._pieces, strict=True))
        frame, who, button = numbers.T
        return Inputs(frame, who, button, down, aim, tuple(self._ids), tuple(self._buttons))
