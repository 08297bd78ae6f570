"""The look of poses: the cell of a clip in each, and whether a box is open in it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction

import numpy as np

from voskar.core.recording.poses import Poses
from voskar.core.rules import Box, Clip, Kind, Rules
from voskar.core.rules.shapes import Bools, Ints


def cells(poses: Poses, rows: Ints, kind: Kind, clips: Sequence[str], rate: Fraction) -> Ints:
    """(n,) the cell each of some poses of one kind shows, -1 without a clip.

    A logged cell counts as it is. A tick becomes floor(tick * clip rate / recording rate), exactly, modulo the
    clip's cells if it loops, else held at the last; a clip that the kind does not declare has cell = tick.
    """
    clip, tick, places = poses.clip[rows], poses.tick[rows], poses.cell[rows]
    result = np.where(clip >= 0, tick, -1)
    for name, declared in kind.clips.items():
        if name in clips:
            at = np.flatnonzero((clip == clips.index(name)) & (tick >= 0))
            result[at] = _cell_of_tick(tick[at], declared, rate)
    # a logged cell counts more than a tick
    return np.where((clip >= 0) & (places >= 0), places, result)


def cells_of_all(poses: Poses, kinds: Ints, rules: Rules, clips: Sequence[str]) -> Ints:
    """(n,) the same for poses of all kinds; `kinds` (n,) are their places among the rulebook's."""
    if not clips:
        return np.broadcast_to(np.full(1, -1, dtype=np.int64), len(poses))
    result = np.full(len(poses), -1, dtype=np.int64)
    for number, kind in enumerate(rules.kinds.values()):
        rows = np.flatnonzero(kinds == number)
        if len(rows):
            result[rows] = cells(poses, rows, kind, clips, rules.rate)
    return result


NARROW = 1 << 22
"""A tick that stays below 63 bits when it is multiplied by the rest of a step, below MOST_TICKS."""


def _cell_of_tick(tick: Ints, clip: Clip, rate: Fraction) -> Ints:
    step = clip.step(rate)
    whole, rest = divmod(step.numerator, step.denominator)
    # the whole part and the rest apart, so that the product fits 64 bits for all usual ticks
    cell: Ints = tick * whole + tick * rest // step.denominator
    for place in np.flatnonzero(tick > NARROW):  # the product is wider than 64 bits
        cell[place] = int(tick[place]) * step.numerator // step.denominator
    # a clip that does not loop holds its last cell
    return cell % clip.cells if clip.loop else np.minimum(cell, clip.cells - 1)


def cell_of_tick(tick: Ints, kind: Kind, clip: str, rate: Fraction) -> Ints:
    """(n,) the cells of a clip of a kind after so many frames."""
    declared = kind.clips.get(clip)
    return tick if declared is None else _cell_of_tick(tick, declared, rate)


def openness(box: Box, clip: Ints, cell: Ints, clips: Sequence[str]) -> Bools:
    """(n,) whether a box is open in cells of clips."""
    inside = np.ones(len(cell), dtype=np.bool_) if box.during is None else _inside(box.during, clip, cell, clips)
    return inside & ~_inside(box.except_during, clip, cell, clips)


def _inside(windows: Mapping[str, tuple[tuple[int, int], ...]], clip: Ints, cell: Ints, clips: Sequence[str]) -> Bools:
    result = np.zeros(len(cell), dtype=np.bool_)
    for name, ranges in windows.items():
        if name in clips:
            shown = clip == clips.index(name)
            for first, last in ranges:
                result |= shown & (cell >= first) & (cell <= last)
    return result
