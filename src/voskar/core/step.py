"""The loop: frame after frame, in the order of docs/frame.md.

    mark → move → return → spawn → touch → judge → settle

Nothing is foretold. The kernel runs whole frames by itself while nothing happens in them (`Kernel.advance`); it stops
where something touches or leaves, and in every frame in which something is due (`World.visit`, triggers of emitters).
"""

from __future__ import annotations

from operator import attrgetter
from typing import Protocol

from voskar.core.emitters.firing import Emitters
from voskar.core.judging.contact import Contact
from voskar.core.judging.judge import Judge
from voskar.core.judging.memory import Memory
from voskar.core.ledger import Ledger
from voskar.core.lifecycle.goals import Goals
from voskar.core.lifecycle.resets import Resets
from voskar.core.lifecycle.respawn import Returns
from voskar.core.lifecycle.settle import Settling
from voskar.core.lifecycle.succession import Succession
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.world import World


class Observer(Protocol):
    """Looks on as frames are stepped. It changes nothing, and every frame from `next_frame` is shown to it whole."""

    def next_frame(self, frame: int) -> int:
        """The next frame, this one or later, that it wants to see."""
        ...

    def before_firing(self, stepper: Stepper) -> None:
        """Who is there is there; no emitter has fired yet."""
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
    """A world, and all that acts on it."""

    def __init__(self, rules: Rules, recording: Recording, observer: Observer | None = None) -> None:
        self.rules, self.observer = rules, observer
        self.world = world = World(rules, recording)
        self.judge = Judge(world, Memory())
        self.emitters = Emitters(world)
        self.goals = Goals(world)
        self.succession = Succession(world)
        self.resets = Resets(world, self.judge, self.emitters, self.goals, self.succession)
        self.returns = Returns(self.judge, self.emitters.arm, self.resets.start_over)
        self.settling = Settling(world, self.resets, self.goals)
        for mark in world.recording.resets:
            world.visit(mark)
        for state in world.everyone():
            self.emitters.arm(state)
        self.resets.place_fixtures()

    def run(self) -> Ledger:
        """Steps through the whole recording."""
        world, kernel, observer = self.world, self.world.kernel, self.observer
        last = world.recording.last
        triggers = self.emitters.triggers
        frame = world.recording.first
        while frame <= last:
            until = min(world.next_visit(frame), triggers.next_frame(), last + 1)
            if observer is not None:
                until = min(until, observer.next_frame(frame))
            frame = kernel.advance(frame, max(until, frame))
            if frame > last:
                break
            world.frame = frame
            if not kernel.begun:
                if frame in world.recording.resets:
                    self.settling.tell_who_left()
                    kernel.mark = frame
                    self.resets.mark(world.recording.resets[frame])
                if world.run.ended is not None:
                    frame = self._skip(frame, last)
                    continue
                kernel.begin(frame)
            self._frame()
            if world.run.ended is not None:
                frame = self._skip(frame + 1, last)
            else:
                frame += 1
        self.settling.tell_who_left()
        self.judge.close()
        world.events.sort(key=attrgetter("frame"))  # what a reset removes was last there in the frame before
        return ledger_of(world)

    def _frame(self) -> None:
        """The rest of a frame: its poses are in the world, and what is driven has moved."""
        world, kernel, observer = self.world, self.world.kernel, self.observer
        self.settling.tell_who_left()
        watched = observer is not None and observer.next_frame(world.frame) == world.frame
        if not kernel.touched:
            # what resync takes over of presence and returns belongs here, of spawns behind it
            self.returns.bring_back()
            self.succession.succeed()
            before = (lambda: observer.before_firing(self)) if watched and observer is not None else None
            self.emitters.spawn(before)
            self.settling.tell_who_left()  # what moves at once may leave at once
            world.touch()
        else:
            world.find_all()
        if watched and observer is not None:
            observer.before_judging(self)
            self.judge.frame(observer.judged)
        else:
            self.judge.frame()
        self.settling.settle()
        if watched and observer is not None:
            observer.after(self)

    def _skip(self, frame: int, last: int) -> int:
        """The run has ended: nothing is judged until a mark. The first frame of the next run."""
        world, observer = self.world, self.observer
        mark = min((one for one in world.recording.resets if one >= frame), default=last + 1)
        if observer is not None:
            while (frame := observer.next_frame(frame)) < mark:
                world.frame = frame
                world.kernel.load(frame)
                observer.after(self)
                frame += 1
        return mark


def ledger_of(world: World) -> Ledger:
    """What has been written, with what it came from."""
    recording = world.recording
    return Ledger(
        world.events,
        world.rules.digest,
        recording.digest,
        float(recording.rate),
        recording.first,
        recording.last,
        {"reactions": recording.reactions},
    )


def replay(rules: Rules, recording: Recording) -> Ledger:
    """The main door: rules and a recording in, a ledger out."""
    return Stepper(rules, recording).run()
