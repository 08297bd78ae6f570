"""Poses as columns: a struct of arrays, one row a pose, in frame order."""

from __future__ import annotations

from dataclasses import dataclass, fields
from functools import cached_property

import numpy as np

from voskar.core.rules.shapes import Bools, Floats, Ints, cos_sin


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
    where the game told none. `immune` and `stunned` are 1, 0, or -1 where it told neither, `push_x`, `push_y` by how
    much it says a blow displaced the actor, NaN for not at all; `logged` is the row of `Recording.boxes` with its own
    boxes, -1 for none. `lingering` marks poses that the game did not log. A column that nobody told is a view of one
    value and costs no memory.
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
    immune: Ints
    stunned: Ints
    push_x: Floats
    push_y: Floats
    logged: Ints
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
        starts = self._starts
        return self.by_actor[starts[actor] : starts[actor + 1]] if actor + 1 < len(starts) else self.by_actor[:0]

    def frames_of(self, actor: int) -> Ints:
        """The frames of those rows."""
        starts = self._starts
        return self._frames[starts[actor] : starts[actor + 1]] if actor + 1 < len(starts) else self._frames[:0]

    @cached_property
    def _frames(self) -> Ints:
        return self.frame[self.by_actor]

    @cached_property
    def _starts(self) -> list[int]:
        counts: list[int] = np.bincount(self.actor).cumsum().tolist()
        return [0, *counts]

    @cached_property
    def following(self) -> Ints:
        """(n,) the row of the same actor in the next frame, -1 for none."""
        result = np.full(len(self), -1, dtype=np.int64)
        linked = np.flatnonzero(self.previous >= 0)
        result[self.previous[linked]] = linked
        return result

    @cached_property
    def previous(self) -> Ints:
        """(n,) the row of the same actor in the frame before, -1 for none."""
        order = self.by_actor
        result = np.full(len(self), -1, dtype=np.int64)
        now, before = order[1:], order[:-1]
        linked = (self.actor[now] == self.actor[before]) & (self.frame[now] == self.frame[before] + 1)
        result[now[linked]] = before[linked]
        return result
