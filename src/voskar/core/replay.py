"""The main door: rules and a recording in, a ledger out."""

from __future__ import annotations

from collections.abc import Collection, Iterator

import numpy as np

from voskar.core.judging import Judge, order_of_blows
from voskar.core.ledger import Event, Ledger
from voskar.core.lingering import lingering
from voskar.core.meeting import meeting_points
from voskar.core.placing import Cast, Wardrobe
from voskar.core.recording import Bools, Poses, Recording
from voskar.core.rules import Rules
from voskar.core.swings import Swings
from voskar.core.touching import Touches, find_touches

BLOCK = 1 << 15
"""Poses looked at in one go. Changes speed and memory, never the result."""


def replay(rules: Rules, recording: Recording, *, block: int = BLOCK) -> Ledger:
    """Judges a whole recording. The ledger is the same for every block size."""
    return ledger_of(judge_frames(rules, recording, block=block), recording)


def ledger_of(judge: Judge, recording: Recording) -> Ledger:
    """What a judge wrote, with what it came from."""
    return Ledger(
        judge.events,
        judge.rules.digest,
        recording.digest,
        float(recording.rate),
        recording.first,
        recording.last,
        {"reactions": recording.reactions},
    )


def judge_frames(rules: Rules, recording: Recording, watched: Collection[int] = (), *, block: int = BLOCK) -> Judge:
    """The judge after a whole recording: its events, and a full account of the watched frames."""
    recording = lingering(recording, rules.contact.linger)
    wardrobe = Wardrobe(rules)
    judge = Judge(rules, wardrobe, recording, watched)
    ids = [actor.id for actor in recording.actors]
    cast = cast_of(recording, wardrobe)
    swings = Swings(recording.poses, cast, wardrobe)
    for start, stop in blocks(recording, block):
        rows, poses, lead = with_lead(recording, start, stop)
        touches = find_touches(poses, cast, wardrobe, lead)
        touches = touches.take(order_of_blows(touches, wardrobe, ids))
        swing = swings.of(touches.hitbox, touches.striker_pose + rows.start)
        held = poses.lingering[touches.striker_pose] | poses.lingering[touches.target_pose]
        _judge_block(judge, touches, swing.tolist(), [frame for frame in judge.watched if start <= frame < stop])
        _finish_contacts(judge.opened, touches, held, poses, wardrobe)
        judge.opened.clear()
    return judge


def cast_of(recording: Recording, wardrobe: Wardrobe) -> Cast:
    """Who is in a recording, in the numbers of a wardrobe."""
    return Cast.of([actor.kind for actor in recording.actors], recording.owners, recording.clips, wardrobe)


def with_lead(recording: Recording, start: int, stop: int) -> tuple[slice, Poses, int]:
    """The pose rows of frames start … stop-1 and of the frame before, those poses, and how many rows lead."""
    rows = recording.block(max(start - 1, recording.first), stop)
    return rows, recording.poses.rows(rows), recording.block(start, stop).start - rows.start


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


def _finish_contacts(
    opened: list[tuple[Event, int]], touches: Touches, held: Bools, poses: Poses, wardrobe: Wardrobe
) -> None:
    """Fills in where each contact began and whether someone lingered, for all contacts of a block at once."""
    if not opened:
        return
    points = meeting_points(touches.take(np.array([row for _, row in opened])), poses, wardrobe)
    for (event, row), (x, y) in zip(opened, points.tolist(), strict=True):
        event.x, event.y = x, y
        if held[row]:
            event.detail = "lingering"
