"""Poses that were decoded one by one, as columns. The only module of the kernel that looks into Python objects.

Most of a recording's reading time goes here and into the JSON library, so it is compiled. It takes line after line:
the decoded values are still in the processor's cache then, and are freed before the next line.
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

    def slot_at(struct: Any, place: int) -> Any:
        """The value at a place of a struct."""
        return getattr(struct, struct.__struct_fields__[place])


NAN = float("nan")
MARKS = ("reset", "dropped", "problems")
"""Keys of a frame besides poses and entries."""
NOTHING: tuple[Any, ...] = ()
"""Stands for poses, inputs, claims or display where a line has no such key; an empty list is logged."""


FEW = 64
"""Entries that there is room for at first."""


class GatheredEntries:
    """Takes entries of one sort that frames hold next to their poses: structs of type `entry`, in the field `name` of a
    frame of type `line`.

    `codes` (rows, texts) are places in `names`, a dict for each field of `texts`, in the order in which texts are
    first met; -1 for none. `values` (rows, width) are the fields of `numbers`, each with what stands for one that an
    entry does not have, NaN for null; then the two of `point`, if there is one. `at` (rows,) are places of frames.
    """

    def __init__(
        self, line: type, name: str, entry: type, texts: Collection[str], numbers: Mapping[str, float], point: str
    ) -> None:
        has: tuple[str, ...] = entry.__struct_fields__  # type: ignore[attr-defined]
        self.entry = entry
        self.slot = slot_place(line, name)
        self.text_slots: Ints = shared_ints(np.array([slot_place(entry, name) for name in texts], np.int64))
        self.number_slots: Ints = shared_ints(np.array([slot_place(entry, name) for name in numbers], np.int64))
        self.default: Floats = shared_floats(np.array([*numbers.values()], np.float64))
        self.texts, self.numbers = len(texts), len(numbers)
        self.point_slot = slot_place(entry, point) if point else -1
        self.width = self.numbers + (2 if point else 0)
        # Keys of the game's own are counted, or each of them would look like a key that occurs twice.
        self.own_slots = [slot_place(entry, name) for name in has if name.startswith("_")]
        self.names: list[dict[str, int]] = [{} for _ in texts]
        self.rows, self.room = 0, FEW
        self.at: Ints = ints(FEW)
        self.codes: Ints = ints(FEW * self.texts)
        self.values: Floats = floats(FEW * self.width)

    def grow(self) -> None:
        """Makes room for twice as many."""
        self.room *= 2
        # `np.resize` repeats the values to fill the room; all of them are overwritten.
        self.at = shared_ints(np.resize(self.at, self.room))
        self.codes = shared_ints(np.resize(self.codes, self.room * self.texts))
        self.values = shared_floats(np.resize(self.values, self.room * self.width))

    def take(self, at: int, entries: Iterable[Any]) -> int:
        """Takes the entries of one frame; how many keys they log. Raises TypeError for another type of struct,
        IndexError for a point that has not two numbers."""
        key_count = 0
        for entry in entries:
            if type(entry) is not self.entry:
                raise TypeError("expected an entry of another type")
            if self.rows >= self.room:
                self.grow()
            row = self.rows
            self.at[row] = at
            for field in range(self.texts):
                value = slot_at(entry, self.text_slots[field])
                code = -1
                # UNSET is a missing key and None a null: both have no value, but only null is a key in the line.
                if value is not UNSET:
                    key_count += 1
                    if value is not None:
                        known = self.names[field]
                        code = known.setdefault(value, len(known))
                self.codes[row * self.texts + field] = code
            for field in range(self.numbers):
                value = slot_at(entry, self.number_slots[field])
                if value is UNSET:
                    self.values[row * self.width + field] = self.default[field]
                else:
                    key_count += 1
                    self.values[row * self.width + field] = NAN if value is None else value
            if self.point_slot >= 0:
                value = slot_at(entry, self.point_slot)
                if value is not UNSET:
                    key_count += 1
                is_logged = value is not UNSET and value is not None
                if is_logged and len(value) != 2:
                    raise IndexError("expected two numbers")
                self.values[row * self.width + self.numbers] = value[0] if is_logged else NAN
                self.values[row * self.width + self.numbers + 1] = value[1] if is_logged else NAN
            # A nested key counts too, as the counts are compared with the whole text of the line.
            for place in self.own_slots:
                value = slot_at(entry, place)
                if value is not UNSET:
                    key_count += 1 + keys_within(value)
            self.rows += 1
        return key_count


def are_numbers(value: object, count: int) -> bool:
    """Whether it is a list of so many numbers."""
    if not isinstance(value, list) or len(value) != count:
        return False
    # `True` counts as a number here; the JSON decoder has refused it before.
    return all(isinstance(number, (float, int)) for number in value)


class GatheredValues:
    """Takes what poses log by name, each `width` numbers: 4 for the corners of a box, 1 for a counter.

    `at` (rows,) are places of poses, `name` (rows,) places in `names`, in the order in which they are first met,
    `values` (rows, width) as they are logged. `poses` are those that state any, or none of them: a game that has no box
    just then tells an empty object. `odd` are the rows, with what they log, that are no corners; their values are 0.
    """

    def __init__(self, width: int) -> None:
        self.width = width
        self.names: dict[str, int] = {}
        self.poses: list[int] = []
        self.odd: list[tuple[int, object]] = []
        self.rows, self.room = 0, FEW
        self.at: Ints = ints(FEW)
        self.name: Ints = ints(FEW)
        self.values: Floats = floats(FEW * width)

    def grow(self) -> None:
        """Makes room for twice as many."""
        self.room *= 2
        self.at = shared_ints(np.resize(self.at, self.room))
        self.name = shared_ints(np.resize(self.name, self.room))
        self.values = shared_floats(np.resize(self.values, self.room * self.width))

    def take(self, at: int, values: dict[str, Any]) -> None:
        """Takes those of a pose; a name with _ in front is the game's own."""
        self.poses.append(at)
        for name, value in values.items():
            if name.startswith("_"):
                continue
            if self.rows >= self.room:
                self.grow()
            self.at[self.rows] = at
            self.name[self.rows] = self.names.setdefault(name, len(self.names))
            if self.width == 1:
                self.values[self.rows] = value
            elif not are_numbers(value, self.width):
                # The slow reader looks at the odd values, so they must not stop the block.
                self.odd.append((self.rows, value))
                for place in range(self.width):
                    self.values[self.rows * self.width + place] = 0.0
            else:
                for place in range(self.width):
                    self.values[self.rows * self.width + place] = value[place]
            self.rows += 1


