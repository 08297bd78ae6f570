"""The loop: frame after frame, in the order of docs/frame.md.

    mark → move → return → spawn → touch → judge → settle

Nothing is predicted. The kernel runs whole frames by itself while nothing happens in them (`Kernel.advance`); it stops
where something touches or leaves, and in every frame in which something is due (`World.visit`, triggers of emitters).
"""

from __future__ import annotations

from collections.abc import Sequence
from operator import attrgetter
from typing import NamedTuple, Protocol

from voskar.core import counting
from voskar.core.adopt import Resync
from voskar.core.adopt.adopter import Adopter
from voskar.core.consequences import over_time, reach
from voskar.core.copying import Copier
from voskar.core.emitters.firing import Emitters
from voskar.core.judge import Judge
from voskar.core.judging.contact import Contact
from voskar.core.judging.memory import Memory
from voskar.core.kernel.storage import FOREVER
from voskar.core.latching import changed_since, due, latch
from voskar.core.ledger import Ledger
from voskar.core.lifecycle import starting
from voskar.core.lifecycle.goals import Goals
from voskar.core.lifecycle.renewal import Renewal
from voskar.core.lifecycle.resets import Resets
from voskar.core.lifecycle.respawn import Returns
from voskar.core.lifecycle.settle import Settling
from voskar.core.lifecycle.succession import Succession
from voskar.core.recording import Recording
from voskar.core.reflecting import hand_over
from voskar.core.rules import Rules
from voskar.core.world import World


class Observer(Protocol):
    """Looks on as frames are stepped. It changes nothing, and every frame from `next_frame` is shown to it whole."""

    def next_frame(self, frame: int) -> int:
        """The next frame, this one or later, that it wants to see."""
        ...

    def before_firing(self, stepper: Stepper) -> None:
        """All actors of the frame are there; no emitter has fired yet."""
        ...

    def before_judging(self, stepper: Stepper) -> None:
        """Everything has touched; nothing has been judged yet."""
        ...

    def judged(self, contact: Contact, outcome: str) -> None:
        """A contact and what becomes of it, before it does."""
        ...

    def after(self, stepper: Stepper) -> None:
        """The frame is over, or is one of an ended run."""
        ...


class Stepper:
    """A world, and all that acts on it; `next` is the frame that it steps through next. With `resync` it continues from
    the game's account; what that has found out is left there when it has run."""

    def __init__(
        self, rules: Rules, recording: Recording, observer: Observer | None = None, resync: Resync | None = None
    ) -> None:
        self.rules, self.observer = rules, observer
        self.world = world = World(rules, recording)
        self.next = world.recording.first
        memory = Memory()
        self.judge = Judge(world, memory)
        self.emitters = Emitters(world)
        self.goals = Goals(world)
        self.succession = Succession(world)
        self.renewal = Renewal(world, memory, self.emitters)
        self.resets = Resets(world, memory, self.judge.close, self.emitters, self.goals, self.succession)
        self.returns = Returns(world, memory, self.emitters.arm, self.resets.start_over)
        self.settling = Settling(world, self.resets, self.goals, self.tick)
        self.resync = resync
        self.adopter = (
            None if resync is None else Adopter(resync, self.judge, self.emitters, self.returns, self.settling)
        )
        for mark in world.recording.resets:
            world.visit(mark)
        for state in world.everyone():
            counting.begin(world, state)
            starting.expect(world, state)
            self.emitters.arm(state)
        self.resets.place_fixtures()
        latch(world, self.next)
        self._event_count = 0
        self.look_ahead()

    def tick(self) -> None:
        """Damage over time that is due in this frame."""
        over_time.tick(self.world, reach)

    def copy(self) -> Stepper:
        """Another stepper at the same frame, which continues by itself. An observer is copied with it."""
        made: Stepper = Copier()(self)
        return made

    def look_ahead(self) -> None:
        """Visits the frames to come that decisions are about."""
        if self.resync is not None:
            for frame in self.resync.decisions.frames_from(self.next):
                self.world.visit(frame)

    def run(self) -> Ledger:
        """Steps through the whole recording."""
        self.run_to(self.world.recording.last + 1)
        return self.close()

    def run_to(self, stop: int) -> None:
        """Steps through the frames before `stop`, at most those of the recording. With resync it stops earlier where it
        is decided that something that is past went otherwise."""
        world, kernel, observer = self.world, self.world.kernel, self.observer
        last = world.recording.last
        stop = min(stop, last + 1)
        triggers = self.emitters.triggers
        decisions = None if self.resync is None else self.resync.decisions
        frame = self.next
        while frame < stop:
            until = min(world.next_visit(frame), triggers.next_frame(), stop)
            wanted = FOREVER if observer is None else observer.next_frame(frame)
            until = min(until, wanted)
            frame = kernel.advance(frame, max(until, frame))
            if frame >= stop:
                break
            world.frame = frame
            # a touch stops the kernel inside a frame that it has begun: its mark and its motion are done
            if not kernel.begun:
                if frame in world.recording.resets:
                    self.settling.report_leavers()
                    kernel.mark = frame
                    if self.adopter is not None:
                        self.adopter.begin_again()
                    self.resets.mark(world.recording.resets[frame])
                if world.run.ended is not None:
                    frame = self._skip(frame, last)
                    continue
                kernel.begin(frame)
            self._frame(watched=frame == wanted)
            # what follows is stepped through again anyway
            if decisions is not None and decisions.back is not None:
                break
            if world.run.ended is not None:
                frame = self._skip(frame + 1, last)
            else:
                frame += 1
        self.next = frame

    def close(self) -> Ledger:
        """The recording is over: the ledger of it. With resync it may be decided now that something went otherwise."""
        world = self.world
        self.settling.report_leavers()
        if self.adopter is not None:
            world.frame = world.recording.last + 1
            self.adopter.close()
            self.resync = self.adopter.found
        self.judge.close()
        world.events.sort(key=attrgetter("frame"))  # what a reset removes was last there in the frame before
        return ledger_of(world, resynced=self.adopter is not None)

    def _frame(self, *, watched: bool) -> None:
        """The rest of a frame: its poses are in the world, and driven actors have moved."""
        world, kernel, observer, adopter = self.world, self.world.kernel, self.observer, self.adopter
        run, latches = world.run, world.catalog.conditions
        self.settling.report_leavers()
        renewed = self.renewal.renew()  # what regen would have filled in this frame was another actor's
        if run.fills or run.away:
            counting.move(world)
        thawed = run.given_back.pop(world.frame, ()) if run.given_back else ()
        for row in thawed:
            world.give_back(world.state(row))
        thawed = [*thawed, *renewed]
        if not kernel.touched:
            self.returns.bring_back()
            if adopter is not None:
                adopter.returned()
            self.succession.succeed()
            if run.starts:
                starting.give(world)
            before = (lambda: observer.before_firing(self)) if watched and observer is not None else None
            self.emitters.spawn(before)
            if adopter is not None:
                adopter.fired()
            self.settling.report_leavers()  # what moves at once may leave at once
            if latches:
                latch(world, world.frame, due(world, self._event_count) if adopter is None and not thawed else None)
                self._event_count = len(world.events)
            world.touch()
        else:
            world.find_all()
        if watched and observer is not None:
            observer.before_judging(self)
            self.judge.frame(observer.judged)
        else:
            self.judge.frame()
        if adopter is not None:
            adopter.judged()
        if run.delayed:
            self.emitters.thaw()
        self.settling.settle()
        if run.reflections:
            hand_over(world, self.judge.memory)
        if adopter is not None:
            adopter.settled()
        if latches:
            latch(world, world.frame + 1, changed_since(world, self._event_count) if adopter is None else None)
            self._event_count = len(world.events)
        if watched and observer is not None:
            observer.after(self)

    def _skip(self, frame: int, last: int) -> int:
        """The run has ended: nothing is judged until a mark. The first frame of the next run."""
        world, observer = self.world, self.observer
        mark = min((reset for reset in world.recording.resets if reset >= frame), default=last + 1)
        if observer is not None:
            while (frame := observer.next_frame(frame)) < mark:
                world.frame = frame
                world.kernel.load(frame)
                observer.after(self)
                frame += 1
        return mark


