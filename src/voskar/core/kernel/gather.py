"""Poses that were decoded one by one, as columns. The only module of the kernel that looks into Python objects.

Most of a recording's reading is spent here and in the JSON library, so it is compiled; line after line, because what
was decoded is still in the processor's cache then, and is let go before the next.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from msgspec import UNSET

if TYPE_CHECKING:
    from voskar.core.kernel.storage import Floats, Ints


class GatheredPoses:
    """Where poses go: `frame`, `counts` and `told` (frames,), `key` and `clip` (poses,), `numbers` (poses * fields,).

    `keys` and `clips` give what is met a number, in the order in which it is first met; `clip` is -1 for none. Numbers
    stand pose by pose. A field that a line does not have (UNSET) is the field's `default`, one that is null its
    `absent`. `told` counts the keys of a frame's line. `rows_apart` are poses with a field of `apart`, which are no
    numbers; `others` are frames that tell more than poses; each with its place.
    """

    def __init__(
        self,
        frame: Ints,
        counts: Ints,
        told: Ints,
        key: Ints,
        clip: Ints,
        numbers: Floats,
        names: list[str],
        default: Floats,
        absent: Floats,
        apart: list[str],
    ) -> None:
        self.frame, self.counts, self.told = frame, counts, told
        self.key, self.clip, self.numbers = key, clip, numbers
        self.names, self.default, self.absent, self.apart = names, default, absent, apart
        self.keys: dict[tuple[str, str, str | None], int] = {}
        self.clips: dict[str, int] = {}
        self.rows = 0
        self.frames = 0
        self.others: list[tuple[int, Any]] = []
        self.rows_apart: list[tuple[int, Any]] = []

    def take(self, frames: Iterable[Any]) -> None:
        """Takes frames, each with `frame` and `poses`.

        There must be room for all of them. What iterating raises passes through; the frames before it are then taken.
        """
        names, more = self.names, self.apart
        fields, others = len(names), len(more)
        before: list[Any] = []  # keys of the poses of the frame before: mostly those of this one, in the same order
        for line in frames:
            poses = line.poses
            at = 0
            told = 1
            for pose in poses:
                name, kind, owner = pose.id, pose.kind, pose.owner
                told += 2
                if owner is UNSET:
                    owner = None
                else:
                    told += 1
                found = before[at] if at < len(before) else None
                if found is None or found[0] != name or found[1] != kind or found[2] != owner:
                    number = self.keys.setdefault((name, kind, owner), len(self.keys))
                    found = (name, kind, owner, number)
                    if at < len(before):
                        before[at] = found
                    else:
                        before.append(found)
                row = self.rows
                self.key[row] = found[3]
                clip = pose.clip
                if clip is UNSET:
                    self.clip[row] = -1
                else:
                    told += 1
                    self.clip[row] = -1 if clip is None else self.clips.setdefault(clip, len(self.clips))
                for field in range(fields):
                    value = getattr(pose, names[field])
                    if value is UNSET:
                        self.numbers[row * fields + field] = self.default[field]
                    else:
                        told += 1
                        self.numbers[row * fields + field] = self.absent[field] if value is None else value
                is_apart = False
                for field in range(others):
                    value = getattr(pose, more[field])
                    if value is not UNSET:
                        told += 1 + (len(value) if isinstance(value, dict) else 0)
                        is_apart = is_apart or value is not None
                if is_apart:
                    self.rows_apart.append((row, pose))
                at += 1
                self.rows += 1
            self.frame[self.frames] = line.frame
            self.counts[self.frames] = at
            self.told[self.frames] = told + (1 if at else 0)
            if line.inputs or line.claims or line.display or line.reset is not None:
                self.told[self.frames] += keys_beside(line)
                self.others.append((self.frames, line))
            self.frames += 1


def keys_beside(line: Any) -> int:
    """How many keys a frame's line has beside its number and its poses."""
    told = 0 if line.reset is None else 1
    for entries in (line.inputs, line.claims, line.display):
        if entries:
            told += 1
            for entry in entries:
                for name in entry.__struct_fields__:
                    if getattr(entry, name) is not UNSET:
                        told += 1
    return told


def keys_told(line: Any) -> int:
    """How many keys a frame's line has in all."""
    told = keys_beside(line) + (2 if line.poses else 1)
    for pose in line.poses:
        for name in pose.__struct_fields__:
            value = getattr(pose, name)
            if value is not UNSET:
                told += 1 + (len(value) if isinstance(value, dict) else 0)
    return told
