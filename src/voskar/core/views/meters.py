"""The values of a counter in every frame: a ledger reports regen only where it ends, so it is counted here."""

from __future__ import annotations

from bisect import bisect_right
from typing import NamedTuple

from msgspec import Struct

from voskar.core.rules import CounterRule
from voskar.core.rules.decimals import changed
from voskar.core.views.steps import Span, Steps


class Base(NamedTuple):
    """A value in a frame, and the frame that regen counts from; None: it does not."""

    frame: int
    value: float
    since: int | None


class Meter(Struct):
    """One counter of one actor: its changes, in order."""

    rule: CounterRule | None = None
    bases: list[Base] = []

    def begin(self, frame: int, since: int | None) -> None:
        """A run begins: it is at its start, and regen counts from the actor's first frame in it."""
        start = 0.0 if self.rule is None else self.rule.start
        self.bases.append(Base(frame, start, since))

    def change(self, frame: int, value: float, frozen: list[Span], *, by_hit: bool = False) -> None:
        """It has another value from a frame on."""
        before = self.bases[-1]
        since = before.since
        regen = None if self.rule is None else self.rule.regen
        item = self.value(frame, frozen)
        # only a hit against the regen makes it wait again: one in its direction does not
        if by_hit and regen is not None and since is not None and (value - item) * regen.amount < 0:
            since = frame
        self.bases.append(Base(frame, value, since))

    def come_back(self, frame: int, frozen: list[Span]) -> None:
        """Its actor returns: regen counts from there."""
        before = self.bases[-1]
        if before.since is not None:
            self.bases.append(Base(frame, self.value(frame, frozen), frame))

    def value(self, frame: int, frozen: list[Span]) -> float:
        """Its value by a frame no earlier than the last change."""
        return self._value(self.bases[-1], frame, frozen)

    def _ticks(self, since: int, frame: int, frozen: list[Span]) -> int:
        if self.rule is None or self.rule.regen is None:
            return 0
        return self.rule.regen.ticks(frame - since - frames_in(frozen, since, frame))

    def _value(self, base: Base, frame: int, frozen: list[Span]) -> float:
        if base.since is None or self.rule is None or self.rule.regen is None:
            return base.value
        # ticks up to now less those before the last change: the phase goes on through changes
        ticks = self._ticks(base.since, frame, frozen) - self._ticks(base.since, base.frame, frozen)
        return self.rule.within(changed(base.value, self.rule.regen.amount, ticks))

    def steps(self, last: int, frozen: list[Span]) -> Steps:
        """Its values up to a frame; `frozen` are the frames that do not count for its actor."""
        found = Steps()
        for place, base in enumerate(self.bases):
            found.put(base.frame, base.value)
            until = self.bases[place + 1].frame if place + 1 < len(self.bases) else last + 1
            regen = None if self.rule is None else self.rule.regen
            if self.rule is None or regen is None or base.since is None:
                continue
            ticks, value = self._ticks(base.since, base.frame, frozen), base.value
            # at its goal it stays, and no further steps are needed
            while value != self.rule.goal:
                ticks += 1
                frame = frame_after(frozen, base.since, regen.elapsed(ticks))
                if frame >= until:
                    break
                value = self.rule.within(changed(value, regen.amount, 1))
                found.put(frame, value)
        return found


def frames_in(spans: list[Span], first: int, last: int) -> int:
    """How many frames behind one, up to another, lie in some spans."""
    return sum(max(min(span.last, last) - max(span.first, first + 1) + 1, 0) for span in spans)


def frame_after(frozen: list[Span], since: int, elapsed: int) -> int:
    """The frame that is so many after another, those left out that are frozen."""
    frame = since + elapsed
    # spans that ended before do not matter
    for span in frozen[bisect_right(frozen, since, key=lambda stretch: stretch.last) :]:
        if span.first > frame:
            break
        frame += span.last - max(span.first, since + 1) + 1
    return frame
