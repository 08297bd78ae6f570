"""The state of each actor in every frame, read off a ledger: health, lives, i-frames, stun, down, score, clock."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections import deque
from collections.abc import Collection, Mapping
from functools import cached_property, partial
from operator import attrgetter, itemgetter

import numpy as np
from msgspec import Struct

from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.events import COUNTER, RespawnEvent
from voskar.core.recording import Recording, sides
from voskar.core.recording.reuse import used_again
from voskar.core.rules import Rules
from voskar.core.views.course import Course, ResetMark
from voskar.core.views.meters import Base
from voskar.core.views.steps import Span, Steps, end_last, freeze
from voskar.core.views.summary import everyone


class Timeline(Struct):
    """All actors of a recording, and its runs: frames in which one began, `ends` with what ended it."""

    first: int
    last: int
    rate: float
    courses: Mapping[str, Course]
    runs: list[int]
    marks: Mapping[int, str]
    ends: list[Event]
    score: Mapping[str, Steps]
    begins: list[int]
    """The frames of runs and marks."""

    def run_of(self, frame: int) -> int:
        """The first frame of the run that a frame is part of."""
        return self.runs[max(bisect_right(self.runs, frame) - 1, 0)]

    def end_of(self, frame: int) -> Event | None:
        """The event that had ended the run by a frame, if there was one."""
        at = bisect_right(self.begins, frame)
        since = self.begins[at - 1] if at else self.first
        found = bisect_left(self.ends, since, key=attrgetter("frame"))
        return next((end for end in self.ends[found : found + 1] if end.frame <= frame), None)

    def clock(self, frame: int) -> int:
        """Frames since the run began; it stands still when the run has ended."""
        end = self.end_of(frame)
        return (frame if end is None else end.frame) - self.run_of(frame)


def timeline(rules: Rules, recording: Recording, ledger: Ledger, names: Collection[str] | None = None) -> Timeline:
    """The courses of some actors, or of all that ever were there, in the order of the ledger's ids."""
    actors = everyone(rules, recording, ledger)
    wanted = actors.keys() if names is None else frozenset(names)
    kind_sides = {kind.name: kind.side for kind in rules.kinds.values()}
    sided = dict(zip(actors, sides(list(actors.values()), kind_sides, rules.sides_of_children), strict=True))
    courses = {
        name: Course(actor, rules.kinds[actor.kind], sided[name]) for name, actor in actors.items() if name in wanted
    }
    return _Reading(rules, recording, ledger, courses).run()


