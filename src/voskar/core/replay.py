"""The main door: rules and a recording in, a ledger out."""

from __future__ import annotations

import functools
from bisect import bisect_left, bisect_right
from collections.abc import Collection
from dataclasses import dataclass, replace
from itertools import pairwise
from operator import attrgetter

import numpy as np

from voskar.core.firing import Shown
from voskar.core.gates import Contact
from voskar.core.judging import Judge
from voskar.core.ledger import Ledger
from voskar.core.lingering import lingering
from voskar.core.meeting import meeting_points
from voskar.core.order import id_ranks, order_of_blows
from voskar.core.placing import Cast, Wardrobe
from voskar.core.plan import Plan
from voskar.core.recording import Actor, Poses, Recording
from voskar.core.rules import Rules
from voskar.core.shapes import Ints
from voskar.core.sight import Sight
from voskar.core.swings import Swings, TickSwings
from voskar.core.touching import Touches, find_touches

BLOCK = 1 << 15
"""Poses looked at in one go. Changes speed and memory, never the result."""


RAW_BLOCK = 1 << 11
"""The same for raw recordings, in which every push looks again at the rest of its block."""


AHEAD = 64
"""Frames told ahead at first where the rules set something in motion."""

FARTHEST = 512
"""Most frames told ahead where emitters fire: the ways of all they spawn in them are held at once."""


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
    """The judge after a whole recording: its events, and a full account of the watched frames.

    Its `recording` has the poses as they were judged: with what lingered, in a raw recording as blows have moved
    them, and, where frames are watched, with all that the rules set in motion.
    """
    poses = recording.poses
    if recording.resets or rules.returns or rules.contact.linger or recording.reactions == "raw":
        # a copy, as what comes back jumps too
        poses = replace(poses, cut=poses.cut | np.isin(poses.frame, list(recording.resets)))
    logged = lingering(replace(recording, poses=poses), rules.contact.linger)
    recording, poses = logged, logged.poses
    if recording.reactions == "raw":
        block = min(block, RAW_BLOCK)
        poses = replace(poses, x=poses.x.copy(), y=poses.y.copy())
    recording = replace(recording, poses=poses)
    judge = Judge(rules, Wardrobe(rules), recording, logged, watched)
    cast = cast_of(recording, judge.wardrobe)
    company = Company(judge, cast, Swings(recording.poses, cast, judge.wardrobe), TickSwings(judge.wardrobe))
    staged: list[Poses] = []
    uncertain = rules.drives or rules.returns
    ahead = AHEAD if uncertain else recording.frames
    start = recording.first
    marks = [*sorted(recording.resets), recording.last + 1]
    while start <= recording.last:
        if start in recording.resets:
            judge.vitals.begin_again(start, recording.resets[start])
        mark = marks[bisect_right(marks, start)] if start < marks[-1] else marks[-1]
        if judge.ended is not None:
            for frame in judge.watched[bisect_left(judge.watched, start) : bisect_left(judge.watched, mark)]:
                judge.frame(frame, ())
            start = mark
            continue
        stop = min(block_end(recording, start, block, len(judge.driver.bodies)), start + ahead, mark)
        window = _Block(company, start, stop)
        while window.bring_back():
            window = _Block(company, start, stop)
        last = window.run()
        # what may be told ahead is twice what came true
        if uncertain:
            ahead = max(2 * (last + 1 - start), 4)
            ahead = min(ahead, FARTHEST) if judge.driver.guns else ahead
        shown = window.driven_until(last) if watched else None
        if shown is not None:
            staged.append(shown)
        start = last + 1
    judge.events.sort(key=attrgetter("frame"))  # what a reset removes was last there in the frame before
    if staged:
        _perform(judge, staged)
    return judge