def ledger_of(world: World, *, resynced: bool = False) -> Ledger:
    """The ledger of a world, with its origin."""
    recording = world.recording
    return Ledger(
        world.events,
        world.rules.digest,
        recording.digest,
        float(recording.rate),
        recording.first,
        recording.last,
        {"reactions": recording.reactions} | ({"resync": True} if resynced else {}),
    )


LEAST, MOST = 64, 4096
"""Frames between the copies that resync makes on its way: few behind a place where it went back, for there may be more
such places near, then twice as many from copy to copy."""
PARTS, FRAMES_A_ROW = 8, 3
"""So many copies of a long recording at most; and so many frames to each actor, whose copy costs a part of a frame."""


class Played(NamedTuple):
    """A stepper that has run to the end, the ledger, and copies of the stepper on the way, far apart and in order."""

    stepper: Stepper
    ledger: Ledger
    copies: Sequence[Stepper] = ()


def replay(rules: Rules, recording: Recording, resync: Resync | None = None) -> Ledger:
    """The main door: rules and a recording in, a ledger out. With `resync` it continues from the game's account."""
    return played_out(Stepper(rules, recording, resync=resync)).ledger


def played_out(stepper: Stepper) -> Played:
    """Runs a stepper to the end of its recording. Where resync decides what became of something past, it continues from
    a copy made before that: so only that stretch is stepped through again."""
    adopter, resync, recording = stepper.adopter, stepper.resync, stepper.world.recording
    if adopter is None or resync is None or not adopter.may_go_back:
        return Played(stepper, stepper.run())
    decisions = resync.decisions
    apart = stride = max(MOST, recording.frames // PARTS, FRAMES_A_ROW * len(stepper.world.actors))
    copies: list[Stepper] = []
    recent = [stepper]
    """The first of these lies before all that may still be decided."""
    stepper = stepper.copy()
    stop = stepper.next + stride
    while True:
        stepper.run_to(stop)
        ledger = stepper.close() if stepper.next > recording.last and decisions.back is None else None
        if decisions.back is not None:
            back, decisions.back = decisions.back, None
            while len(recent) > 1 and recent[-1].next > back:
                recent.pop()
            stepper, stride = recent[-1].copy(), LEAST
            stepper.look_ahead()
            stop = max(back, stepper.next + stride)
        elif ledger is not None:
            return Played(stepper, ledger, [*copies, *recent])
        else:
            while len(recent) > 1 and recent[1].next <= stepper.next - 2 * resync.reach:
                if not copies or recent[0].next - copies[-1].next >= apart:
                    copies.append(recent[0])
                del recent[0]
            recent.append(stepper)
            stepper = stepper.copy()
            stride = min(2 * stride, apart)
            stop = stepper.next + stride
