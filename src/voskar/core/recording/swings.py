"""Swings: the unbroken uses of an attack that `rehit = "once"` counts by."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np

from voskar.core.recording.poses import Poses
from voskar.core.recording.shown import cell_of_tick, openness
from voskar.core.rules import Kind, Rules
from voskar.core.rules.shapes import Ints


class Swings:
    """Numbers the swings of every actor in a table of poses, by attack, when they are first asked for.

    A new swing of a timed attack begins in a frame in which one of its boxes is open and none was in the
    frame before, or the clip is another one, or its cell or tick has gone back. An attack that is not timed
    has one swing for as long as its actor is in play without a break.
    """

    def __init__(self, poses: Poses, kinds: Ints, shown: Ints, rules: Rules, clips: Sequence[str]) -> None:
        """`kinds` (n,) and `shown` (n,) are the place of each pose's kind among the rulebook's, and its cell."""
        self.poses, self.kinds, self.shown, self.rules, self.clips = poses, kinds, shown, rules, clips
        self._timed: dict[tuple[str, str], Ints] = {}

    @cached_property
    def _whole(self) -> Ints:
        return self.poses.play_run

    def whole(self, pose: int) -> int:
        """The swing of an attack that is not timed in a pose."""
        return int(self._whole[pose])

    def of(self, kind: Kind, attack: str, pose: int) -> int:
        """The swing of a timed attack in a pose of a kind."""
        key = (kind.name, attack)
        if key not in self._timed:
            self._timed[key] = self._number(kind, attack)
        return int(self._timed[key][pose])

    def _number(self, kind: Kind, attack: str) -> Ints:
        poses, cell = self.poses, self.shown
        rows = np.flatnonzero(self.kinds == list(self.rules.kinds).index(kind.name))
        is_open = np.zeros(len(poses), dtype=np.bool_)
        for box in kind.boxes:
            if box.attack == attack:
                is_open[rows] |= openness(box, poses.clip[rows], cell[rows], self.clips)
        is_open &= ~poses.hidden
        order = poses.by_actor
        now, before = order, poses.previous[order]
        fresh = (before < 0) | ~is_open[before] | (poses.clip[now] != poses.clip[before])
        fresh |= (cell[now] < cell[before]) | (poses.tick[now] < poses.tick[before])
        result = np.empty(len(poses), dtype=np.int64)
        result[order] = np.cumsum(is_open[now] & fresh)
        return result


class TickSwings:
    """The same for driven actors, which show one clip from its first tick on: swings by tick, one table an attack."""

    def __init__(self, rules: Rules) -> None:
        self.rules = rules
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
            cell = cell_of_tick(np.arange(ticks), kind, clip, self.rules.rate)
        shown = np.full(ticks, -1 if clip is None else 0)
        is_open = np.zeros(ticks, dtype=np.bool_)
        for box in kind.boxes:
            if box.attack == attack:
                is_open |= openness(box, shown, cell, (clip or "",))
        fresh = ~np.r_[False, is_open[:-1]] | (cell < np.r_[-1, cell[:-1]])
        return np.cumsum(is_open & fresh)