def _perform(judge: Judge, staged: list[Poses]) -> None:
    """Adds what the rules set in motion to the judge's recording, as if the game had shown it."""
    for name in ("recording", "logged"):
        recording: Recording = getattr(judge, name)
        poses = functools.reduce(Poses.and_also, staged, recording.poses)
        poses = poses.rows(np.argsort(poses.frame, kind="stable"))
        # the numbers of those who did appear close up; one that is placed anew is the one it was
        numbers = np.array(sorted(judge.played), dtype=np.int64)
        known = len(recording.actors)
        played: dict[str, Actor] = {}
        for number in numbers.tolist():
            played.setdefault(judge.played[number].id, judge.played[number])
        places = {name: known + place for place, name in enumerate(played)}
        closer = np.array([places[judge.played[number].id] for number in numbers.tolist()], dtype=np.int64)
        closed = poses.actor.copy()
        driven = closed >= known
        closed[driven] = closer[np.searchsorted(numbers, closed[driven])]
        poses = replace(poses, actor=closed)
        starts = np.searchsorted(poses.frame, np.arange(recording.first, recording.last + 2)).astype(np.int64)
        actors = (*recording.actors, *played.values())
        changed = replace(recording, poses=poses, starts=starts, actors=actors, clips=judge.driver.casting.clips)
        setattr(judge, name, changed)


def block_end(recording: Recording, start: int, poses: int, driven: int = 0) -> int:
    """The frame before which a block ends that starts in a frame and holds about so many poses, with so many driven
    actors in each."""
    if driven:
        each = len(recording.poses) / recording.frames + driven
        return min(start + max(int(poses / each), 1), recording.last + 1)
    rows = int(recording.starts[start - recording.first])
    reach = int(np.searchsorted(recording.starts, rows + poses, side="right")) - 1
    return min(max(recording.first + reach, start + 1), recording.last + 1)


@dataclass(frozen=True, eq=False)
class Company:
    """What all blocks of a replay share."""

    judge: Judge
    cast: Cast
    swings: Swings
    ticks: TickSwings