class GatheredPoses:
    """Takes up to so many `frames`, structs of type `line`, with up to so many `poses`, structs of type `pose`.

    `numbers` are the fields that state numbers or truths: each with what stands for one that a line does not have
    (UNSET), and for one that is null; those that `pose` has are `fields`, laid one behind the other in `numbers`, so
    many (`room`) values each. Fields of both types that begin with _ are the game's own, and only counted. `frame` and
    `counts` (frames,) and `key`, `clip` and `tags` (poses,) are as in a block; `keys`, `clips` and `tag_sets` (tags
    with a space between) give what is met a number, in the order in which it is first met; `clip` and `tags` are -1 for
    none. `pushes` (poses, 2) are NaN where none is logged; `boxes` and `counters` take those of poses, `entries` take
    what frames have besides poses. `key_count` counts the keys of all lines; `others` are frames that state yet more,
    each with its place.
    """

    def __init__(
        self,
        frames: int,
        poses: int,
        line: type,
        pose: type,
        numbers: Mapping[str, tuple[float, float]],
        entries: Collection[GatheredEntries],
    ) -> None:
        has: tuple[str, ...] = pose.__struct_fields__  # type: ignore[attr-defined]
        self.line, self.pose = line, pose
        self.room = max(poses, 1)
        # Columns lie one behind the other, so that each becomes an array without a copy.
        self.fields = [name for name in has if name in numbers]
        self.frame: Ints = ints(frames)
        self.counts: Ints = ints(frames)
        self.key: Ints = ints(self.room)
        self.clip: Ints = ints(self.room)
        self.numbers: Floats = floats(len(self.fields) * self.room)
        self.frame_slot, self.poses_slot = slot_place(line, "frame"), slot_place(line, "poses")
        self.entries = list(entries)
        self.more_slots = [slot_place(line, name) for name in MARKS]
        self.id_slot, self.kind_slot, self.owner_slot, self.clip_slot = (
            slot_place(pose, name) for name in ("id", "kind", "owner", "clip")
        )
        self.number_slots: Ints = shared_ints(np.array([slot_place(pose, name) for name in self.fields], np.int64))
        self.default: Floats = shared_floats(np.array([numbers[name][0] for name in self.fields], np.float64))
        self.absent: Floats = shared_floats(np.array([numbers[name][1] for name in self.fields], np.float64))
        self.push_slot, self.boxes_slot, self.tags_slot, self.counters_slot = (
            slot_place(pose, name) if name in has else -1 for name in ("push", "boxes", "tags", "counters")
        )
        self.tags: Ints = ints(self.room if self.tags_slot >= 0 else 0)
        own = [name for name in has if name.startswith("_")]
        self.own_slots = [slot_place(pose, name) for name in own]
        self.line_own_slots = [slot_place(line, name) for name in own]
        self.keys: dict[tuple[str, str, str | None], int] = {}
        self.clips: dict[str, int] = {}
        self.tag_sets: dict[str, int] = {}
        self.rows = 0
        self.frames = 0
        self.key_count = 0
        self.others: list[tuple[int, Any]] = []
        self.boxes, self.counters = GatheredValues(4), GatheredValues(1)
        # A pose without a push must differ from a push of 0, so NaN.
        self.pushes: Floats = floats(2 * self.room if "push" in has else 0, NAN)

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
            # The decoder's struct was made for this file; another one would have its fields at other places.
            if type(line) is not self.line:
                raise TypeError("expected a frame of another type")
            if self.frames >= len(self.frame):
                raise IndexError("no room for another frame")
            poses = slot_at(line, self.poses_slot)
            at = 0
            # `NOTHING` is compared by identity: an empty list in the line is a key.
            key_count = 1 if poses is NOTHING else 2
            for pose in poses:
                if type(pose) is not self.pose:
                    raise TypeError("expected a pose of another type")
                if row >= room:
                    raise IndexError("no room for another pose")
                name = slot_at(pose, self.id_slot)
                kind = slot_at(pose, self.kind_slot)
                owner = slot_at(pose, self.owner_slot)
                key_count += 2
                if owner is UNSET:
                    owner = None
                else:
                    key_count += 1
                if at == known:
                    before.append(("", "", None, -1))
                    known += 1
                # Actors mostly keep their order from frame to frame, so a list saves most look-ups in the dictionary.
                found = before[at]
                if found[0] != name or found[1] != kind or (found[2] is not owner and found[2] != owner):
                    found = (name, kind, owner, self.keys.setdefault((name, kind, owner), len(self.keys)))
                    before[at] = found
                self.key[row] = found[3]
                clip = slot_at(pose, self.clip_slot)
                if clip is UNSET:
                    self.clip[row] = -1
                else:
                    key_count += 1
                    self.clip[row] = -1 if clip is None else self.clips.setdefault(clip, len(self.clips))
                for field in range(fields):
                    value = slot_at(pose, self.number_slots[field])
                    if value is UNSET:
                        self.numbers[field * room + row] = self.default[field]
                    else:
                        key_count += 1
                        self.numbers[field * room + row] = self.absent[field] if value is None else value
                if self.push_slot >= 0:
                    value = slot_at(pose, self.push_slot)
                    if value is not UNSET:
                        key_count += 1
                        if value is not None:
                            # The decoder accepts any list of numbers here; the slow reader names the mistake.
                            if len(value) != 2:
                                raise IndexError("expected two numbers")
                            self.pushes[2 * row] = value[0]
                            self.pushes[2 * row + 1] = value[1]
                # An empty object is a key with no box: it says that the game has none in this frame.
                if self.boxes_slot >= 0:
                    value = slot_at(pose, self.boxes_slot)
                    if value is not UNSET:
                        key_count += 1
                        if value is not None:
                            key_count += len(value)
                            self.boxes.take(row, value)
                if self.counters_slot >= 0:
                    value = slot_at(pose, self.counters_slot)
                    if value is not UNSET:
                        key_count += 1
                        if value is not None:
                            key_count += len(value)
                            self.counters.take(row, value)
                if self.tags_slot >= 0:
                    value = slot_at(pose, self.tags_slot)
                    self.tags[row] = -1
                    if value is not UNSET:
                        key_count += 1
                        if value is not None:
                            text = " ".join(value)
                            self.tags[row] = self.tag_sets.setdefault(text, len(self.tag_sets))
                for place in self.own_slots:
                    value = slot_at(pose, place)
                    if value is not UNSET:
                        key_count += 1 + keys_within(value)
                at += 1
                row += 1
            # Rows count only once their frame is complete, so a broken line leaves nothing behind.
            self.rows = row
            self.frame[self.frames] = slot_at(line, self.frame_slot)
            self.counts[self.frames] = at
            for entries in self.entries:
                value = slot_at(line, entries.slot)
                if value is not NOTHING:
                    key_count += 1 + entries.take(self.frames, value)
            says_more = False
            for place in self.more_slots:
                value = slot_at(line, place)
                if value is not UNSET:
                    key_count += 1
                    says_more = says_more or bool(value)
            # Few frames have marks, so these are kept as they are.
            if says_more:
                self.others.append((self.frames, line))
            for place in self.line_own_slots:
                value = slot_at(line, place)
                if value is not UNSET:
                    key_count += 1 + keys_within(value)
            self.key_count += key_count
            self.frames += 1


