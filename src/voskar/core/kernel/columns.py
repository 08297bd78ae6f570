"""The state of every actor that the kernel reads and moves, as columns by its row in the world; a recording's poses."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from voskar.core.kernel.storage import Flags, Floats, Ints, shared_flags, shared_floats, shared_ints, strided

if TYPE_CHECKING:
    from voskar.core.recording import Recording

# eight values are a line of the cache: those that a frame asks for together stand together
FLOATS = (
    "x", "y", "facing", "scale", "m00", "m01", "m10", "m11",
    "before_x", "before_y", "before_facing", "angle", "before_m00", "before_m01", "before_m10", "before_m11",
    "vx", "vy", "sent_vx", "sent_vy", "step_x", "step_y", "offset_x", "offset_y",
    "home_x", "home_y", "home_vx", "home_vy", "home_facing", "home_angle", "near_x", "near_y",
)  # fmt: skip
INTS = (
    "kind", "clip", "cell", "at", "played", "away_until", "before_clip", "before_cell",
    "tick", "since", "born", "expires", "hides", "motion", "before_at", "step_at",
    "pose", "before_pose", "owner", "place", "ends", "bounces", "before_tick", "disarmed_until",
    "entered", "clip_since",
)  # fmt: skip
FLAGS = ("spawned", "driven", "hidden", "lingering", "past", "flows", "homing", "sent", "returns", "fixed")
LINE = 64

# an actor's values lie side by side: a frame asks one actor for many of them
BLOCKS: tuple[tuple[tuple[str, ...], type], ...] = ((FLOATS, np.float64), (INTS, np.int64), (FLAGS, np.uint8))


class ActorColumns:
    """The columns, bound by the world that owns them (`bind`); see `ActorTable` for what each holds."""

    def bind(self, table: Any) -> None:
        """Takes every column of a table, anew whenever it has grown."""
        for name in (*FLOATS, *INTS, *FLAGS):
            setattr(self, name, getattr(table, name))


class ActorTable:
    """The columns as plain Python reads them; `kernel` is the same memory for the kernel.

    Position, matrix (`m00` …: R(angle) · diag(facing · scale, scale)), clip and cell of this frame, with those of the
    frame before beside them (`before_x` …; for one that wraps the nearest of the places that are one, by `near_x`
    and `near_y`). `at` is the last frame it was there, `played` the last it was in play,
    `away_until` the first in which it is in play again. `past` says whether the frame before counts, `flows` the same
    for its velocity. Driven ones: velocity, `sent` to another from the next frame on, `homing`, `since` (clip and beats
    count from it), `expires`, `ends` (last frame of one that is down), `hides`, `motion`, `bounces`, their home, and
    `fixed` for one that is down and stands still. `entered` is the frame since which it is in play, `clip_since` that
    since which its clip goes on, and its hitboxes are closed through `disarmed_until`. Recorded ones: `pose`, the row
    of the recording's columns, `offset_x` (what blows have moved it by), home while `homing`.
    """

    x: Floats
    y: Floats
    facing: Floats
    angle: Floats
    scale: Floats
    m00: Floats
    m01: Floats
    m10: Floats
    m11: Floats
    before_x: Floats
    before_y: Floats
    before_facing: Floats
    before_m00: Floats
    before_m01: Floats
    before_m10: Floats
    before_m11: Floats
    vx: Floats
    vy: Floats
    sent_vx: Floats
    sent_vy: Floats
    step_x: Floats
    step_y: Floats
    offset_x: Floats
    offset_y: Floats
    home_x: Floats
    home_y: Floats
    home_vx: Floats
    home_vy: Floats
    home_facing: Floats
    home_angle: Floats
    near_x: Floats
    near_y: Floats
    kind: Ints
    owner: Ints
    pose: Ints
    clip: Ints
    tick: Ints
    cell: Ints
    before_pose: Ints
    before_clip: Ints
    before_cell: Ints
    at: Ints
    before_at: Ints
    step_at: Ints
    played: Ints
    away_until: Ints
    born: Ints
    since: Ints
    expires: Ints
    ends: Ints
    hides: Ints
    before_tick: Ints
    disarmed_until: Ints
    entered: Ints
    clip_since: Ints
    motion: Ints
    bounces: Ints
    place: Ints
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

    def __init__(self, rows: int) -> None:
        self.capacity = 0
        self.kernel: Any = ActorColumns()
        self._blocks: list[np.ndarray] = [np.zeros((0, len(names)), dtype=sort) for names, sort in BLOCKS]
        self.grow(rows)

    def grow(self, rows: int) -> None:
        """Room for so many."""
        for index, (names, sort) in enumerate(BLOCKS):
            block = _aligned(rows, len(names), sort)
            block[: self.capacity] = self._blocks[index]
            self._blocks[index] = block
            for place, name in enumerate(names):
                setattr(self, name, strided(block[:, place]))
        self.capacity = rows
        self.kernel.bind(self)


def _aligned(rows: int, columns: int, sort: type) -> np.ndarray:
    """Rows of zeros that begin with a line of the cache, or with a quarter of one."""
    size = np.dtype(sort).itemsize
    width = -(-columns * size // 16) * 16 if columns * size < LINE else -(-columns * size // LINE) * LINE
    raw = np.zeros(rows * width + LINE, dtype=np.uint8)
    start = -raw.ctypes.data % LINE
    return raw[start : start + rows * width].view(sort).reshape(rows, width // size)[:, :columns]


class PoseColumns:
    """A recording's poses as the kernel reads them. Columns that nobody told are one value long: `…_step` is 0."""

    def __init__(self, recording: Recording, shown: np.ndarray) -> None:
        """`shown` is the cell of each pose."""
        poses = recording.poses
        self.first = recording.first
        self.start: Ints = shared_ints(recording.starts)
        self.actor: Ints = shared_ints(poses.actor)
        self.x: Floats = shared_floats(poses.x)
        self.y: Floats = shared_floats(poses.y)
        self.shown: Ints = shared_ints(shown)
        self.facing_step, self.angle_step, self.scale_step = map(_step, (poses.facing, poses.angle, poses.scale))
        self.facing: Floats = shared_floats(_thin(poses.facing))
        self.angle: Floats = shared_floats(_thin(poses.angle))
        self.scale: Floats = shared_floats(_thin(poses.scale))
        self.clip_step, self.tick_step, self.cut_step = map(_step, (poses.clip, poses.tick, poses.cut))
        self.clip: Ints = shared_ints(_thin(poses.clip))
        self.tick: Ints = shared_ints(_thin(poses.tick))
        self.cut: Flags = shared_flags(_thin(poses.cut))
        self.hidden_step, self.lingering_step = map(_step, (poses.hidden, poses.lingering))
        self.hidden: Flags = shared_flags(_thin(poses.hidden))
        self.lingering: Flags = shared_flags(_thin(poses.lingering))


def _step(column: np.ndarray) -> int:
    """0 for a column that is a view of one value."""
    return 0 if column.strides == (0,) or not len(column) else 1


def _thin(column: np.ndarray) -> np.ndarray:
    return column if _step(column) else column[:1]