class _Reading:
    """Goes through a ledger once."""

    def __init__(self, rules: Rules, recording: Recording, ledger: Ledger, courses: dict[str, Course]) -> None:
        self.rules, self.recording, self.ledger, self.courses = rules, recording, ledger, courses
        self.fixtures = {fixture.id for fixture in rules.fixtures} - set(recording.numbers)
        self.score: dict[str, Steps] = {}
        self.runs = [recording.first]
        self.ends: list[Event] = []
        self._begun = recording.first
        """The frame of the last mark or run."""
        self._in_play: dict[int, np.ndarray] = {}
        """The frames in which an actor is there and not hidden, kept since an id of a pool is used again and again."""
        self._returned = False

    def run(self) -> Timeline:
        """The whole of it."""
        first, last = self.recording.first, self.recording.last
        for course in self.courses.values():
            self._begin(course)
            if course.kind.counters:
                self._count_from(course, first)
        starts = [(frame, partial(self._begin_again, frame, what)) for frame, what in self.recording.resets.items()]
        for frame, numbers in used_again(self.rules, self.recording).items():
            starts += [(frame, partial(self._renew, frame, number)) for number in numbers]
        marks = deque(sorted(starts, key=itemgetter(0)))
        before: Event | None = None
        for event in self.ledger.events:
            # i-frames right behind a return count from its own frame, all others from the next
            self._returned = isinstance(before, RespawnEvent) and before.id == event.id and before.frame == event.frame
            before = event
            # a mark comes before all events of its frame
            while marks and marks[0][0] <= event.frame:
                marks.popleft()[1]()
            self._event(event)
        for _, begin in marks:
            begin()
        for course in self.courses.values():
            for spans in (course.immune, course.stunned, course.frozen, course.down, course.waiting, course.present):
                for span in spans:
                    span.last = min(span.last, last)
            course.counters = {name: meter.steps(last, course.frozen) for name, meter in sorted(course.meters.items())}
        ledger, resets = self.ledger, self.recording.resets
        begins = sorted({*self.runs, *resets})
        return Timeline(first, last, ledger.rate, self.courses, self.runs, resets, self.ends, self.score, begins)

    def _begin(self, course: Course) -> None:
        recording, name = self.recording, course.actor.id
        if name in recording.numbers:
            rows = recording.poses.rows_of(recording.numbers[name])
            frames = recording.poses.frame[rows]
            # most actors have no gaps: then the first and the last frame say so
            cuts = np.flatnonzero(np.diff(frames) > 1) + 1 if frames[-1] - frames[0] >= len(frames) else ()
            starts, ends = [0, *cuts], [*cuts, len(frames)]
            course.present = [
                Span(int(frames[start]), int(frames[end - 1])) for start, end in zip(starts, ends, strict=True)
            ]
        elif name in self.fixtures:
            course.present = [Span(recording.first, recording.last)]
        self._fill(course, recording.first, lives=True)

    @staticmethod
    def _fill(course: Course, frame: int, *, lives: bool) -> None:
        if course.kind.health is not None:
            course.health.put(frame, course.kind.health)
        if lives and course.kind.lives is not None:
            course.lives.put(frame, float(course.kind.logged_lives(course.kind.lives)))

    def _begin_again(self, frame: int, what: str) -> None:
        """A mark of the recording."""
        self._begun = frame
        for name, course in self.courses.items():
            if name in self.fixtures:
                self._place(course, frame)
            elif what == "room" and course.is_out(frame):
                continue
            else:
                self._revive(course, frame)
                self._fill(course, frame, lives=what == "run")
            course.changes.append(ResetMark(frame, what))
        if what == "run":
            self._new_run(frame, frame - 1)

    def _renew(self, frame: int, number: int) -> None:
        """The id of an actor is used again, for another one, unless it comes back by its rule."""
        course = self.courses.get(self.recording.actors[number].id)
        # no actor changes its id in a run that is over
        if course is None or (self.ends and self._begun <= self.ends[-1].frame < frame):
            return
        has_life = course.kind.lives is None or course.lives.values[-1] > 0
        if course.is_down(frame) and course.kind.respawn is not None and has_life:
            return
        self._revive(course, frame)
        course.changes.append(ResetMark(frame, "another"))
        self._fill(course, frame, lives=True)
        self._count_from(course, frame)

    def _place(self, course: Course, frame: int) -> None:
        """A fixture is as at the start, without the counters that its respawn keeps."""
        self._revive(course, frame)
        self._fill(course, frame, lives=True)
        if course.present[-1].last < self.recording.last:
            course.present.append(Span(frame, self.recording.last))
        self._count_from(course, frame)

    def _new_run(self, frame: int, ended: int, returning: str | None = None) -> None:
        """A run begins in a frame, by a mark or with an actor that returns. Regen of the last one continues to the
        frame `ended`."""
        self._begun = frame
        if self.runs[-1] != frame:
            self.runs.append(frame)
        for steps in self.score.values():
            steps.put(frame, 0.0)
        for name, course in self.courses.items():
            if name in self.fixtures and name != returning:
                continue  # it is placed again already
            # counters that outlast a death outlast the run that it ends, too
            kept = course.kind.respawn.keeps if course.kind.respawn is not None else ()
            self._count_from(course, frame, kept, ended)

    def _count_from(self, course: Course, frame: int, kept: Collection[str] = (), ended: int = 0) -> None:
        """The counters of an actor begin a run; those that are `kept` have their values of the frame `ended`."""
        names = {*course.kind.counters, *course.meters}
        since = self._first_in_play(course, frame) if names else None
        for name in names:
            meter = course.meter(name, frame)
            if name in kept:
                value = meter.value(max(ended, meter.bases[-1].frame), course.frozen)
                meter.bases.append(Base(frame, value, since))
            else:
                meter.begin(frame, since)

    def _first_in_play(self, course: Course, frame: int) -> int | None:
        """The first frame from one on in which it is there and not hidden."""
        number = self.recording.numbers.get(course.actor.id)
        if number is None:
            return max(course.present[-1].first, frame) if course.present else None
        if number not in self._in_play:
            rows = self.recording.poses.rows_of(number)
            self._in_play[number] = self.recording.poses.frame[rows[~self.recording.poses.hidden[rows]]]
        frames = self._in_play[number]
        at = int(np.searchsorted(frames, frame))
        return int(frames[at]) if at < len(frames) else None

    @staticmethod
    def _revive(course: Course, frame: int) -> None:
        """All running states end before a frame."""
        for spans in (course.immune, course.stunned, course.frozen, course.down, course.waiting):
            if spans and spans[-1].last >= frame:
                spans[-1].last = frame - 1

    def _event(self, event: Event) -> None:
        frame = event.frame
        if event.event == "contact":
            landed = event.outcome == "landed"
            attacker, target = self.courses.get(event.attacker or ""), self.courses.get(event.target or "")
            if attacker is not None and landed:
                attacker.dealt.append(event)
            if target is not None:
                (target.taken if landed else target.ignored).append(event)
            return
        if event.event == "score":
            self.score.setdefault(event.id or "", Steps([self.recording.first], [0.0])).put(frame, event.total or 0.0)
        elif event.event in ("over", "won"):
            self.ends.append(event)
        elif event.event == "respawn":
            kind = self.rules.kinds[self._kind_of(event.id or "")]
            if kind.respawn is not None and event.detail is None and kind.respawn.resets in ("room", "run"):
                self._reset(event, whole=kind.respawn.resets == "run")
        # the game goes on with a run that the rules have ended
        elif event.event == "adopted" and event.detail in ("no over", "no won"):
            self.ends.pop()
        course = self.courses.get(event.id or "")
        if course is not None:
            self._of_one(course, event)

    def _kind_of(self, name: str) -> str:
        if name in self.courses:
            return self.courses[name].actor.kind
        number = self.recording.numbers.get(name)
        if number is not None:
            return self.recording.actors[number].kind
        fixture = next((fixture for fixture in self.rules.fixtures if fixture.id == name), None)
        return fixture.kind if fixture is not None else self._spawned[name]

    @cached_property
    def _spawned(self) -> dict[str, str]:
        return {event.id or "": event.kind or "" for event in self.ledger.of("spawn")}

    def _reset(self, event: Event, *, whole: bool) -> None:
        """A return that puts back driven actors, or begins the whole run again."""
        for name, course in self.courses.items():
            if name in self.fixtures and name != event.id:
                self._place(course, event.frame)
            elif whole:
                kind, frame = course.kind, event.frame
                # of spare lives none may be left and the actor is still there: it is gone once it is out
                gone = kind.respawn is None or (bool(course.outs) if kind.spare else course.lives.now(frame) == 0)
                if kind.lives is not None:
                    course.lives.put(frame, float(kind.logged_lives(kind.lives)))
                if name != event.id and gone and not kind.succession and course.down and course.down[-1].last >= frame:
                    self._revive(course, frame)
                    self._fill(course, frame, lives=False)
            course.changes.append(event)
        if whole:
            self._new_run(event.frame, event.frame, event.id)

    def _adopt(self, course: Course, event: Event) -> None:
        """Takes a state that was adopted from the game. Deaths and returns have events of their own."""
        if event.detail in ("health", "lives"):
            getattr(course, event.detail).put(event.frame, event.after or 0.0)
            course.changes.append(event)
        elif event.detail is not None and event.detail.startswith(COUNTER):
            meter = course.meter(event.detail.removeprefix(COUNTER), self.recording.first)
            meter.change(event.frame, event.after or 0.0, course.frozen)
        elif event.detail == "back":
            self._revive(course, event.frame)

    def _of_one(self, course: Course, event: Event) -> None:
        frame, last = event.frame, self.recording.last
        match event.event:
            case "health":
                course.health.put(frame, event.after or 0.0)
                course.changes.append(event)
            case "iframes":
                since = frame if self._returned else frame + 1  # those of a return come right behind it
                if course.immune:
                    end_last(course.immune, since - 1)
                course.immune.append(Span(since, event.until or frame, event.cause or ""))
                end_last(course.immune, course.immune[-1].last)
            case "stun":
                if course.stunned:  # a stun that takes the place of another may end before it
                    end_last(course.stunned, frame)
                course.stunned.append(Span(frame + 1, event.until or frame, event.by or ""))
            case "hitstop":
                freeze(course.frozen, (course.immune, course.stunned), frame, event.until or frame)
            case "down":
                course.down.append(Span(frame + 1, last, event.by or ""))
                if event.lives is not None and not course.kind.down.life_after:
                    course.lives.put(frame, event.lives)
                course.changes.append(event)
            case "counter":
                meter = course.meter(event.counter or "", self.recording.first)
                meter.change(frame, event.after or 0.0, course.frozen, by_hit=event.by is not None)
                course.changes.append(event)
            case "life":
                course.lives.put(frame, event.after or 0.0)
                course.changes.append(event)
            case "respawn_held":
                course.waiting.append(Span(frame, last, event.detail or ""))
            case "respawn":
                self._revive(course, frame)
                course.returns.append(event)
                self._fill(course, frame, lives=False)
                former = self.courses.get(event.detail or "")
                if former is not None and former.lives.values:
                    course.lives.put(frame, former.lives.now(frame) or 0.0)
                if former is not None:
                    for name, meter in former.meters.items():
                        value = meter.value(frame, former.frozen)
                        course.meter(name, frame).bases.append(meter.bases[-1]._replace(frame=frame, value=value))
                for meter in course.meters.values():
                    meter.come_back(frame, course.frozen)
                course.changes.append(event)
            case "out":
                course.outs.append(frame)
            case "adopted":
                self._adopt(course, event)
            case "spawn":
                course.present.append(Span(frame, last))
                self._fill(course, frame, lives=True)
                self._count_from(course, frame)
            case "removed" if course.actor.id in self.recording.numbers:
                back = min((span.first for span in course.present if span.first > frame), default=frame)
                if course.frozen and event.detail == "consumed" and back > frame:  # it is another one then
                    course.frozen[-1].last = min(course.frozen[-1].last, back - 1)
            case "removed":
                if course.present:
                    end_last(course.present, frame - (event.detail in ("expired", "edge", "no spawn")))
