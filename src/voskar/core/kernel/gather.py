"""Poses that were decoded one by one, as columns. The only module of the kernel that looks into Python objects.

Most of a recording's reading time goes here and into the JSON library, so it is compiled; line after line, because what
was decoded is still in the processor's cache then, and is let go before the next.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import TYPE_CHECKING, Any

import cython
import numpy as np
from msgspec import UNSET, Raw

from voskar.core.kernel.storage import floats, ints, shared_floats, shared_ints

if TYPE_CHECKING:
    from voskar.core.kernel.storage import Floats, Ints

if not cython.compiled:  # compiled, it is the field's place in a struct's memory: several times as fast as its name

    def slot_place(type: Any, name: str) -> int:
        """Where a struct of this type has a field."""
        place: int = type.__struct_fields__.index(name)
        return place

    def slot_at(told: Any, place: int) -> Any:
        """What a struct has at a place."""
        return getattr(told, told.__struct_fields__[place])


NOTHING: tuple[Any, ...] = ()
"""What a frame has of poses, inputs, claims or display where its line has no such key; an empty list is told."""


class GatheredPoses:
    """Takes up to so many `frames`, structs of type `line`, with up to so many `poses`, structs of type `pose`.

    `numbers` are the fields that tell numbers or truths: each with what stands for one that a line does not have
    (UNSET), and for one that is null; those that `pose` has are `fields`, laid one behind the other in `numbers`, so
    many (`room`) values each. `apart` are fields that tell neither number nor text; those of both types
    that begin with _ are the game's own, and only counted. `frame` and `counts` (frames,) and
    `key` and `clip` (poses,) are as in a block; `keys` and `clips` give what is met a number, in the order in which it
    is first met; `clip` is -1 for none. `told` counts the keys of all lines. `rows_apart` are poses that tell something
    apart; `others` are frames that tell more than poses; each with its place.
    """

    def __init__(
        self,
        frames: int,
        poses: int,
        line: type,
        pose: type,
        numbers: Mapping[str, tuple[float, float]],
        apart: Collection[str],
    ) -> None:
        has: tuple[str, ...] = pose.__struct_fields__  # type: ignore[attr-defined]
        self.line, self.pose = line, pose
        self.room = max(poses, 1)
        self.fields = [name for name in has if name in numbers]
        self.frame: Ints = ints(frames)
        self.counts: Ints = ints(frames)
        self.key: Ints = ints(self.room)
        self.clip: Ints = ints(self.room)
        self.numbers: Floats = floats(len(self.fields) * self.room)
        self.frame_slot, self.poses_slot = slot_place(line, "frame"), slot_place(line, "poses")
        self.more_slots = [slot_place(line, name) for name in beside(line)]
        self.id_slot, self.kind_slot, self.owner_slot, self.clip_slot = (
            slot_place(pose, name) for name in ("id", "kind", "owner", "clip")
        )
        self.number_slots: Ints = shared_ints(np.array([slot_place(pose, name) for name in self.fields], np.int64))
        self.default: Floats = shared_floats(np.array([numbers[name][0] for name in self.fields], np.float64))
        self.absent: Floats = shared_floats(np.array([numbers[name][1] for name in self.fields], np.float64))
        self.apart_slots = [slot_place(pose, name) for name in apart if name in has]
        own = [name for name in has if name.startswith("_")]
        self.own_slots = [slot_place(pose, name) for name in own]
        self.line_own_slots = [slot_place(line, name) for name in own]
        self.keys: dict[tuple[str, str, str | None], int] = {}
        self.clips: dict[str, int] = {}
        self.rows = 0
        self.frames = 0
        self.told = 0
        self.others: list[tuple[int, Any]] = []
        self.rows_apart: list[tuple[int, Any]] = []

    def take(self, frames: Iterable[Any]) -> None:
        """Takes frames. Raises TypeError for another type of struct, IndexError for more than there is room for.

        What iterating raises passes through; the frames before it are then taken.
        """
        room = self.room
        fields = len(self.fields)
        row = self.rows
        known = 0
        before: list[Any] = []  # keys of the poses of the frame before: mostly those of this one, in the same order
        for line in frames:
            if type(line) is not self.line:
                raise TypeError("expected a frame of another type")
            if self.frames >= len(self.frame):
                raise IndexError("no room for another frame")
            poses = slot_at(line, self.poses_slot)
            at = 0
            told = 1 if poses is NOTHING else 2
            for pose in poses:
                if type(pose) is not self.pose:
                    raise TypeError("expected a pose of another type")
                if row >= room:
                    raise IndexError("no room for another pose")
                name = slot_at(pose, self.id_slot)
                kind = slot_at(pose, self.kind_slot)
                owner = slot_at(pose, self.owner_slot)
                told += 2
                if owner is UNSET:
                    owner = None
                else:
                    told += 1
                if at == known:
                    before.append(("", "", None, -1))
                    known += 1
                found = before[at]
                if found[0] != name or found[1] != kind or (found[2] is not owner and found[2] != owner):
                    found = (name, kind, owner, self.keys.setdefault((name, kind, owner), len(self.keys)))
                    before[at] = found
                self.key[row] = found[3]
                clip = slot_at(pose, self.clip_slot)
                if clip is UNSET:
                    self.clip[row] = -1
                else:
                    told += 1
                    self.clip[row] = -1 if clip is None else self.clips.setdefault(clip, len(self.clips))
                for field in range(fields):
                    value = slot_at(pose, self.number_slots[field])
                    if value is UNSET:
                        self.numbers[field * room + row] = self.default[field]
                    else:
                        told += 1
                        self.numbers[field * room + row] = self.absent[field] if value is None else value
                is_apart = False
                for place in self.apart_slots:
                    value = slot_at(pose, place)
                    if value is not UNSET:
                        told += 1 + keys_within(value)
                        is_apart = is_apart or value is not None
                if is_apart:
                    self.rows_apart.append((row, pose))
                for place in self.own_slots:
                    value = slot_at(pose, place)
                    if value is not UNSET:
                        told += 1 + keys_within(value)
                at += 1
                row += 1
            self.rows = row
            self.frame[self.frames] = slot_at(line, self.frame_slot)
            self.counts[self.frames] = at
            has_more = False
            says_more = False
            for place in self.more_slots:
                value = slot_at(line, place)
                if value is not UNSET and value is not NOTHING:
                    has_more = True
                    says_more = says_more or bool(value)
            if has_more:
                told += keys_beside(line)
                if says_more:
                    self.others.append((self.frames, line))
            for place in self.line_own_slots:
                value = slot_at(line, place)
                if value is not UNSET:
                    told += 1 + keys_within(value)
            self.told += told
            self.frames += 1


def beside(line: Any) -> list[str]:
    """The fields of a frame's line beside its number, its poses and the game's own keys."""
    return [name for name in line.__struct_fields__ if name not in ("frame", "poses") and not name.startswith("_")]


def keys_within(value: Any) -> int:
    """How many keys stand within a field's value: names of boxes, or whatever a game's own value has."""
    if isinstance(value, Raw):
        return bytes(value).count(b'":')
    return len(value) if isinstance(value, dict) else 0


def keys_beside(line: Any) -> int:
    """How many keys a frame's line has beside those of its poses, its number and the game's own."""
    told = 0
    for field in beside(line):
        entries = getattr(line, field)
        if entries is UNSET or entries is NOTHING:
            continue
        told += 1
        for entry in entries if isinstance(entries, list) else ():
            for name in getattr(entry, "__struct_fields__", ()):
                value = getattr(entry, name)
                if value is not UNSET:
                    told += 1 + keys_within(value)
    return told


def keys_told(line: Any) -> int:
    """How many keys a frame's line has in all."""
    told = keys_beside(line) + (1 if line.poses is NOTHING else 2)
    for pose in line.poses:
        for name in pose.__struct_fields__:
            value = getattr(pose, name)
            if value is not UNSET:
                told += 1 + keys_within(value)
    return told
