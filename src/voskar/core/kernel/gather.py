"""Poses that were decoded one by one, as columns. The only module of the kernel that looks into Python objects.

Most of a recording's reading is spent here and in the JSON library, so it is compiled; line after line, because what
was decoded is still in the processor's cache then, and is let go before the next.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from voskar.core.kernel.storage import Floats, Ints


class PoseColumns:
    """Where poses go: `frame` and `counts` (frames,), `key` and `clip` (poses,), `numbers` (poses * fields,).

    `keys` and `clips` give what is met a number, in the order in which it is first met; `clip` is -1 for none. Numbers
    stand pose by pose. A field that a pose does not tell (None) is the field's `absent`.
    """

    def __init__(
        self, frame: Ints, counts: Ints, key: Ints, clip: Ints, numbers: Floats, names: list[str], absent: Floats
    ) -> None:
        self.frame, self.counts, self.key, self.clip, self.numbers = frame, counts, key, clip, numbers
        self.names, self.absent = names, absent
        self.keys: dict[tuple[str, str, str | None], int] = {}
        self.clips: dict[str, int] = {}
        self.rows = 0
        self.frames = 0
        self.others: list[tuple[int, Any]] = []

    def take(self, frames: Iterable[Any]) -> None:
        """Takes frames, each with `frame` and `poses`; those that tell more are kept in `others`, with their place.

        There must be room for all of them. What iterating raises passes through; the frames before it are then taken.
        """
        names = self.names
        fields = len(names)
        before: list[Any] = []  # keys of the poses of the frame before: mostly those of this one, in the same order
        for line in frames:
            poses = line.poses
            at = 0
            for pose in poses:
                name, kind, owner = pose.id, pose.kind, pose.owner
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
                self.clip[row] = -1 if clip is None else self.clips.setdefault(clip, len(self.clips))
                for field in range(fields):
                    value = getattr(pose, names[field])
                    self.numbers[row * fields + field] = self.absent[field] if value is None else value
                at += 1
                self.rows += 1
            self.frame[self.frames] = line.frame
            self.counts[self.frames] = at
            if line.inputs or line.claims or line.reset is not None:
                self.others.append((self.frames, line))
            self.frames += 1
