"""A recording: its actors, its poses, and the rest of the log."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np
from msgspec import Struct

from voskar.core.recording.boxes import LoggedBoxes, LoggedCounters
from voskar.core.recording.claims import Claim, LogScope
from voskar.core.recording.display import DisplayLog
from voskar.core.recording.inputs import Inputs
from voskar.core.recording.poses import Poses
from voskar.core.rules.shapes import Bools, Ints

ROUNDED = 1.0
"""Units by which a logged place may be rounded."""


class Actor(Struct, frozen=True):
    """One thing in the world; its number is its place in `Recording.actors`. `owner` is an id, known or not.

    `driven` marks driven actors, `spawned` those of them that an emitter or a parent made. One with rules of its own
    has a kind of its own, and is logged as one of its `base`.
    """

    id: str
    kind: str
    owner: str | None = None
    driven: bool = False
    spawned: bool = False
    base: str = ""

    @property
    def logged_kind(self) -> str:
        """Its kind as it is logged."""
        return self.base or self.kind


class OwnerChange(NamedTuple):
    """An actor, by number, belongs to another one from a frame on."""

    frame: int
    actor: int
    owner: str


class Stranger(Struct, frozen=True):
    """An id that an input, a claim or the display names, and that no actor has: where it is named first (`field` of a
    frame, in a line or row), and which id may be meant."""

    id: str
    frame: int
    field: str
    line: int
    hint: str | None = None


@dataclass(frozen=True, eq=False)
class Recording:
    """One recording. `starts` (frames + 1,): the poses of frame `first + i` are rows starts[i] to starts[i + 1].

    `resets` are the frames before which the game began its "room" or its whole "run" again; `warnings` what was left
    out of it in reading.
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
    boxes: LoggedBoxes = field(default_factory=LoggedBoxes)
    counters: LoggedCounters = field(default_factory=LoggedCounters)
    tag_sets: tuple[frozenset[str], ...] = ()
    display: DisplayLog = field(default_factory=DisplayLog)
    scope: LogScope = field(default_factory=LogScope)
    lag: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    """By how many frames before and after an event each sort of evidence may be logged."""
    after_hits: bool = False
    """Whether the clips and tags of a frame show the result of its hits."""
    lost: tuple[tuple[int, int], ...] = ()
    """The first and the last of frames that the logger lost. A run begins in each first, and behind each last."""
    warnings: tuple[str, ...] = ()
    strangers: tuple[Stranger, ...] = ()
    owner_changes: tuple[OwnerChange, ...] = ()
    """By frame: of shots that were reflected, as the game logs it."""
    shown: frozenset[str] = frozenset()
    """Kinds that the game shows in the runs that this is a part of, if only before or after it."""

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
        frames = self.poses.frames_of(actor)
        at = int(np.searchsorted(frames, frame))
        return (int(self.poses.rows_of(actor)[at]), int(frames[at])) if at < len(frames) else None

    def appearances(self, actors: Sequence[int]) -> tuple[Ints, Bools]:
        """Where some actors appear, as a game that uses its shots again and again shows them: the rows (n,) of poses
        without one in the frame before, or with a hidden one, or that are cut; by frame. And (n,) whether it needs no
        cause: it is there in the first frame, at a mark, still hidden, or was there before."""
        poses = self.poses
        # an actor of a pool is hidden and shown, removed and logged again, or cut to its next place
        new, before = poses.previous < 0, poses.hidden[poses.previous]
        begins = new | (~poses.hidden & (poses.cut | before))
        rows = np.flatnonzero(begins & ~poses.lingering & np.isin(poses.actor, np.array(actors, dtype=np.int64)))
        item = ~new[rows] | poses.hidden[rows] | np.isin(poses.frame[rows], [self.first, *self.resets])
        return rows, item

    def stretches(self, actors: Sequence[int]) -> dict[int, list[tuple[Ints, bool]]]:
        """By actor: the rows that are not hidden from each appearance to the next, and whether that needs no cause."""
        starts, item = self.appearances(actors)
        known, poses = dict(zip(starts.tolist(), item.tolist(), strict=True)), self.poses
        times = np.bincount(poses.actor[starts], minlength=len(self.actors)).tolist()
        found = {}
        for actor in actors:
            rows = poses.rows_of(actor)
            rows = rows[~(poses.lingering[rows] | poses.hidden[rows])]
            # most actors appear once, and need no search
            parts = [rows] if times[actor] < 2 else np.split(rows, np.flatnonzero(np.isin(rows, starts))[1:])
            found[actor] = [(part, known[int(part[0])]) for part in parts if len(part)]
        return found

    def returns(self, actor: int, frame: int) -> int:
        """The first frame after this one with a logged pose of an actor where it had none in the frame before."""
        row = self.poses.gap_after(actor, frame)
        return 1 << 60 if row is None else int(self.poses.frame[row])

    def appears_after(self, actor: int, frame: int) -> int | None:
        """The first frame after one in which an actor appears, None if it does not."""
        rows, _ = self.appearances([actor])
        frames = self.poses.frame[rows[self.poses.frame[rows] > frame]]
        return int(frames[0]) if len(frames) else None

    def passed_on(self, actor: int, frame: int, owner: str, step: float) -> int | None:
        """The actor as which a shot continues that a game ends as it is reflected: of its kind, with its new owner, and
        in the next frame no further than a step from where it was."""
        poses, kind = self.poses, self.actors[actor].kind
        last, following = self.row(actor, frame), self.row(actor, frame + 1)
        # an actor that is still logged was not passed on; a lingering pose is not logged
        if last is None or frame == self.last or (following is not None and not poses.lingering[following]):
            return None
        block, near = self.block(frame + 1, frame + 2), []
        for row in range(block.start, block.stop):
            other, before = int(poses.actor[row]), int(poses.previous[row])
            if (self.actors[other].kind, self.actors[other].owner) == (kind, owner) and (
                before < 0 or poses.hidden[before] or poses.frame[before] < frame
            ):
                far = math.hypot(poses.x[row] - poses.x[last], poses.y[row] - poses.y[last])
                # places are rounded by the logger, on both ends
                near += [(float(far), other)] if far <= step + ROUNDED else []
        return min(near)[1] if near else None

    def logs(self, event: str, *names: str | None) -> bool:
        """Whether it logs an event of some actors at all."""
        if not self.scope.kinds:
            return event not in self.scope.events
        # it is enough that one of them is of a kind that is not logged
        kinds = {self.actors[self.numbers[name]].logged_kind for name in names if name and name in self.numbers}
        return event not in self.scope.events and not kinds & self.scope.kinds

    def asks_for(self, event: str) -> bool:
        """Whether an event that no actor claimed is missed: it is claimed at all, or said to be whenever it happens."""
        # a game that never claims an event says nothing by its silence
        return event in self.scope.always or event in self.claimed

    @cached_property
    def claimed(self) -> frozenset[str]:
        """The types of events that it claims."""
        return frozenset(claim.event for claim in self.claims)

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
        # two shots of one unseen gunner must not hit each other
        return np.array([self._owner(actor.owner, unseen) for actor in self.actors], dtype=np.int64)

    def _owner(self, owner: str | None, unseen: dict[str, int]) -> int:
        if owner is None:
            return -1
        return self.numbers.get(owner, -2 - unseen.setdefault(owner, len(unseen)))


def sides(
    actors: Sequence[Actor], kind_sides: Mapping[str, str | None], of_children: Mapping[str, str]
) -> list[str | None]:
    """The side of each actor: its kind's, else its owner's, else that of the parents of such children, else none. A
    ring of owners has no side."""
    by_id = {actor.id: actor for actor in actors}
    result = []
    for actor in actors:
        current: Actor | None = actor
        seen: set[str] = set()
        side = None
        while current is not None and current.id not in seen:
            seen.add(current.id)
            side = kind_sides.get(current.kind) or (None if current.owner else of_children.get(current.kind))
            if side is not None:
                break
            # a shot of a shot belongs to the side of the first owner
            current = by_id.get(current.owner) if current.owner else None
        result.append(side)
    return result
