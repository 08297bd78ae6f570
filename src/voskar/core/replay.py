"""The main door: rules and a recording in, a ledger out."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

import numpy as np

from voskar.core.judging import FrameTrace, Judge, order_of_blows
from voskar.core.ledger import Event, Ledger
from voskar.core.meeting import meeting_points
from voskar.core.placing import Wardrobe
from voskar.core.recording import Poses, Recording
from voskar.core.rules import Rules
from voskar.core.touching import Touches, find_touches

BLOCK = 1 << 15
"""Poses looked at in one go. Changes speed and memory, never the result."""


@dataclass(frozen=True)
class Replay:
    """A ledger, and what the judge saw in the frames that were watched."""

    ledger: Ledger
    traces: dict[int, FrameTrace]


def replay(rules: Rules, recording: Recording, *, block: int = BLOCK) -> Ledger:
    """Judges a whole recording. The ledger is the same for every block size."""
    return watch(rules, recording, (), block=block).ledger


def watch(rules: Rules, recording: Recording, frames: Collection[int], *, block: int = BLOCK) -> Replay:
    """As `replay`, and keeps a full account of some frames."""
    wardrobe = Wardrobe(rules)
    judge = Judge(rules, wardrobe, recording, frames)
    ids = [actor.id for actor in recording.actors]
    kinds = [actor.kind for actor in recording.actors]
    for start, stop in blocks(recording, block):
        rows = recording.block(start, stop)
        poses = recording.poses.rows(rows)
        touches = find_touches(poses, kinds, recording.owners, wardrobe)
        touches = touches.take(order_of_blows(touches, wardrobe, ids))
        swings = recording.poses.play_run[rows][touches.striker_pose]
        _judge_block(judge, touches, swings.tolist(), [f for f in judge.watched if start <= f < stop])
        _place_contacts(judge.opened, touches, poses, wardrobe)
        judge.opened.clear()
    ledger = Ledger(
        judge.events,
        rules.digest,
        recording.digest,
        float(recording.rate),
        recording.first,
        recording.last,
        {"reactions": recording.reactions},
    )
    return Replay(ledger, judge.traces)


def blocks(recording: Recording, size: int) -> Iterator[tuple[int, int]]:
    """Frame ranges (start, stop) of about `size` poses each, in order."""
    start = recording.first
    while start <= recording.last:
        rows = int(recording.starts[start - recording.first])
        reach = int(np.searchsorted(recording.starts, rows + size, side="right")) - 1
        stop = min(max(recording.first + reach, start + 1), recording.last + 1)
        yield start, stop
        start = stop


def _judge_block(judge: Judge, touches: Touches, swings: list[int], watched: list[int]) -> None:
    """Hands the judge every frame in which something touches, and every watched one."""
    columns = zip(
        touches.striker.tolist(),
        touches.hitbox.tolist(),
        touches.target.tolist(),
        touches.hurtbox.tolist(),
        touches.t.tolist(),
        swings,
        range(len(touches)),
        strict=True,
    )
    rows = list(columns)
    frames, starts = np.unique(touches.frame, return_index=True)
    bounds = [*starts.tolist(), len(touches)]
    for frame in watched:
        if frame not in frames:
            at = int(np.searchsorted(frames, frame))
            frames = np.insert(frames, at, frame)
            bounds.insert(at, bounds[at])
    for index, frame in enumerate(frames.tolist()):
        judge.frame(frame, rows[bounds[index] : bounds[index + 1]])


def _place_contacts(opened: list[tuple[Event, int]], touches: Touches, poses: Poses, wardrobe: Wardrobe) -> None:
    """Fills in where each contact began, for all contacts of a block at once."""
    if not opened:
        return
    points = meeting_points(touches.take(np.array([row for _, row in opened])), poses, wardrobe)
    for (event, _), (x, y) in zip(opened, points.tolist(), strict=True):
        event.x, event.y = x, y
