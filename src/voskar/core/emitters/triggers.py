"""When emitters are triggered: all that is known ahead of inputs, beats and clips, as a queue by frame."""

from __future__ import annotations

import heapq
from bisect import bisect_left
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from voskar.core.gate import GateAnswer
from voskar.core.kernel.storage import FOREVER
from voskar.core.recording.shown import cell_of_tick
from voskar.core.rules import Emitter, Kind, Trigger
from voskar.core.world import ActorState, World


class Due(NamedTuple):
    """A trigger that goes off: in this order they fire within a frame."""

    frame: int
    owner: str
    emitter: str
    row: int
    armed: int


class Triggers:
    """The queue. An owner's triggers are armed when it comes into play, and again after a return or a mark."""

    SHARED = frozenset(("emitters", "_clip_frames", "_tick_starts", "_input_frames", "_run_marks"))

    def __init__(self, world: World) -> None:
        self.world = world
        self.emitters = {
            (kind.name, emitter.name): emitter for kind in world.rules.kinds.values() for emitter in kind.emitters
        }
        self._queue: list[Due] = []
        self._armed = 0
        self.delays: dict[int, int] = {}
        """By how many frames owners have been frozen since their beats count, by row."""
        self._clip_frames: dict[tuple[str, str], dict[int, list[int]]] = {}
        self._tick_starts: dict[tuple[str, str], list[int]] = {}
        self._input_frames: dict[tuple[str, Trigger], list[int]] = {}
        self._run_marks = sorted(mark for mark, what in world.recording.resets.items() if what == "run")

    def arm(self, state: ActorState, frame: int) -> None:
        """From a frame on, which its beats and clips count from."""
        self.rearm(state)
        self.delays.pop(state.row, None)
        for emitter in state.kind.emitters:
            self.again(state, emitter, frame, frame)

    def rearm(self, state: ActorState) -> None:
        """Drops queued triggers of an owner, or of an earlier actor of its id."""
        self._armed += 1
        state.armed = self._armed

    def again(self, state: ActorState, emitter: Emitter, frame: int, since: int) -> None:
        """Queues the next time that an emitter is triggered, in this frame or later; `since` its beats count from."""
        due = self._next(state, emitter, frame, since)
        # A trigger behind the end of the recording would only fill the queue.
        if due <= self.world.recording.last:
            heapq.heappush(self._queue, Due(due, state.id, emitter.name, state.row, state.armed))

    def next_frame(self) -> int:
        """The next frame in which any goes off."""
        return self._queue[0].frame if self._queue else FOREVER

    def pop(self, frame: int) -> Iterator[tuple[ActorState, Emitter]]:
        """The emitters that are triggered in a frame, in order."""
        while self._queue and self._queue[0].frame <= frame:
            yield from self._still_due(heapq.heappop(self._queue), frame)

    def due(self, frame: int) -> Iterator[tuple[ActorState, Emitter]]:
        """The same, in any order, while they stay in the queue."""
        for due in self._queue:
            yield from self._still_due(due, frame)

    def _still_due(self, due: Due, frame: int) -> Iterator[tuple[ActorState, Emitter]]:
        state = self.world.actors[due.row]
        # a row may belong to another actor by now, and an owner may have been armed again since it was queued
        if due.frame == frame and state is not None and state.id == due.owner and state.armed == due.armed:
            yield state, self.emitters[state.kind.name, due.emitter]

    def clear(self) -> None:
        """Forgets all."""
        self._queue.clear()

    def _next(self, state: ActorState, emitter: Emitter, frame: int, since: int) -> int:
        when = emitter.when
        if when.on == "every":
            first = self.beats_from(state, since)
            if first == FOREVER:
                return FOREVER
            beat = first + when.first
            # floor division of a negative number rounds away from zero: the first beat in this frame or later
            # `frame` may lie before the first beat.
            return beat if beat >= frame else beat + -((beat - frame) // when.every) * when.every
        if when.on == "clip":
            if state.driven:
                return self._next_tick(state, emitter, frame)
            return _at_or_after(self.clip_frames(state.kind, when).get(state.row, []), frame)
        return _at_or_after(self.input_frames(when, state.id), frame)

    def beats_from(self, state: ActorState, since: int) -> int:
        """The first frame, from one on, in which an owner is seen: its beats count from there, later if it was
        frozen."""
        delay = self.delays.get(state.row, 0)
        if state.driven:
            return since + delay
        poses = self.world.recording.poses
        there = self.world.seen_frames(state.row)
        at = int(np.searchsorted(there, since))
        return int(there[at]) + delay if at < len(there) and len(poses) else FOREVER

    def verdict(self, state: ActorState, emitter: Emitter, since: int) -> GateAnswer:
        """Whether an emitter is triggered in this frame, and when it is else. `since` its beats count from."""
        when, frame = emitter.when, self.world.frame
        due = self._next(state, emitter, frame, since)
        if when.on == "every":
            text = f"a beat every {when.every} frames, {float(when.every / self.world.rules.rate):g} s; "
            text += "this frame is one" if due == frame else "this frame is not"
        elif when.on == "clip":
            verb = "reaches" if due == frame else "does not reach"
            text = f"{when.name} {verb} cell {when.cell} in this frame"
        else:
            word = {"press": "pressed", "release": "released", "hold": "held"}[when.on]
            text = f"{when.name} is {word}" if due == frame else f"{when.name} is not {word}"
            if when.charge is not None:
                least, most = when.charge
                text += f" after {least} frames or more" if most is None else f" after {least} to {most} frames"
        if due == frame:
            return GateAnswer(False, text)
        near = [str(number) for number in (self._before(state, emitter, frame, since), due) if number is not None]
        # a trigger that never goes off again has no frame to name
        near = [pair for pair in near if pair != str(FOREVER)]
        return GateAnswer(True, text + (f"; nearest in {' and '.join(near)}" if near else ""))

    def _before(self, state: ActorState, emitter: Emitter, frame: int, since: int) -> int | None:
        """The last frame before this one in which it was triggered."""
        when = emitter.when
        if when.on == "every":
            first = self.beats_from(state, since)
            beat = first + when.first
            return beat + (frame - 1 - beat) // when.every * when.every if first != FOREVER and beat < frame else None
        if when.on == "clip":
            if state.driven:
                return None
            known = self.clip_frames(state.kind, when).get(state.row, [])
        else:
            known = self.input_frames(when, state.id)
        at = bisect_left(known, frame)
        return known[at - 1] if at else None

    def input_frames(self, when: Trigger, name: str) -> list[int]:
        """The frames in which an actor's button sets off a press, release or hold. What follows a run mark is pressed
        again, and not released."""
        key = (name, when)
        if key not in self._input_frames:
            inputs = self.world.recording.inputs
            frames = {"press": inputs.pressed, "release": inputs.released}
            found = frames[when.on](name, when.name, self._run_marks) if when.on in frames else None
            if found is None:
                found = inputs.held(name, when.name)
            elif when.charge is not None:
                least, most = when.charge
                # each release belongs to the last press before it, so their difference is how long the button was
                # down
                pressed = inputs.pressed(name, when.name, self._run_marks)
                # Every release has a press before it.
                lasted = found - pressed[np.searchsorted(pressed, found) - 1]
                found = found[(lasted >= least) & (lasted <= (FOREVER if most is None else most))]
            self._input_frames[key] = found.tolist()
        return self._input_frames[key]

    def clip_frames(self, kind: Kind, when: Trigger) -> dict[int, list[int]]:
        """By row of recorded actors, the frames in which a clip first reaches the trigger's cell since it began.

        It starts again where it was not shown in the frame before, where its cell or tick has gone back, and after a
        run mark.
        """
        key = (kind.name, f"{when.name}:{when.cell}")
        if key in self._clip_frames:
            return self._clip_frames[key]
        world = self.world
        poses = world.recording.poses
        found: dict[int, list[int]] = {}
        if when.name in world.recording.clips:
            clip = world.recording.clips.index(when.name)
            rows = np.flatnonzero((world.pose_kinds == world.catalog.kind_number[kind.name]) & (poses.clip == clip))
            cell, before = world.shown, poses.previous[rows]
            fresh = (before < 0) | (poses.clip[before] != clip) | np.isin(poses.frame[rows], self._run_marks)
            # a looped or restarted clip passes its cells again
            fresh |= (cell[rows] < cell[before]) | (poses.tick[rows] < poses.tick[before])
            fires = rows[(cell[rows] >= when.cell) & (fresh | (cell[before] < when.cell))]
            for row, frame in zip(poses.actor[fires].tolist(), poses.frame[fires].tolist(), strict=True):
                found.setdefault(row, []).append(frame)
        self._clip_frames[key] = found
        return found

    def _next_tick(self, state: ActorState, emitter: Emitter, frame: int) -> int:
        """The same for a driven actor, which shows its kind's clip from tick 0 on."""
        when, kind = emitter.when, state.kind
        if kind.motion.clip != when.name:
            return FOREVER
        since = self.world.table.since[state.row]
        clip = kind.clips.get(when.name)
        # a clip that does not loop never reaches a cell behind its last
        if clip is not None and not clip.loop and clip.cells <= when.cell:
            return FOREVER
        key = (kind.name, f"{when.name}:{when.cell}")
        ticks = self._tick_starts.get(key)
        # shared by all driven actors of the kind, so as long as the longest of them may need
        horizon = self.world.recording.last - since + 1
        if ticks is None:
            ticks = self._tick_starts[key] = self._starts(kind, when, max(horizon, 1))
        at = bisect_left(ticks, frame - since)
        return since + ticks[at] if at < len(ticks) else FOREVER

    def _starts(self, kind: Kind, when: Trigger, horizon: int) -> list[int]:
        length = self.world.recording.frames + 1
        ticks = np.arange(max(length, horizon))
        now = cell_of_tick(ticks, kind, when.name, self.world.rules.rate)
        before = np.r_[-1, now[:-1]]
        fresh = (ticks == 0) | (now < before)
        found: list[int] = np.flatnonzero((now >= when.cell) & (fresh | (before < when.cell))).tolist()
        return found


def _at_or_after(frames: list[int], frame: int) -> int:
    at = bisect_left(frames, frame)
    return frames[at] if at < len(frames) else FOREVER
