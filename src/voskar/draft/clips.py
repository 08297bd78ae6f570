"""Clips of a draft: how many cells a game shows of each, how fast, and whether it goes round."""

from __future__ import annotations

from collections import Counter, defaultdict
from itertools import groupby, pairwise

import numpy as np

from voskar.core.recording import Recording
from voskar.draft.seen import FEW, Seen
from voskar.draft.values import Value, shown
from voskar.words import counted


class ClipDraft(Seen):
    """Drafts clips with logged cells: frames since a clip began say nothing of its cells."""

    def clips(self) -> None:
        """Of all kinds."""
        runs: dict[tuple[str, str], list[list[int]]] = defaultdict(list)
        for played in self.recordings:
            for number, actor in enumerate(played.actors):
                for clip, cells in _runs(played, number):
                    runs[actor.kind, clip].append(cells)
        rate = float(self.recordings[0].rate)
        for (kind, clip), groups in sorted(runs.items()):
            last = max(map(max, groups))
            keys = {"cells": Value(str(last + 1), f"the last that is shown is {last}")}
            # the first and the last cell of a run may be cut off
            lengths = Counter(length for cells in groups for length in _lengths(cells)[1:-1])
            if lengths:
                # most frames of one game may be of one cell, so one length has to be nearly all there is
                (length, count), total = lengths.most_common(1)[0], sum(lengths.values())
                if count > FEW and count >= 0.8 * total:
                    why = f"{count} of {counted(total, 'cell')} are shown for {counted(length, 'frame')}"
                    keys["rate"] = Value(shown(rate / length), why)
            if last and any((a, b) == (last, 0) for cells in groups for a, b in pairwise(cells)):
                keys["loop"] = Value("true", "the first follows on the last")
            self.kinds[kind].clips[clip] = keys


def _runs(played: Recording, number: int) -> list[tuple[str, list[int]]]:
    """The cells of each stretch of frames in which an actor shows one clip."""
    poses = played.poses
    rows = poses.rows_of(number)
    rows = rows[(poses.clip[rows] >= 0) & (poses.cell[rows] >= 0)]
    breaks = np.flatnonzero((np.diff(poses.frame[rows]) != 1) | (np.diff(poses.clip[rows]) != 0)) + 1
    pieces = np.split(rows, breaks) if len(rows) else []
    return [(played.clips[poses.clip[piece[0]]], poses.cell[piece].tolist()) for piece in pieces]


def _lengths(cells: list[int]) -> list[int]:
    return [len(list(numbers)) for _, numbers in groupby(cells)]
