"""Swings: the unbroken uses of an attack that `rehit = "once"` counts by."""

from __future__ import annotations

import numpy as np

from voskar.core.placing import Cast, Wardrobe, cell_of_tick, cells, openness
from voskar.core.recording import Poses
from voskar.core.rules import Kind
from voskar.core.shapes import Ints


class Swings:
    """Numbers the swings of every actor in a table of poses.

    A new swing of a timed attack begins in a frame in which one of its boxes is open and none was in the
    frame before, or the clip is another one, or its cell or tick has gone back. An attack that is not timed
    has one swing for as long as its actor is in play without a break.
    """

    def __init__(self, poses: Poses, cast: Cast, wardrobe: Wardrobe) -> None:
        self._whole = poses.play_run
        self._timed: dict[int, Ints] = {}  # by hitbox number
        kind_of_pose = cast.kind[poses.actor] if len(poses) else np.zeros(0, dtype=np.int64)
        for number, name in enumerate(wardrobe.kinds):
            kind = wardrobe.rules.kinds[name]
            for attack in sorted({box.attack for box in kind.boxes if box.attack and kind.timed(box.attack)}):
                rows = np.flatnonzero(kind_of_pose == number)
                boxes = [one for one in wardrobe.by_kind[name] if one.box.attack == attack]
                cell = np.full(len(poses), -1, dtype=np.int64)
                cell[rows] = cells(poses, rows, kind, cast.clips, wardrobe.rules.rate)
                is_open = np.zeros(len(poses), dtype=np.bool_)
                for one in boxes:
                    is_open[rows] |= openness(one.box, poses.clip[rows], cell[rows], cast.clips)
                swing = _number(poses, is_open & ~poses.hidden, cell)
                self._timed |= {one.number: swing for one in boxes}

    def of(self, hitbox: Ints, pose: Ints) -> Ints:
        """(n,) the swing of each hitbox in each pose."""
        result = self._whole[pose]
        for number, swing in self._timed.items():
            at = hitbox == number
            result[at] = swing[pose[at]]
        return result


def _number(poses: Poses, is_open: np.ndarray, cell: Ints) -> Ints:
    order = poses.by_actor
    now, before = order, poses.previous[order]
    fresh = (before < 0) | ~is_open[before] | (poses.clip[now] != poses.clip[before])
    fresh |= (cell[now] < cell[before]) | (poses.tick[now] < poses.tick[before])
    result = np.empty(len(poses), dtype=np.int64)
    result[order] = np.cumsum(is_open[now] & fresh)
    return result


class TickSwings:
    """The same for driven actors, which show one clip from its first tick on: swings by tick, one table an attack."""

    def __init__(self, wardrobe: Wardrobe) -> None:
        self.wardrobe = wardrobe
        self._tables: dict[tuple[str, str], Ints] = {}

    def of(self, kind: Kind, attack: str, tick: int) -> int:
        """The swing of a timed attack after so many frames of the kind's clip."""
        table = self._tables.get((kind.name, attack))
        if table is None or len(table) <= tick:
            table = self._tables[kind.name, attack] = self._count(kind, attack, max(64, 2 * tick))
        return int(table[tick])

    def _count(self, kind: Kind, attack: str, ticks: int) -> Ints:
        clip = kind.motion.clip
        cell = np.full(ticks, -1)
        if clip is not None:
            cell = cell_of_tick(np.arange(ticks), kind, clip, self.wardrobe.rules.rate)
        shown = np.full(ticks, -1 if clip is None else 0)
        is_open = np.zeros(ticks, dtype=np.bool_)
        for box in kind.boxes:
            if box.attack == attack:
                is_open |= openness(box, shown, cell, (clip or "",))
        fresh = ~np.r_[False, is_open[:-1]] | (cell < np.r_[-1, cell[:-1]])
        return np.cumsum(is_open & fresh)
