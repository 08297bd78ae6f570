"""The kernel's columns by row: the state of every actor, and a recording's poses."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cython
import numpy as np

from voskar.core.kernel.storage import Flags, Floats, Ints, shared_flags, shared_floats, shared_ints, shared_signs

if TYPE_CHECKING:
    from voskar.core.kernel.actor_row import ActorRow
    from voskar.core.recording import Recording

if not cython.compiled:  # compiled, they are pointers to structs

    def rows_at(places: Ints, row: type[ActorRow]) -> list[ActorRow]:
        """The actors that stand at these places in memory."""
        return [row.from_address(place) for place in places]

    def fetch(row: ActorRow) -> None:
        """An actor's memory is asked for before it is needed."""


class ActorColumns:
    """`rows[k]` is the actor of row k in the world, of `count` rows; the memory is that of an `ActorTable`."""

    def bind(self, memory: np.ndarray, places: np.ndarray, row: type[ActorRow]) -> None:
        """Sets where each row stands in memory; called again whenever the table has grown."""
        self.memory = memory
        self.count = len(places)
        self.places: Ints = shared_ints(places)
        self.rows = rows_at(self.places, row)


class PoseColumns:
    """A recording's poses as the kernel reads them. Columns that were not logged are one value long: `…_step` is 0."""

    def __init__(self, recording: Recording, shown: np.ndarray) -> None:
        """`shown` is the cell of each pose."""
        poses = recording.poses
        self.first = recording.first
        self.start: Ints = shared_ints(recording.starts)
        self.actor: Ints = shared_ints(poses.actor)
        self.x: Floats = shared_floats(poses.x)
        self.y: Floats = shared_floats(poses.y)
        self.shown_step = _step(shown)
        self.shown: Ints = shared_ints(_thin(shown))
        self.facing_step = _step(poses.facing)
        self.angle_step, self.scale_step = map(_step, (poses.angle, poses.scale))
        self.facing: Ints = shared_signs(_thin(poses.facing))
        self.angle: Floats = shared_floats(_thin(poses.angle))
        self.scale: Floats = shared_floats(_thin(poses.scale))
        self.z_step = _step(poses.z)
        self.z: Floats = shared_floats(_thin(poses.z))
        self.clip_step, self.tick_step, self.cut_step = map(_step, (poses.clip, poses.tick, poses.cut))
        self.clip: Ints = shared_ints(_thin(poses.clip))
        self.tick: Ints = shared_ints(_thin(poses.tick))
        self.cut: Flags = shared_flags(_thin(poses.cut))
        self.tags_step = _step(poses.tags)
        self.tags: Ints = shared_ints(_thin(poses.tags))
        self.hidden_step, self.lingering_step = map(_step, (poses.hidden, poses.lingering))
        self.hidden: Flags = shared_flags(_thin(poses.hidden))
        self.lingering: Flags = shared_flags(_thin(poses.lingering))


def _step(column: np.ndarray) -> int:
    """0 for a column that is a view of one value."""
    # A view of one value reads its place 0 for every pose.
    return 0 if column.strides == (0,) or not len(column) else 1


def _thin(column: np.ndarray) -> np.ndarray:
    return column if _step(column) else column[:1]
