"""Health, lives, death and return: what a recording logs of them against what the rules make of it."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from voskar.core.adopt.window import COLUMNS, Column
from voskar.core.explain.actor import last_change
from voskar.core.ledger import Event, Ledger
from voskar.core.ledger.event import number as plain_number
from voskar.core.ledger.events import COUNTER
from voskar.core.recording import Recording
from voskar.core.recording.shown import cell_of_tick, cells
from voskar.core.rules import Rules
from voskar.core.rules.shapes import Floats, Ints
from voskar.core.views.course import Course
from voskar.core.views.meters import frames_in
from voskar.core.views.steps import Span, Steps, holds
from voskar.core.views.timeline import Timeline
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held


def lives(held: Held) -> list[Finding]:
    """Disagreements about state, in frame order.

    `health` and `lives` are compared in every frame that states them; of each disagreement the first frame is logged.
    In a baked recording the poses are evidence too: a body that is down stands still and does nothing, shows its death
    clip once, and comes back where and when the rules have it. `near` is how many frames off a change may be and still
    be logged as the same one, `within` how many frames late a body may stop.
    """
    rules, recording, ledger, course = held.rules, held.recording, held.ledger, held.course
    found: list[Finding] = []
    for name in recording.numbers:
        found += _state(held, course.courses[name])
        if recording.reactions == "baked":
            found += _Body(held, course.courses[name]).odd()
    found += _cut_short(rules, recording, ledger, course)
    return sorted(found, key=lambda finding: (finding.frame, finding.target, finding.code))


def _state(held: Held, course: Course) -> Iterator[Finding]:
    """The columns `health` and `lives`: a disagreement begins where game and rules come to differ by another amount,
    and where the game's value was adopted."""
    recording, poses = held.recording, held.recording.poses
    yield from _taken_over(held, course)
    rows = poses.rows_of(recording.numbers[course.actor.id])
    for column in (*COLUMNS, *(COUNTER + name for name in recording.counters.names)):
        steps = steps_of(course, column)
        if not steps.values:
            continue
        values = logged_column(recording, column)[rows]
        known = ~np.isnan(values)
        if not known.any():
            continue
        at, game = poses.frame[rows[known]], values[known]
        apart = np.round(game - steps.at(at), 6)
        begins = (apart != 0) & (apart != np.r_[0.0, apart[:-1]])
        for row in np.flatnonzero(begins).tolist():
            frame, value = int(at[row]), float(game[row])
            ends = np.flatnonzero(apart[row:] != apart[row])
            stretch = int(ends[0]) if len(ends) else len(at) - row
            if stretch <= held.within(column) and len(ends):
                continue
            last = int(at[row + int(ends[0]) - 1]) if len(ends) else None
            yield _differs(held, course, column, (frame, last), value, steps.now(frame))


def _taken_over(held: Held, course: Course) -> Iterator[Finding]:
    """Values that the replay continued from as the game has them."""
    own = held.adopted.get(course.actor.id)
    if held.resync is None or own is None:
        return
    ends = held.resync.ends
    for (first, name, column), last in sorted(ends.items()):
        if name != course.actor.id:
            continue
        event = next(event for event in own if event.detail == column and event.frame >= first)
        row = held.recording.row(name, event.frame)
        value = event.after if row is None else float(logged_column(held.recording, column)[row])
        yield _differs(held, course, column, (first, last), value or 0.0, event.before)


def steps_of(course: Course, column: Column) -> Steps:
    """The rules' values of a column."""
    if column.startswith(COUNTER):
        name = column.removeprefix(COUNTER)
        return course.counters.get(name) or Steps([0], [0.0])
    found: Steps = getattr(course, column)
    return found


def logged_column(recording: Recording, column: Column) -> Floats:
    """(poses,) what poses log of a column, NaN for nothing."""
    if column.startswith(COUNTER):
        place = recording.counters.names.index(column.removeprefix(COUNTER))
        return np.append(recording.counters.values[:, place], np.nan)[recording.poses.counted]
    found: Floats = getattr(recording.poses, column)
    return found