def beside(line: Any) -> list[str]:
    """The fields of a frame's line besides its number, its poses and the game's own keys."""
    return [name for name in line.__struct_fields__ if name not in ("frame", "poses") and not name.startswith("_")]


def keys_within(value: Any) -> int:
    """How many keys are within a field's value: names of boxes, or whatever a game's own value has."""
    if isinstance(value, Raw):
        # A raw value is not parsed: `":` ends every key, and a text with it makes the slow count run.
        return bytes(value).count(b'":')
    return len(value) if isinstance(value, dict) else 0


def keys_beside(line: Any) -> int:
    """How many keys a frame's line has besides those of its poses, its number and the game's own."""
    key_count = 0
    for field in beside(line):
        entries = getattr(line, field)
        if entries is UNSET or entries is NOTHING:
            continue
        key_count += 1
        for entry in entries if isinstance(entries, list) else ():
            for name in getattr(entry, "__struct_fields__", ()):
                value = getattr(entry, name)
                if value is not UNSET:
                    key_count += 1 + keys_within(value)
    return key_count


def logged_keys(line: Any) -> int:
    """How many keys a frame's line has in all."""
    key_count = keys_beside(line) + (1 if line.poses is NOTHING else 2)
    for pose in line.poses:
        for name in pose.__struct_fields__:
            value = getattr(pose, name)
            if value is not UNSET:
                key_count += 1 + keys_within(value)
    return key_count
