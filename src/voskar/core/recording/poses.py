"""Poses as columns: a struct of arrays, one row a pose, in frame order."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, fields
from functools import cached_property
from typing import Annotated, Any, Literal, NamedTuple, get_type_hints

import numpy as np
from numpy.typing import NDArray

from voskar.core.arrays import distinct
from voskar.core.rules.shapes import Bools, Floats, Ints, cos_sin


def _taken(column: np.ndarray, which: slice | Ints) -> np.ndarray:
    """Rows of a column; a view of one value stays one."""
    # a column of one value stays a view for any choice of rows
    if isinstance(which, slice) or column.strides != (0,) or not len(column):
        return column[which]
    return np.broadcast_to(column[:1], len(which))


def _joined(column: np.ndarray, values: np.ndarray) -> np.ndarray:
    """Two columns as one; views of one and the same value stay one."""
    thin = column.strides == values.strides == (0,) and len(column) > 0 and len(values) > 0
    if thin and np.array_equal(column[:1], values[:1], equal_nan=column.dtype.kind == "f"):
        return np.broadcast_to(column[:1], len(column) + len(values))
    return np.concatenate([column, values])


Signs = NDArray[np.int8]
"""1, 0 or -1."""


def _narrow(numbers: Ints) -> Ints:
    """The same in half the memory, where they fit."""
    # twice as many rows fit into a cache, and no recording has more than 2^31
    fits = not len(numbers) or int(numbers.max()) < 1 << 31
    return numbers.astype(np.int32) if fits else numbers


FieldType = Literal["number", "sign", "count", "answer", "flag"]
DTYPES: dict[FieldType, Any] = {
    "number": np.float64, "sign": np.int64, "count": np.int64, "answer": np.int8, "flag": np.bool_,
}  # fmt: skip
"""The type of a field's column as it is read. An answer is true, false or not logged: 1, 0 or -1."""


class PoseField(NamedTuple):
    """One number or truth of a pose: the one place that says how it is read, written, kept and compared.

    `default` is the value where a line does not have the field, `absent` where it is null. A field that does not
    `linger` is absent in the poses that lingering adds. A `state` is what a stage script logs with `tells`. A column
    of a `late` field belongs to a recording's digest only if the game logs it.
    """

    name: str
    type: FieldType
    default: float
    absent: float
    lingers: bool
    state: bool
    late: bool

    @property
    def dtype(self) -> Any:
        """The type of its column."""
        return DTYPES[self.type]


def _logged(
    type: FieldType, default: float | None = None, *, lingers: bool = True, state: bool = False, late: bool = False
) -> tuple[Any, ...]:
    """The fields of a PoseField behind the name, which is that of the column."""
    absent = -1.0 if type in ("count", "answer") else math.nan
    return type, absent if default is None else default, absent, lingers, state, late