def _differs(
    held: Held, course: Course, column: Column, span: tuple[int, int | None], value: float, rule: float | None
) -> Finding:
    first, last = span
    goes_on = last is None or last >= held.recording.last
    length = " to the end" if goes_on else f" to {last}"
    below = ", below zero" if value < 0 else ""
    text = f"{column} {plain_number(rule)}: {last_change(course, column, first)}"
    steps = steps_of(course, column)
    same = [number for number, amount in zip(steps.frames, steps.values, strict=True) if amount == value]
    close = [number for number in same if 0 < abs(number - first) <= held.near]
    if close:
        text += f"; {plain_number(value)} {'from' if close[0] > first else 'was reached in'} {close[0]}"
        text += " on" if close[0] > first else ""
    code = "counter" if column.startswith(COUNTER) else column
    column = column.removeprefix(COUNTER)
    return of_actor(code, first, course.actor.id, f"{column} {plain_number(value)}{below} from {first}{length}", text)


def is_last(course: Course, event: Event) -> bool:
    """Whether a death takes the last life: of spare ones none was left before."""
    return event.lives == 0 and (not course.kind.spare or course.lives.now(event.frame - 1) == 0)


def lasting_words(lasts: int, frames: int) -> str:
    """How long a death lasts, given its frames by the rules and those that it takes: the rest is hitstop."""
    return f"{lasts} frames" + (f" and {frames - lasts} of hitstop" if frames > lasts else "")


def _cut_short(rules: Rules, recording: Recording, ledger: Ledger, course: Timeline) -> Iterator[Finding]:
    """Reports runs that begin again before the death of an actor without a life left has been seen to the end. A
    recording may end whenever it likes: that says nothing about the run."""
    for event in ledger.of("down"):
        timeline = course.courses.get(event.id or "")
        if timeline is None or timeline.kind.lives is None:
            continue
        lasts = timeline.kind.down.until_out
        if not lasts:
            continue
        until = timeline.after(event.frame, lasts)
        lost = {first for first, _ in recording.lost}
        marks = [mark for mark in recording.resets if event.frame < mark <= until and mark not in lost]
        final = is_last(timeline, event) or (timeline.kind.respawn is None and not timeline.kind.succession)
        if final and marks and until not in timeline.outs:
            mark = min(marks)
            lasting = lasting_words(lasts, until - event.frame)
            text = f"is down for {lasting}, and out in {until}: only then may the run be over"
            yield of_actor("cut-short", mark - 1, timeline.actor.id, f"the run begins again in {mark}", text)