class _Block:
    """The touches of a block of frames, and the poses they were found in.

    Recorded poses come first in a frame, then those of driven actors, as far as they can be told ahead.
    """

    def __init__(self, company: Company, start: int, stop: int) -> None:
        self.company, self.judge, self.wardrobe = company, company.judge, company.judge.wardrobe
        self.start = start
        recording = self.judge.recording
        # in a raw recording these are views, so that to move them is to move the recording's own poses
        self.rows, self.own, lead = with_lead(recording, start, stop)
        self.logged = self.own
        if self.judge.raw:
            self.logged = replace(self.judge.logged.poses.rows(self.rows), cut=self.own.cut)
            for actor in self.judge.landing.shifts:
                if actor < len(recording.actors):
                    self._move(actor, start)
        self.plan = self._plan(start, stop, lead)
        self.stop = stop if self.plan is None else self.plan.stop
        self.driven = None if self.plan is None else self.plan.poses(start > recording.first)
        self._mix()
        self._probes: dict[int, dict[int, list[Contact]]] = {}
        self._take(find_touches(self.poses, self.cast, self.wardrobe, self._lead(start - 1)))

    def _plan(self, start: int, stop: int, lead: int) -> Plan | None:
        judge = self.judge
        if not judge.rules.drives or judge.ended is not None:
            return None
        return judge.driver.plan(start, stop, Shown(self.own, self.logged, lead, self.company.cast))

    def _mix(self) -> None:
        """Puts the poses of recorded and of driven actors together; `source` tells which row of the two a pose is."""
        own, logged = self.own, self.logged
        if len(own) and own.frame[-1] >= self.stop:  # the plan does not reach as far
            kept = slice(0, int(np.searchsorted(own.frame, self.stop)))
            own, logged = own.rows(kept), logged.rows(kept)
        self.cast, self.numbers = self.company.cast, None
        self.poses, self.recorded, self.source = own, logged, None
        if self.plan is not None and self.driven is not None:
            self.cast, self.numbers = self.plan.seats(self.company.cast)
            self.source = np.argsort(np.concatenate([own.frame, self.driven.frame]), kind="stable")
            self.poses = own.and_also(self.driven).rows(self.source)
            self.recorded = self.poses
            if logged is not own:  # one column of cuts for both: a way home makes one
                self.recorded = replace(logged.and_also(self.driven).rows(self.source), cut=self.poses.cut)

    def _lead(self, frame: int) -> int:
        return int(np.searchsorted(self.poses.frame, frame, side="right"))

    def run(self) -> int:
        """Hands the judge every frame in which something happens, and every watched one, as far as it was told ahead
        right; returns the last frame that holds for."""
        judge, plan, vitals = self.judge, self.plan, self.judge.vitals
        low, high = bisect_left(judge.watched, self.start), bisect_left(judge.watched, self.stop)
        watched = judge.watched[low:high]
        coming = sorted({*self.frames, *watched, *(plan.frames if plan else ())})
        last = self.stop - 1
        at, now = 0, self.start
        while True:
            frame = min(coming[at] if at < len(coming) else self.stop, vitals.next_visit(now))
            due = vitals.next_return()
            if due <= min(frame, self.stop - 1):
                if self._try(due):
                    now = due
                    continue
                last = due - 1
                break
            if frame >= self.stop:
                break
            at, now = bisect_right(coming, frame), frame + 1
            judge.frame(frame, self.by_frame.get(frame, ()), plan)
            if plan is not None and judge.ordered and not judge.replan:
                judge.replan = not judge.driver.slip_in(frame, plan)
                coming = sorted({*coming, *plan.frames})
            if judge.ended is not None:
                last = frame
                break
            if plan is not None and judge.replan:
                last = frame
                break
            if judge.landing.moved:
                self._find_again(frame)
                coming = sorted({*coming, *self.frames})
        self._finish()
        judge.landing.moved.clear()  # the next block begins with all ways as they are by then
        if plan is not None:
            judge.driver.commit(last, plan)
        judge.prune(last)
        return last

    def bring_back(self) -> bool:
        """Lets those come back who are due in the block's first frame; whether anyone did: then ways have changed."""
        judge, frame, back = self.judge, self.start, False
        for number in judge.vitals.due(frame):
            if number not in judge.vitals.tries:
                continue  # the return of another one has placed it anew
            if back and judge.vitals.is_careful(number):
                break  # it has to look again, at those who are back
            if not self._is_held(number, frame):
                judge.vitals.come_back(frame, number)
                back = True
        if back:
            judge.driver.purge()
            judge.landing.moved.clear()
        return back

    def _try(self, frame: int) -> bool:
        """Whether all who are due in a frame have to wait. Those who need not come back at the start of a block."""
        return all(self._is_held(number, frame) for number in self.judge.vitals.due(frame))

    def _is_held(self, number: int, frame: int) -> bool:
        """Whether one that is due stays away because a blow would meet it."""
        judge = self.judge
        if self.plan is not None:
            judge.driver.move(frame, self.plan)
        if number not in judge.standings:
            return True
        if not judge.vitals.is_careful(number):
            return False
        if number not in self._probes:
            self._probes[number] = self._probe(number, frame)
        contacts = self._probes[number].get(frame, [])
        striker = judge.vitals.in_the_way([one for one in contacts if judge.in_play(one.striker, frame)])
        if striker is not None:
            judge.vitals.hold(frame, number, striker)
        return striker is not None

    def _probe(self, number: int, first: int) -> dict[int, list[Contact]]:
        """What would meet one that is to come back, by frame from one on, if it stood where it returns."""
        judge, poses = self.judge, self.poses
        seat = number if self.numbers is None else int(np.flatnonzero(self.numbers == number)[0])
        rows = np.flatnonzero(poses.actor == seat)
        x, y = judge.vitals.place(number)
        changes: dict[str, float] = {"x": x, "y": y, "cut": True, "hidden": False}
        if judge.driver.is_driven(number):
            changes |= judge.driver.first_look(number)
        columns = {name: np.array(getattr(poses, name)) for name in changes}
        for name, value in changes.items():
            columns[name][rows] = value
        there = replace(poses, **columns)
        touches = find_touches(there, self.cast, self.wardrobe, self._lead(first - 1), np.array([seat]))
        found: dict[int, list[Contact]] = {}
        strikers = touches.striker if self.numbers is None else self.numbers[touches.striker]
        for row in np.flatnonzero(touches.target == seat).tolist():
            striker, frame = int(strikers[row]), int(touches.frame[row])
            if striker in judge.standings:
                boxes = int(touches.hitbox[row]), int(touches.hurtbox[row])
                touch = (striker, boxes[0], number, boxes[1], float(touches.t[row]), 0, row)
                found.setdefault(frame, []).append(judge.contact(frame, touch))
        return found

    def _take(self, touches: Touches) -> None:
        """Puts touches in the order of blows."""
        ranks = id_ranks(self._name, np.concatenate([touches.striker, touches.target]), len(self.cast.kind))
        self.touches = touches = touches.take(order_of_blows(touches, self.wardrobe, ranks))
        actors = [touches.striker, touches.target]
        if self.numbers is not None:
            actors = [self.numbers[seats] for seats in actors]
        columns = (actors[0], touches.hitbox, actors[1], touches.hurtbox, touches.t, self._swing())
        listed = list(zip(*(column.tolist() for column in columns), range(len(touches)), strict=True))
        frames, starts = np.unique(touches.frame, return_index=True)
        self.frames: list[int] = frames.tolist()
        bounds = [*starts.tolist(), len(listed)]
        self.by_frame = {
            frame: listed[low:high] for frame, (low, high) in zip(self.frames, pairwise(bounds), strict=True)
        }
        self.judge.sight = Sight(self.poses, touches, self.cast, self.wardrobe, self.recorded)

    def _name(self, seat: int) -> str:
        """The id of a seat of the cast."""
        actors = self.judge.recording.actors
        if seat < len(actors) or self.plan is None:
            return actors[seat].id
        return self.judge.driver.name(self.plan, seat - len(actors))

    def _swing(self) -> Ints:
        """(n,) the swing each touch is made with."""
        pose, hitbox = self.touches.striker_pose, self.touches.hitbox
        if self.source is None:
            return self.company.swings.of(hitbox, pose + self.rows.start)
        source = self.source[pose]
        result = np.zeros(len(pose), dtype=np.int64)
        recorded = source < len(self.poses) - len(self.driven or ())
        result[recorded] = self.company.swings.of(hitbox[recorded], source[recorded] + self.rows.start)
        for row in np.flatnonzero(~recorded).tolist():
            one = self.wardrobe.fitted[hitbox[row]]
            kind = self.judge.rules.kinds[one.kind]
            if one.box.attack and kind.timed(one.box.attack):
                result[row] = self.company.ticks.of(kind, one.box.attack, int(self.poses.tick[pose[row]]))
        return result

    def _find_again(self, frame: int) -> None:
        """Moves those whose course has changed, and finds their touches, and theirs alone, after this frame."""
        self._finish()
        self._probes.clear()
        moved = np.array(sorted(self.judge.landing.moved), dtype=np.int64)
        self.judge.landing.moved.clear()
        for actor in moved.tolist():
            self._move(actor, frame + 1)
        if self.source is not None and self.driven is not None:
            for name in ("x", "y", "cut"):
                own, driven = getattr(self.own, name)[: len(self.source) - len(self.driven)], getattr(self.driven, name)
                getattr(self.poses, name)[:] = np.concatenate([own, driven])[self.source]
        lead = self._lead(frame)
        if lead >= len(self.poses):
            return
        fresh = find_touches(self.poses, self.cast, self.wardrobe, lead, moved)
        stale = np.isin(self.touches.striker, moved) | np.isin(self.touches.target, moved)
        kept = self.touches.take(~(stale & (self.touches.frame > frame)))
        self._take(kept.and_also(fresh))

    def _move(self, actor: int, first: int) -> None:
        """Shifts a recorded actor's poses from a frame on."""
        poses = self.own
        rows = np.flatnonzero((poses.actor == actor) & (poses.frame >= first))
        if not len(rows) or actor not in self.judge.landing.shifts:
            return
        offsets = self.judge.landing.shifts[actor].at(poses.frame[rows])
        poses.x[rows] = self.logged.x[rows] + offsets[:, 0]
        poses.y[rows] = self.logged.y[rows] + offsets[:, 1]

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

    def driven_until(self, frame: int) -> Poses | None:
        """The poses of driven actors in this block's frames up to one, with their numbers as actors."""
        shown = None if self.plan is None else self.plan.poses(lead=False)
        if shown is None or self.plan is None:
            return None
        numbers = self.plan.bodies.number[shown.actor - len(self.company.cast.kind)]
        gone = np.array([self.judge.gone.get(number, frame) for number in numbers.tolist()], dtype=np.int64)
        rows = np.flatnonzero(shown.frame <= np.minimum(gone, frame))
        return replace(shown.rows(rows), actor=numbers[rows])


def cast_of(recording: Recording, wardrobe: Wardrobe) -> Cast:
    """Who is in a recording, in the numbers of a wardrobe."""
    return Cast.of(recording.actors, recording.owners, recording.clips, wardrobe)


def with_lead(recording: Recording, start: int, stop: int) -> tuple[slice, Poses, int]:
    """The pose rows of frames start … stop-1 and of the frame before, those poses, and how many rows lead."""
    rows = recording.block(max(start - 1, recording.first), stop)
    return rows, recording.poses.rows(rows), recording.block(start, stop).start - rows.start