@dataclass(frozen=True, eq=False)
class Poses:
    """Columns of one length n, sorted by frame. Positions in units, angles in degrees.

    `clip` indexes `Recording.clips`, -1 for none; `tick`, `cell` -1 and `vx`, `vy`, `health`, `lives` NaN where the
    game logged none. `immune`, `stunned` and `frozen` are 1, 0, or -1 where it logged neither; `tags` is the place of
    its tags in `Recording.tag_sets`, `counted` the row of `Recording.counters` with its counters, -1 for none;
    `push_x`, `push_y` by how much it says a hit displaced the actor, NaN for not at all; `logged` is the row of
    `Recording.boxes` with its own boxes, -1 for none. `lingering` marks poses that the game did not log. A column that
    was not logged is a view of one value and costs no memory.
    """

    frame: Ints
    actor: Ints
    x: Annotated[Floats, _logged("number")]
    y: Annotated[Floats, _logged("number")]
    facing: Annotated[Signs, _logged("sign", 1.0)]
    angle: Annotated[Floats, _logged("number", 0.0)]
    scale: Annotated[Floats, _logged("number", 1.0)]
    z: Annotated[Floats, _logged("number", 0.0, late=True)]
    clip: Ints
    tick: Annotated[Ints, _logged("count")]
    cell: Annotated[Ints, _logged("count")]
    vx: Annotated[Floats, _logged("number")]
    vy: Annotated[Floats, _logged("number")]
    health: Annotated[Floats, _logged("number", lingers=False, state=True)]
    lives: Annotated[Floats, _logged("number", lingers=False, state=True)]
    immune: Annotated[Signs, _logged("answer", lingers=False, state=True, late=True)]
    stunned: Annotated[Signs, _logged("answer", lingers=False, state=True, late=True)]
    frozen: Annotated[Signs, _logged("answer", lingers=False, state=True, late=True)]
    tags: Ints
    counted: Ints
    push_x: Floats
    push_y: Floats
    logged: Ints
    cut: Annotated[Bools, _logged("flag", 0.0)]
    hidden: Annotated[Bools, _logged("flag", 0.0)]
    lingering: Bools

    def __len__(self) -> int:
        return len(self.frame)

    def and_also(self, poses: Poses) -> Poses:
        """These rows, then more."""
        names = [field.name for field in fields(self)]
        return Poses(**{name: _joined(getattr(self, name), getattr(poses, name)) for name in names})

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
        return _narrow(np.argsort(self.actor, kind="stable"))

    def pieces(self, size: int) -> Iterator[Ints]:
        """All rows by actor, then frame, in parts of about so many; no part splits an actor."""
        starts = np.array(self._starts)
        # no actor may be parted, since its velocity needs the pose before
        cuts = starts[distinct(np.searchsorted(starts, np.arange(0, len(self), size)))]
        yield from np.split(self.by_actor, cuts[(cuts > 0) & (cuts < len(self))])

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
        return self.frame[self.by_actor]  # as it is: a search for a number of another width copies the whole of it

    @cached_property
    def _starts(self) -> list[int]:
        counts: list[int] = np.bincount(self.actor).cumsum().tolist()
        return [0, *counts]

    @cached_property
    def _logged(self) -> Ints:
        """Places in `by_actor` of poses that the game logged."""
        return np.flatnonzero(~self.lingering[self.by_actor])

    @cached_property
    def _gaps(self) -> Ints:
        """Places in `_logged` of poses with an earlier pose of their actor, but not in the frame before."""
        # an index of gaps: otherwise each question would go through all poses of an actor
        rows = self.by_actor[self._logged]
        actor, frame = self.actor[rows], self.frame[rows]
        return np.flatnonzero((np.diff(actor) == 0) & (np.diff(frame) > 1)) + 1

    @cached_property
    def _breaks(self) -> Ints:
        """Places in `by_actor` at which an unbroken run of an actor's poses begins, and one behind the last."""
        starts = np.flatnonzero(self.previous[self.by_actor] < 0)
        return np.append(starts, len(self))

    def logged_from(self, actor: int, frame: int) -> int | None:
        """The row of an actor's first logged pose in a frame or later, None if there is none."""
        place, end = self._place(actor, frame)
        at = int(np.searchsorted(self._logged, place))
        return int(self.by_actor[self._logged[at]]) if at < len(self._logged) and self._logged[at] < end else None

    def gap_after(self, actor: int, frame: int) -> int | None:
        """The row of an actor's first logged pose behind a frame, and behind one that was logged no later than in it,
        with none in the frame before it; None if there is none."""
        place, end = self._place(actor, frame + 1)
        at = int(np.searchsorted(self._logged, place))
        if not at or self.actor[self.by_actor[self._logged[at - 1]]] != actor:
            return None
        gaps = self._gaps
        gap = int(np.searchsorted(gaps, at))
        return (
            int(self.by_actor[self._logged[gaps[gap]]]) if gap < len(gaps) and self._logged[gaps[gap]] < end else None
        )

    def unbroken(self, actor: int, frame: int) -> Ints:
        """The rows of an actor from a frame on, as long as it has a pose in each."""
        place, end = self._place(actor, frame)
        if place == end or self._frames[place] != frame:
            return self.by_actor[:0]
        return self.by_actor[place : self._breaks[np.searchsorted(self._breaks, place, side="right")]]

    def between(self, actor: int, first: int, last: int) -> Ints:
        """The rows of an actor in some frames."""
        low, high = np.searchsorted(self.frames_of(actor), [first, last + 1])
        return self.rows_of(actor)[low:high]

    def _place(self, actor: int, frame: int) -> tuple[int, int]:
        """The place in `by_actor` of an actor's first pose in a frame or later, and the one behind its last."""
        starts = self._starts
        if actor + 1 >= len(starts):
            return 0, 0
        return starts[actor] + int(np.searchsorted(self.frames_of(actor), frame)), starts[actor + 1]

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
        result = np.full(len(self), -1, dtype=order.dtype)
        now, before = order[1:], order[:-1]
        # frames must follow each other: a gap is no step
        linked = (self.actor[now] == self.actor[before]) & (self.frame[now] == self.frame[before] + 1)
        result[now[linked]] = before[linked]
        return result


FIELDS: dict[str, PoseField] = {
    name: PoseField(name, *hint.__metadata__[-1])
    for name, hint in get_type_hints(Poses, include_extras=True).items()
    if hint not in (Floats, Ints, Bools)
}
"""The numbers and truths that a pose logs, by name."""
STATES = tuple(name for name, field in FIELDS.items() if field.state)
"""The fields that are states of an actor, which a stage script can log."""