class _Body:
    """The poses of one actor while it is down, and its return."""

    def __init__(self, held: Held, course: Course) -> None:
        self.held, self.rules, self.recording, self.course = held, held.rules, held.recording, course
        recording = held.recording
        self.name = course.actor.id
        self.within, self.tolerance = held.within("poses"), held.tolerance_of(self.name)
        self.pushes = held.ledger.about(self.name, "knockback")
        self.homes = held.ledger.about(self.name, "home")
        self.number = recording.numbers[self.name]
        poses = recording.poses
        self.rows = poses.rows_of(self.number)
        self.frames = poses.frame[self.rows]

    def odd(self) -> Iterator[Finding]:
        """Every disagreement."""
        for span in self.course.down:
            if span.last >= span.first:
                yield from self._stillness(span)
                yield from self._deeds(span)
                yield from self._clip(span)
                yield from self._sight(span)
        for event in self.course.returns:
            if event.detail is None:
                yield from self._return(event)

    def _within(self, first: int, last: int) -> Ints:
        """Rows of its poses in some frames."""
        low, high = np.searchsorted(self.frames, [first, last + 1])
        return self.rows[low:high]

    def _back(self, span: Span) -> str:
        """The frame in which a downed actor should be back."""
        held = [stretch for stretch in self.course.waiting if span.first <= stretch.first <= span.last + 1]
        kept = f", kept by {held[0].cause} since {held[0].first}" if held else ""
        if span.last >= self.recording.last:
            return f"not back by the end{kept}"
        return f"back in {span.last + 1}{kept}"

    def _held(self, frame: int) -> list[str]:
        """The buttons that are down in a frame."""
        inputs = self.recording.inputs
        low, high = np.searchsorted(inputs.frame, [frame, frame + 1])
        own = [row for row in range(int(low), int(high)) if inputs.ids[inputs.id[row]] == self.name]
        return sorted({inputs.buttons[inputs.button[row]] for row in own if inputs.down[row]})

    def _stillness(self, span: Span) -> Iterator[Finding]:
        """It stands where it went down, unless the rulebook says how it moves."""
        if self.course.kind.down.motion is not None:
            return
        still = span.first - 1 + self.within
        poses, start = self.recording.poses, self._within(still, still)
        rows = self._within(still + 1, span.last)
        rows = rows[~poses.lingering[rows]]
        if not len(start) or not len(rows):
            return
        x0, y0 = float(poses.x[start[0]]), float(poses.y[start[0]])
        moved_away = np.flatnonzero(poses.cut[rows] & poses.hidden[rows])
        if len(moved_away):  # out of sight it may be put elsewhere, and stands there
            rows = rows[: int(moved_away[0])]
            if not len(rows):
                return
        if self.course.kind.down.keeps_push:
            until = max([self.held.last_of(push) for push in self.pushes if push.frame < span.first], default=0)
            rest = rows[poses.frame[rows] >= until]
            rows = rows[poses.frame[rows] > until]
            if not len(rows):
                return
            x0, y0 = float(poses.x[rest[0]]), float(poses.y[rest[0]])
        far = np.hypot(poses.x[rows] - x0, poses.y[rows] - y0)
        moved = np.flatnonzero(far > self.tolerance)
        if not len(moved):
            return
        row, end = int(rows[moved[0]]), int(rows[int(far.argmax())])
        frame = int(poses.frame[row])
        fell = f"down since {span.first - 1}, {self._back(span)}"
        place = self._place_of_return(span)
        if place is not None and math.dist(place, (float(poses.x[row]), float(poses.y[row]))) <= self.tolerance:
            early = f"is at its place of return in {frame} already, {span.last + 1 - frame} frames early"
            yield of_actor("down-long", frame, self.name, early, fell)
            return
        held = self._held(frame)
        led = f", with {' and '.join(held)} held" if held else ""
        text = f"moves while it is down: {far.max():.1f} units off by {int(poses.frame[end])}{led}"
        bounds = self.rules.space.bounds
        if bounds is not None:
            x, y = poses.x[rows], poses.y[rows]
            out = np.flatnonzero((x < bounds[0]) | (x > bounds[2]) | (y < bounds[1]) | (y > bounds[3]))
            text += f", and out of bounds in {int(poses.frame[rows[out[0]]])}" if len(out) else ""
        yield of_actor("down-moves", frame, self.name, text, f"{fell}: it stands still")

    def _place_of_return(self, span: Span) -> tuple[float, float] | None:
        event = next((comeback for comeback in self.course.returns if comeback.frame == span.last + 1), None)
        return None if event is None else (event.x or 0.0, event.y or 0.0)

    def _deeds(self, span: Span) -> Iterator[Finding]:
        """A press while it is down changes no clip, and nothing of its own appears."""
        poses, recording = self.recording.poses, self.recording
        rows = self._within(span.first, span.last)
        fell = f"down since {span.first - 1}, {self._back(span)}: inputs have no effect"
        previous = poses.previous[rows]
        known = previous >= 0
        late = poses.frame[rows] > span.first + self.within  # before that, it may have done so ahead of its death
        changed = rows[known & (poses.clip[rows] != poses.clip[previous]) & late]
        for row in changed.tolist():
            frame = int(poses.frame[row])
            clip = recording.clips[poses.clip[row]] if poses.clip[row] >= 0 else "none"
            held = self._held(frame) or self._held(frame - 1)
            if held and clip != self.course.kind.down.clip:
                text = f"{' and '.join(held)} is pressed, and it goes over to {clip} while it is down"
                yield of_actor("down-acts", frame, self.name, text, fell)
                break
        emitted = {emitter.fan.kind for emitter in self.course.kind.emitters}
        dropped = {fan.kind for fan in self.course.kind.down.spawn}
        for number, actor in enumerate(recording.actors):
            if actor.owner == self.name and actor.kind not in emitted:  # emissions are held against emitters
                frame = int(poses.frame[poses.rows_of(number)[0]])
                if span.first < frame <= span.last and actor.kind not in dropped:  # a death may leave something behind
                    yield of_actor(
                        "down-acts", frame, self.name, f"{actor.id} of its own appears while it is down", fell
                    )

    def _clip(self, span: Span) -> Iterator[Finding]:
        """The death clip is shown at once, or when a hitstop is over, and runs once."""
        down, recording = self.course.kind.down, self.recording
        if down.clip is None:
            return
        poses = recording.poses
        until = min(span.last, self.course.after(span.first - 1, down.lasts)) if down.lasts else span.last
        rows = self._within(span.first + self.within, until)
        rows = rows[~poses.hidden[rows] & ~poses.lingering[rows]]
        wanted = recording.clips.index(down.clip) if down.clip in recording.clips else -2
        fell = f"down since {span.first - 1}, {self._back(span)}"
        other = rows[poses.clip[rows] != wanted]
        if self.course.frozen:
            other = other[[not holds(self.course.frozen, int(frame)) for frame in poses.frame[other]]]
        if len(other):
            frame = int(poses.frame[other[0]])
            clip = recording.clips[poses.clip[other[0]]] if poses.clip[other[0]] >= 0 else "no clip"
            yield of_actor("down-clip", frame, self.name, f"shows {clip} in {frame}", f"{fell}: it shows {down.clip}")
        shown = self._within(span.first - 1, span.last)
        shown = shown[poses.clip[shown] == wanted]
        before = poses.previous[shown]
        restarts = (before < 0) | (poses.clip[before] != wanted)
        restarts |= (poses.tick[shown] < poses.tick[before]) | (poses.cell[shown] < poses.cell[before])
        restarts |= (poses.tick[shown] == 0) & (poses.tick[before] == 0)
        begins = np.flatnonzero(restarts)
        if len(begins) and poses.frame[shown[begins[0]]] <= span.first + self.within:
            # skip the previous death clip, which can be logged late
            shown, restarts = shown[begins[0] :], restarts[begins[0] :]
        starts = poses.frame[shown[restarts]]
        if self.course.frozen:  # it stands still in its first cell, too
            starts = starts[[at <= span.first or not holds(self.course.frozen, int(at) - 1) for at in starts]]
        if len(starts) == 1 and len(shown):
            yield from self._cells(shown, fell)
        if len(starts) > 1:
            text = f"{down.clip} begins {len(starts)} times, again in {int(starts[1])}"
            yield of_actor("down-clip", int(starts[1]), self.name, text, f"{fell}: it runs once")
        alive = span.last + 2 + self.within
        back = self._within(alive, 0 if self.course.is_down(alive) else alive)  # it may be down again by then
        if span.last < recording.last and len(back) and poses.clip[back[0]] == wanted and not poses.hidden[back[0]]:
            text = f"still shows {down.clip} in {alive}"
            yield of_actor("down-clip", alive, self.name, text, f"{fell}: it is alive again")

    def _cells(self, shown: Ints, fell: str) -> Iterator[Finding]:
        """The death clip runs to its last cell, and no faster than it is declared; poses that `shown` it, in order."""
        kind, poses = self.course.kind, self.recording.poses
        clip = kind.clips.get(kind.down.clip or "")
        shown = shown[~poses.hidden[shown] & ~poses.lingering[shown]]
        if clip is None or clip.loop or clip.cells < 2 or not len(shown):
            return
        cell = cells(poses, shown, kind, self.recording.clips, self.rules.rate)
        frames, last = poses.frame[shown], clip.cells - 1
        since = frames - frames[0]
        if self.course.frozen:
            since = since - [frames_in(self.course.frozen, int(frames[0]), int(frame)) for frame in frames]
        soonest = cell_of_tick(since + self.within + 1, kind, kind.down.clip or "", self.rules.rate)
        early = np.flatnonzero(cell > np.maximum(soonest, cell[0]))
        if len(early):
            at = int(early[0])
            text = f"{kind.down.clip} is in cell {int(cell[at])} in {int(frames[at])} already"
            due = int(np.minimum(soonest[at], last))
            yield of_actor(
                "down-clip", int(frames[at]), self.name, text, f"{fell}: by then it is in cell {due} at most"
            )
            return
        step = clip.step(self.rules.rate)
        whole, number = math.ceil(last / step), math.ceil(1 / step)
        held = np.flatnonzero(cell != cell[-1])
        stands = int(frames[held[-1]]) + 1 if len(held) else int(frames[0])
        if cell[-1] < last and since[-1] > whole + self.within and frames[-1] - stands > number + self.within:
            text = f"{kind.down.clip} stands in cell {int(cell[-1])} from {stands} on"
            ends = f"it runs to its last cell, {last}, in {int(frames[0]) + whole}"
            yield of_actor("down-clip", stands + number, self.name, text, f"{fell}: {ends}")

    def _sight(self, span: Span) -> Iterator[Finding]:
        """It is hidden at once, or when it has been seen for as long as it lasts."""
        down, poses = self.course.kind.down, self.recording.poses
        if not down.hide and not down.lasts:
            return
        # a freeze delays the hiding, so the actor may be visible until it ends
        since = self.course.after(span.first - 1, 1 if down.hide else down.lasts + 1)
        rows = self._within(since + self.within, span.last)
        rows = rows[~poses.hidden[rows] & ~poses.lingering[rows]]
        if len(rows):
            frame = int(poses.frame[rows[0]])
            lasting = lasting_words(down.lasts, since - span.first)
            gone = "hidden at once" if down.hide else f"seen for {lasting}, to {since - 1}"
            text = f"is visible in {frame}"
            words = f"down since {span.first - 1}, {gone}, {self._back(span)}"
            yield of_actor("down-long", frame, self.name, text, words)

    def _return(self, event: Event) -> Iterator[Finding]:
        """In the frame of its return it is seen, at its place."""
        poses = self.recording.poses
        rows = self._within(event.frame, event.frame)
        if not len(rows):
            return
        row = int(rows[0])
        goal = event.x or 0.0, event.y or 0.0
        if poses.hidden[row]:
            later = self._within(event.frame, self.recording.last)
            seen = later[~poses.hidden[later]]
            text = f"is still hidden in {event.frame}"
            if len(seen):
                frame = int(poses.frame[seen[0]])
                if frame <= event.frame + self.within:
                    return
                text += f", and seen in {frame}, {frame - event.frame} frames late"
            yield of_actor("respawn-late", event.frame, self.name, text, f"back in {event.frame}")
            return
        place = float(poses.x[row]), float(poses.y[row])
        # the other one of a pair that returns in the same frame sends it home, which is compared there
        sent = any(entry.frame == event.frame for entry in self.homes)
        if math.dist(place, goal) > self.tolerance and not sent:
            text = f"is at ({place[0]:g}, {place[1]:g}) in {event.frame}"
            words = f"back in {event.frame} at ({goal[0]:g}, {goal[1]:g})"
            yield of_actor("respawn-place", event.frame, self.name, text, words)
