"""Poses that were decoded one by one, as columns. The only module of the kernel that looks into Python objects.

Most of a recording's reading is spent here and in the JSON library, so it is compiled; line after line, because what
was decoded is still in the processor's cache then, and is let go before the next.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from msgspec import UNSET
from msgspec.structs import astuple

if TYPE_CHECKING:
    from voskar.core.kernel.storage import Floats, Ints


class GatheredPoses:
    """Where poses go: `frame` and `counts` (frames,), `key` and `clip` (poses,), `numbers` (fields * poses,).

    `fields` are those of a pose as it is decoded, id and kind first; of them, numbers stand at the places `number_at`,
    what is neither number nor text at `apart_at`. `keys` and `clips` give what is met a number, in the order in which
    it is first met; `clip` is -1 for none. Numbers are laid field by field. One that a line does not have (UNSET) is
    the field's `default`, one that is null its `absent`. `told` counts the keys of all lines. `rows_apart` are poses
    that tell something apart; `others` are frames that tell more than poses; each with its place.
    """

    def __init__(
        self,
        frame: Ints,
        counts: Ints,
        key: Ints,
        clip: Ints,
        numbers: Floats,
        fields: tuple[str, ...],
        number_at: Ints,
        default: Floats,
        absent: Floats,
        apart_at: list[int],
    ) -> None:
        self.frame, self.counts = frame, counts
        self.key, self.clip, self.numbers = key, clip, numbers
        self.number_at, self.default, self.absent = number_at, default, absent
        self.owner_at, self.clip_at = fields.index("owner"), fields.index("clip")
        self.apart_at = apart_at
        self.keys: dict[tuple[str, str, str | None], int] = {}
        self.clips: dict[str, int] = {}
        self.rows = 0
        self.frames = 0
        self.told = 0
        self.others: list[tuple[int, Any]] = []
        self.rows_apart: list[tuple[int, Any]] = []

    def take(self, frames: Iterable[Any]) -> None:
        """Takes frames: structs of number, poses, inputs, claims, display and reset.

        There must be room for all of them. What iterating raises passes through; the frames before it are then taken.
        """
        room = len(self.key)
        fields = len(self.number_at)
        row = self.rows
        known = 0
        before: list[Any] = []  # keys of the poses of the frame before: mostly those of this one, in the same order
        for line in frames:
            number, poses, inputs, claims, display, reset = astuple(line)
            at = 0
            told = 2 if poses else 1
            for pose in poses:
                values = astuple(pose)
                name, kind, owner = values[0], values[1], values[self.owner_at]
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
                clip = values[self.clip_at]
                if clip is UNSET:
                    self.clip[row] = -1
                else:
                    told += 1
                    self.clip[row] = -1 if clip is None else self.clips.setdefault(clip, len(self.clips))
                for field in range(fields):
                    value = values[self.number_at[field]]
                    if value is UNSET:
                        self.numbers[field * room + row] = self.default[field]
                    else:
                        told += 1
                        self.numbers[field * room + row] = self.absent[field] if value is None else value
                is_apart = False
                for place in self.apart_at:
                    value = values[place]
                    if value is not UNSET:
                        told += 1 + (len(value) if isinstance(value, dict) else 0)
                        is_apart = is_apart or value is not None
                if is_apart:
                    self.rows_apart.append((row, pose))
                at += 1
                row += 1
            self.rows = row
            self.frame[self.frames] = number
            self.counts[self.frames] = at
            if inputs or claims or display or reset is not None:
                told += keys_beside(line)
                self.others.append((self.frames, line))
            self.told += told
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
