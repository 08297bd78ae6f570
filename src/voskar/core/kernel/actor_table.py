"""The state of every actor that the kernel reads and moves: a struct each, and its fields as columns for Python."""

from __future__ import annotations

import numpy as np

from voskar.core.kernel.actor_row import ActorRow
from voskar.core.kernel.columns import ActorColumns
from voskar.core.kernel.storage import Flags, Floats, Ints, strided

LAYOUT = np.dtype(ActorRow)
LINE = 64
WIDTH = -(-LAYOUT.itemsize // LINE) * LINE

BEFORE = ("at", "before_at", "played", "step_at", "away_until", "disarmed_until", "frozen_since", "frozen_until")
"""Frames that lie before the first for an actor that has not been there yet."""


class ActorTable:
    """The fields of all actors as plain Python reads them, a column each, by their row in the world; `kernel` is the
    same memory for the kernel.

    Position, matrix (`m00` …: R(angle) · diag(facing · scale, scale)), clip and cell of this frame, with those of the
    frame before next to them (`before_x` …; for one that wraps the nearest of the places that are one, by `near_x` and
    `near_y`). `at` is the last frame it was there, `played` the last it was in play, `away_until` the first in which it
    is in play again. `past` says whether the frame before counts, `flows` the same for its velocity. Driven ones:
    velocity, `sent` to another from the next frame on, turned by `turns` degrees then, `homing`, `since` (clip and
    beats count from it), `expires`, `ends` (last frame of one that is down), `hides`, `motion`, `bounces`, their home,
    and `fixed` for one that is down and stands still. `entered` is the frame since which it is in play, `clip_since`
    that since which its clip continues, and its hitboxes are closed through `disarmed_until`. `met` are the conditions
    of its boxes that its state meets, a bit each, `tags` the place of its pose's tags, `opens` the conditions that it
    meets with both. It is frozen from `frozen_since` to `frozen_until`; its depth is `z`. Recorded ones: `pose`, the
    row of the recording's columns, `offset_x` (what hits have moved it by), home while `homing`.
    """

    x: Floats
    y: Floats
    facing: Floats
    scale: Floats
    m00: Floats
    m01: Floats
    m10: Floats
    m11: Floats
    before_x: Floats
    before_y: Floats
    before_facing: Floats
    angle: Floats
    before_m00: Floats
    before_m01: Floats
    before_m10: Floats
    before_m11: Floats
    kind: Ints
    clip: Ints
    cell: Ints
    before_clip: Ints
    before_cell: Ints
    tick: Ints
    before_tick: Ints
    motion: Ints
    at: Ints
    played: Ints
    born: Ints
    expires: Ints
    since: Ints
    hides: Ints
    away_until: Ints
    disarmed_until: Ints
    vx: Floats
    vy: Floats
    before_at: Ints
    step_at: Ints
    pose: Ints
    before_pose: Ints
    spawned: Flags
    driven: Flags
    hidden: Flags
    lingering: Flags
    past: Flags
    flows: Flags
    homing: Flags
    sent: Flags
    returns: Flags
    fixed: Flags
    sent_vx: Floats
    sent_vy: Floats
    turns: Floats
    step_x: Floats
    step_y: Floats
    offset_x: Floats
    offset_y: Floats
    near_x: Floats
    near_y: Floats
    home_x: Floats
    home_y: Floats
    home_vx: Floats
    home_vy: Floats
    home_facing: Floats
    home_angle: Floats
    owner: Ints
    place: Ints
    ends: Ints
    bounces: Ints
    entered: Ints
    clip_since: Ints
    met: Ints
    tags: Ints
    opens: Ints
    before_opens: Ints
    frozen_since: Ints
    frozen_until: Ints
    z: Floats

    def __init__(self, rows: int) -> None:
        self.capacity = 0
        self.kernel = ActorColumns()
        self._memory = np.zeros((0, WIDTH), dtype=np.uint8)
        self.grow(rows)

    def grow(self, rows: int) -> None:
        """Room for so many; each row begins with a line of the cache."""
        raw = np.zeros(rows * WIDTH + LINE, dtype=np.uint8)
        start = -raw.ctypes.data % LINE
        # NumPy may align to 16 bytes; a row that crosses a line of the cache costs two reads.
        memory = raw[start : start + rows * WIDTH].reshape(rows, WIDTH)
        memory[: self.capacity] = self._memory
        self._memory, self.capacity = memory, rows
        fields = memory[:, : LAYOUT.itemsize].view(LAYOUT)[:, 0]
        for name in ActorRow.__annotations__:
            setattr(self, name, strided(fields[name]))
        # The compiled kernel keeps raw addresses, so it must get the new ones.
        self.kernel.bind(memory, memory.ctypes.data + WIDTH * np.arange(rows, dtype=np.int64), ActorRow)

    def begin(self, rows: int, never: int, tags: int, z: float) -> None:
        """The first rows are of actors that have not been there yet: `never` is a frame before all. The tags and the
        depth of the first pose may be those of all, which the kernel then does not read from each."""
        for name in BEFORE:
            np.asarray(getattr(self, name))[:rows] = never
        np.asarray(self.tags)[:rows], np.asarray(self.z)[:rows] = tags, z

    def copy(self) -> ActorTable:
        """A table of the same rows in memory of its own."""
        made = ActorTable(self.capacity)
        made._memory[:] = self._memory
        return made
