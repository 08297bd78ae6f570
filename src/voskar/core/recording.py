"""What a game logged, as columns: a struct of arrays, one row a pose, in frame order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from fractions import Fraction
from functools import cached_property
from typing import Literal

import numpy as np

from voskar.core.inputs import Inputs
from voskar.core.shapes import Bools, Floats, Ints, cos_sin


@dataclass(frozen=True)
class Actor:
    """One thing in the world; its number is its place in `Recording.actors`. `owner` is an id, known or not.

    `driven` marks those that the rules set in motion, `spawned` those of them that an emitter or a parent made.
    """

    id: str
    kind: str
    owner: str | None = None
    driven: bool = False
    spawned: bool = False


@dataclass(frozen=True)
class Claim:
    """What the game itself believed. `line` is where it stands in the recording (a row, in tables)."""

    frame: int
    event: str
    line: int
    striker: str | None = None
    target: str | None = None
    id: str | None = None
    attack: str | None = None
    damage: float | None = None
    health: float | None = None
    x: float | None = None
    y: float | None = None


def _taken(column: np.ndarray, which: slice | Ints) -> np.ndarray:
    """Rows of a column; a view of one value stays one."""
    if isinstance(which, slice) or column.strides != (0,) or not len(column):
        return column[which]
    return np.broadcast_to(column[:1], len(which))


def _joined(column: np.ndarray, more: np.ndarray) -> np.ndarray:
    """Two columns as one; views of one and the same value stay one."""
    thin = column.strides == more.strides == (0,) and len(column) > 0 and len(more) > 0
    if thin and np.array_equal(column[:1], more[:1], equal_nan=column.dtype.kind == "f"):
        return np.broadcast_to(column[:1], len(column) + len(more))
    return np.concatenate([column, more])


@dataclass(frozen=True, eq=False)
class Poses:
    """Columns of one length n, sorted by frame. Positions in units, angles in degrees.

    `clip` indexes `Recording.clips`, -1 for none; `tick`, `cell` -1 and `vx`, `vy`, `health`, `lives` NaN
    where the game told none. `lingering` marks poses that the game did not log. A column that nobody told is
    a view of one value and costs no memory.
    """

    frame: Ints
    actor: Ints
    x: Floats
    y: Floats
    facing: Floats
    angle: Floats
    scale: Floats
    clip: Ints
    tick: Ints
    cell: Ints
    vx: Floats
    vy: Floats
    health: Floats
    lives: Floats
    cut: Bools
    hidden: Bools
    lingering: Bools

    def __len__(self) -> int:
        return len(self.frame)

    def and_also(self, more: Poses) -> Poses:
        """These rows, then more."""
        names = [field.name for field in fields(self)]
        return Poses(**{name: _joined(getattr(self, name), getattr(more, name)) for name in names})

    def rows(self, which: slice | Ints) -> Poses:
        """The same columns for some rows only."""
        return Poses(**{field.name: _taken(getattr(self, field.name), which) for field in fields(self)})

    @cached_property
    def matrix(self) -> tuple[Floats, Floats, Floats, Floats]:
        """R(angle) · diag(facing · scale, scale), as its entries m00, m01, m10, m11, each (n,)."""
        cos, sin = cos_sin(self.angle)
        wide = self.facing * self.scale
        return cos * wide, -sin * self.scale, sin * wide, cos * self.scale

    @cached_property
    def by_actor(self) -> Ints:
        """Rows by actor, then frame: rows come sorted by frame, and a stable sort keeps that."""
        return np.argsort(self.actor, kind="stable")

    def rows_of(self, actor: int) -> Ints:
        """The rows of one actor, by frame."""
        low, high = np.searchsorted(self._actors_in_order, [actor, actor + 1])
        return self.by_actor[low:high]

    @cached_property
    def _actors_in_order(self) -> Ints:
        return self.actor[self.by_actor]

    @cached_property
    def previous(self) -> Ints:
        """(n,) the row of the same actor in the frame before, -1 for none."""
        order = self.by_actor
        result = np.full(len(self), -1, dtype=np.int64)
        now, before = order[1:], order[:-1]
        linked = (self.actor[now] == self.actor[before]) & (self.frame[now] == self.frame[before] + 1)
        result[now[linked]] = before[linked]
        return result

    @cached_property
    def play_run(self) -> Ints:
        """(n,) a number for each unbroken run of frames in which an actor is present and not hidden."""
        order = self.by_actor
        before = self.previous[order]
        starts = (before < 0) | self.hidden[before] | self.hidden[order]
        result = np.empty(len(self), dtype=np.int64)
        result[order] = np.cumsum(starts)
        return result


@dataclass(frozen=True, eq=False)
class Recording:
    """One recording. `starts` (frames + 1,): the poses of frame `first + i` are rows starts[i] to starts[i + 1].

    `resets` are the frames before which the game began its "room" or its whole "run" again.
    """

    rate: Fraction
    first: int
    starts: Ints
    actors: tuple[Actor, ...]
    clips: tuple[str, ...]
    poses: Poses
    claims: tuple[Claim, ...] = ()
    inputs: Inputs = field(default_factory=Inputs)
    resets: Mapping[int, str] = field(default_factory=dict)
    up: Literal["-y", "+y"] = "-y"
    reactions: Literal["baked", "raw"] = "baked"
    seed: int = 0
    title: str = ""
    digest: str = ""

    @property
    def frames(self) -> int:
        """How many frames it holds."""
        return len(self.starts) - 1

    @property
    def last(self) -> int:
        """Its last frame."""
        return self.first + self.frames - 1

    def block(self, start: int, stop: int) -> slice:
        """The pose rows of frames start … stop-1."""
        return slice(int(self.starts[start - self.first]), int(self.starts[stop - self.first]))

    def start(self, actor: int) -> tuple[float, float]:
        """Where an actor's first pose is."""
        row = self.poses.rows_of(actor)[0]
        return float(self.poses.x[row]), float(self.poses.y[row])

    def row(self, actor: int | str, frame: int) -> int | None:
        """The row of an actor's pose in a frame, by its number or id; None if it has none there."""
        number = self.numbers.get(actor) if isinstance(actor, str) else actor
        found = None if number is None else self.pose_from(number, frame)
        return found[0] if found is not None and found[1] == frame else None

    def pose_from(self, actor: int, frame: int) -> tuple[int, int] | None:
        """The row and the frame of an actor's first pose in a frame or later, None if there is none."""
        rows = self.poses.rows_of(actor)
        at = int(np.searchsorted(self.poses.frame[rows], frame))
        return (int(rows[at]), int(self.poses.frame[rows[at]])) if at < len(rows) else None

    def returns(self, actor: int, frame: int) -> int:
        """The first frame after this one with a logged pose of an actor where it had none in the frame before."""
        rows = self.poses.rows_of(actor)
        frames = self.poses.frame[rows[~self.poses.lingering[rows]]]
        at = int(np.searchsorted(frames, frame, side="right"))
        later = frames[at:]
        gaps = np.flatnonzero(np.diff(frames[at - 1 :]) > 1)
        return int(later[gaps[0]]) if len(gaps) else 1 << 60

    @cached_property
    def numbers(self) -> Mapping[str, int]:
        """Actor number by id."""
        return {actor.id: number for number, actor in enumerate(self.actors)}

    @cached_property
    def owners(self) -> Ints:
        """(actors,) number of each actor's owner, -1 for none, -2 - k for one that never appears itself.

        Unseen owners get numbers of their own, so that two shots of one unseen gunner still share an owner.
        """
        unseen: dict[str, int] = {}
        return np.array([self._owner(actor.owner, unseen) for actor in self.actors], dtype=np.int64)

    def _owner(self, owner: str | None, unseen: dict[str, int]) -> int:
        if owner is None:
            return -1
        return self.numbers.get(owner, -2 - unseen.setdefault(owner, len(unseen)))


def sides(actors: Sequence[Actor], kind_sides: Mapping[str, str | None]) -> list[str | None]:
    """The side of each actor: its kind's, else its owner's, else none. A ring of owners has no side."""
    by_id = {actor.id: actor for actor in actors}
    result = []
    for actor in actors:
        current: Actor | None = actor
        seen: set[str] = set()
        side = None
        while current is not None and current.id not in seen:
            seen.add(current.id)
            side = kind_sides.get(current.kind)
            if side is not None:
                break
            current = by_id.get(current.owner) if current.owner else None
        result.append(side)
    return result
