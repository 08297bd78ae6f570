"""Ways changed by blows: knockback and home as offsets on recorded poses, frame by frame."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from voskar.core.shapes import Floats, Ints

Vector = tuple[float, float]


@dataclass
class Shift:
    """The offset of one actor: `base`, and from frame `start` on one more step each frame; the last sum stays."""

    base: Vector = (0.0, 0.0)
    start: int = 0
    steps: list[Vector] = field(default_factory=list)

    def at(self, frames: Ints) -> Floats:
        """(k, 2) offsets in some frames, all no earlier than `start` - 1."""
        sums = np.concatenate([np.zeros((1, 2)), np.cumsum(np.array(self.steps).reshape(-1, 2), axis=0)])
        taken = np.clip(frames - self.start + 1, 0, len(self.steps))
        result: Floats = np.array(self.base) + sums[taken]
        return result

    def now(self, frame: int) -> Vector:
        """The offset in one frame."""
        x, y = self.at(np.array([frame]))[0].tolist()
        return x, y

    def left(self, frame: int) -> list[Vector]:
        """The steps still to come after a frame."""
        return self.steps[max(frame + 1 - self.start, 0) :]

    def push(self, frame: int, steps: list[Vector], add: bool) -> None:
        """From frame + 1 on: these steps, instead of what is left of earlier ones, or on top of it."""
        rest = self.left(frame) if add else []
        length = max(len(rest), len(steps))
        padded = [[*some, *[(0.0, 0.0)] * (length - len(some))] for some in (rest, steps)]
        self.base, self.start = self.now(frame), frame + 1
        self.steps = [(a[0] + b[0], a[1] + b[1]) for a, b in zip(*padded, strict=True)]

    def put(self, frame: int, offset: Vector) -> None:
        """From frame + 1 on this offset and no steps."""
        self.base, self.start, self.steps = offset, frame + 1, []

    def stop(self, frame: int) -> None:
        """No steps after this frame."""
        self.put(frame, self.now(frame))
