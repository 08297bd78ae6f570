"""The main door: rules and a recording in, a ledger out."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Collection, Iterator
from dataclasses import replace
from itertools import pairwise

import numpy as np

from voskar.core.judging import Judge, order_of_blows
from voskar.core.ledger import Ledger
from voskar.core.lingering import lingering
from voskar.core.meeting import meeting_points
from voskar.core.placing import Cast, Wardrobe
from voskar.core.recording import Poses, Recording
from voskar.core.rules import Rules
from voskar.core.sight import Sight
from voskar.core.swings import Swings
from voskar.core.touching import Touches, find_touches

BLOCK = 1 << 15
"""Poses looked at in one go. Changes speed and memory, never the result."""


RAW_BLOCK = 1 << 11
"""The same for raw recordings, in which every push looks again at the rest of its block."""


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
    """The judge after a whole recording: its events, a full account of the watched frames, and in `recording`
    the poses as they were judged, with what lingered, and in a raw recording as blows have moved them."""
    recording = lingering(recording, rules.contact.linger)
    logged = recording
    if recording.reactions == "raw":
        block = min(block, RAW_BLOCK)
        poses = recording.poses
        recording = replace(recording, poses=replace(poses, x=poses.x.copy(), y=poses.y.copy(), cut=poses.cut.copy()))
    wardrobe = Wardrobe(rules)
    judge = Judge(rules, wardrobe, recording, logged, watched)
    cast = cast_of(recording, wardrobe)
    swings = Swings(recording.poses, cast, wardrobe)
    for start, stop in blocks(recording, block):
        _Block(judge, cast, swings, start, stop).run()
    judge.appear(recording.last)
    return judge


class _Block:
    """The touches of a block of frames, and the poses they were found in."""

    def __init__(self, judge: Judge, cast: Cast, swings: Swings, start: int, stop: int) -> None:
        self.judge, self.cast, self.swings, self.wardrobe = judge, cast, swings, judge.wardrobe
        self.start, self.stop = start, stop
        # in a raw recording these are views, so that to move them is to move the recording's own poses
        self.rows, self.poses, self.lead = with_lead(judge.recording, start, stop)
        self.recorded = self.poses
        if judge.raw:
            self.recorded = replace(judge.logged.poses.rows(self.rows), cut=self.poses.cut)
            for actor in judge.shifts:
                self._move(actor, start)
        self._take(find_touches(self.poses, cast, self.wardrobe, self.lead))

    def run(self) -> None:
        """Hands the judge every frame in which something touches, and every watched one."""
        judge = self.judge
        watched = sorted(frame for frame in judge.watched if self.start <= frame < self.stop)
        frame = self.start - 1
        while (coming := self._next(frame, watched)) is not None:
            frame = coming
            judge.frame(frame, self.by_frame.get(frame, ()))
            if judge.moved:
                self._find_again(frame)
        self._finish()

    def _next(self, frame: int, watched: list[int]) -> int | None:
        """The first frame after one in which there is something to judge or to watch."""
        at = bisect_right(self.frames, frame)
        coming = self.frames[at] if at < len(self.frames) else None
        seen = next((one for one in watched if one > frame), None)
        return seen if coming is None else coming if seen is None else min(coming, seen)

    def _take(self, touches: Touches) -> None:
        """Puts touches in the order of blows."""
        self.touches = touches.take(order_of_blows(touches, self.wardrobe, self.judge.ranks))
        swing = self.swings.of(self.touches.hitbox, self.touches.striker_pose + self.rows.start)
        columns = (self.touches.striker, self.touches.hitbox, self.touches.target, self.touches.hurtbox, self.touches.t)
        listed = list(zip(*(column.tolist() for column in (*columns, swing)), range(len(swing)), strict=True))
        frames, starts = np.unique(self.touches.frame, return_index=True)
        self.frames: list[int] = frames.tolist()
        bounds = [*starts.tolist(), len(listed)]
        self.by_frame = {
            frame: listed[low:high] for frame, (low, high) in zip(self.frames, pairwise(bounds), strict=True)
        }
        self.judge.sight = Sight(self.poses, self.touches, self.cast, self.wardrobe, self.recorded)

    def _find_again(self, frame: int) -> None:
        """Moves those whose course has changed, and finds their touches, and theirs alone, after this frame."""
        self._finish()
        moved = np.array(sorted(self.judge.moved), dtype=np.int64)
        self.judge.moved.clear()
        for actor in moved.tolist():
            self._move(actor, frame + 1)
        lead = int(np.searchsorted(self.poses.frame, frame, side="right"))
        if lead >= len(self.poses):
            return
        fresh = find_touches(self.poses, self.cast, self.wardrobe, lead, moved)
        stale = np.isin(self.touches.striker, moved) | np.isin(self.touches.target, moved)
        kept = self.touches.take(~(stale & (self.touches.frame > frame)))
        self._take(kept.and_also(fresh))

    def _move(self, actor: int, first: int) -> None:
        """Shifts an actor's poses from a frame on."""
        rows = np.flatnonzero((self.poses.actor == actor) & (self.poses.frame >= first))
        if not len(rows):
            return
        offsets = self.judge.shifts[actor].at(self.poses.frame[rows])
        self.poses.x[rows] = self.recorded.x[rows] + offsets[:, 0]
        self.poses.y[rows] = self.recorded.y[rows] + offsets[:, 1]
        jumps = [frame for number, frame in self.judge.cuts if number == actor]
        self.poses.cut[rows] |= np.isin(self.poses.frame[rows], jumps)

    def _finish(self) -> None:
        """Tells where the contacts begun so far began, and whether someone lingered."""
        opened = self.judge.opened
        if opened:
            rows = np.array([row for _, row in opened])
            touches = self.touches.take(rows)
            held = self.poses.lingering[touches.striker_pose] | self.poses.lingering[touches.target_pose]
            points = meeting_points(touches, self.poses, self.wardrobe)
            for (event, _), (x, y), is_held in zip(opened, points.tolist(), held.tolist(), strict=True):
                event.x, event.y = x, y
                event.detail = "lingering" if is_held else None
        opened.clear()


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
