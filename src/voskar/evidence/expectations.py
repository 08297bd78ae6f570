"""Statements about a ledger that are true or false, and for the false ones the events that were found."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.ledger import COLUMNS, Event, Ledger, written
from voskar.core.recording import Recording
from voskar.core.rules.shapes import TOLERANCE
from voskar.core.views.steps import Steps
from voskar.core.views.timeline import Timeline

_RANGE = re.compile(r"(-?\d+(?:\.\d+)?)?\s*(?:\.\.|-)\s*(-?\d+(?:\.\d+)?)?", re.ASCII)

SHOWN = 8  # frames listed of the events that were found


@dataclass(frozen=True)
class Range:
    """Numbers from `low` to `high`, both included; None: open on that side."""

    low: float | None = None
    high: float | None = None

    @classmethod
    def parse(cls, text: str) -> Range:
        """`3-5`, `3-`, `-5`; with negative numbers `-5..-3`. Raises ValueError for anything else."""
        match = _RANGE.fullmatch(text.strip())
        if match is None or not (match[1] or match[2]):
            raise ValueError(text)
        low, high = (None if item is None else float(item) for item in (match[1], match[2]))
        if low is not None and high is not None and high < low:
            raise ValueError(text)
        return cls(low, high)

    def takes(self, value: float) -> bool:
        """Whether a number lies inside."""
        return (self.low is None or value >= self.low) and (self.high is None or value <= self.high)

    def away(self, value: float) -> float:
        """How far outside a number lies, 0 inside."""
        below = 0.0 if self.low is None else self.low - value
        above = 0.0 if self.high is None else value - self.high
        return max(below, above, 0.0)

    def __str__(self) -> str:
        low, high = ("" if item is None else str(written(float(item))) for item in (self.low, self.high))
        return low if low == high else f"{low}-{high}"


@dataclass(frozen=True)
class Wanted:
    """Events of one name with these values in their columns. `event` may be an outcome: contacts with it; `down`
    is the event."""

    event: str
    columns: Mapping[str, str | Range] = field(default_factory=dict)

    def takes(self, event: Event, without: str = "") -> bool:
        """Whether an event is one of them; `without` leaves out one condition."""
        if self.event in OUTCOMES and self.event != "down":
            if event.event != "contact" or (without != "event" and event.outcome != self.event):
                return False
        elif event.event != self.event:
            return False
        return all(_fits(getattr(event, name), value) for name, value in self.columns.items() if name != without)

    def __str__(self) -> str:
        text = [f"{name} {value}" for name, value in self.columns.items()]
        return " ".join([self.event, *text])


def _fits(value: Any, wanted: str | Range) -> bool:
    if isinstance(wanted, Range):
        return isinstance(value, int | float) and wanted.takes(value)
    return bool(value == wanted)


@dataclass(frozen=True)
class Statement:
    """An expectation of events: how many, in which frames, or which others follow in order.

    `frames` is where to look. Without `count`, `at` or `then` at least one is expected.
    """

    wanted: Wanted
    line: int | None = None
    say: str = ""
    file: str = ""
    frames: Range = field(default_factory=Range)
    count: Range | None = None
    at: tuple[int, ...] | None = None
    then: tuple[Wanted, ...] = ()

    def __str__(self) -> str:
        return self.say or str(self.wanted)


@dataclass(frozen=True)
class State:
    """An expectation of an actor's health, lives or position after a frame; a position that is one number within half a
    unit."""

    id: str
    frame: int
    line: int | None = None
    say: str = ""
    file: str = ""
    health: Range | None = None
    lives: Range | None = None
    x: Range | None = None
    y: Range | None = None

    @property
    def places(self) -> bool:
        """Whether it is about a position."""
        return self.x is not None or self.y is not None

    def __str__(self) -> str:
        return self.say or f"{self.id} after {self.frame}"


@dataclass(frozen=True)
class Failure:
    """A statement that is false: its text, the expected events, and the found ones.

    `event` is one that should not be there, else the nearest miss, if there is any.
    """

    statement: str
    line: int | None
    expected: str
    found: str
    file: str = ""
    event: Event | None = None


def _failure(statement: Statement | State, expected: str, found: str, event: Event | None = None) -> Failure:
    return Failure(str(statement), statement.line, expected, found, statement.file, event)


def hold(
    statements: Sequence[Statement | State], ledger: Ledger, course: Timeline, judged: Recording | None = None
) -> list[Failure]:
    """The statements that are false, in their order. `judged` has the poses as they were judged, at least those of
    frames that a statement asks a position of."""
    found = []
    for statement in statements:
        failure = _state(statement, course, judged) if isinstance(statement, State) else _statement(statement, ledger)
        if failure is not None:
            found.append(failure)
    return found


def _statement(statement: Statement, ledger: Ledger) -> Failure | None:
    events = [event for event in ledger.events if statement.wanted.takes(event) and statement.frames.takes(event.frame)]
    frames = [event.frame for event in events]
    where = f" in {statement.frames}" if statement.frames != Range() else ""
    if statement.at is not None:
        if sorted(statement.at) == frames:
            return None
        expected = f"{statement.wanted}{where} in {_list(statement.at)}"
    elif statement.then:
        missing = _order(statement, ledger, events)
        if missing is None:
            return None
        return _failure(statement, f"{statement.wanted}, then {', then '.join(map(str, statement.then))}", *missing)
    else:
        count = statement.count or Range(1)
        if count.takes(len(events)):
            return None
        amount = "none" if count == Range(0, 0) else "at least one" if statement.count is None else str(count)
        expected = f"{amount} of {statement.wanted}{where}"
    text = f"{len(events)}: in {_list(frames)}" if events else "none"
    extra = (
        [event for event in events if event.frame not in (statement.at or ())]
        if statement.count is None
        else events[-1:]
    )
    suffix, near = _nearest(statement, ledger, frames)
    return _failure(statement, expected, text + suffix, extra[0] if extra else near)


def _order(statement: Statement, ledger: Ledger, starts: Sequence[Event]) -> tuple[str, Event | None] | None:
    """The missing part of a sequence, and its place.

    Each event is the first of its name behind the one before, in the order of the ledger.
    """
    if not starts:
        suffix, near = _nearest(statement, ledger, [])
        return f"no {statement.wanted}{suffix}", near
    place = ledger.events.index(starts[0])
    for wanted in statement.then:
        later = (index for index in range(place + 1, len(ledger.events)) if wanted.takes(ledger.events[index]))
        found = next(later, None)
        if found is None:
            return f"no {wanted} behind frame {ledger.events[place].frame}", ledger.events[place]
        place = found
    return None


def _nearest(statement: Statement, ledger: Ledger, frames: Sequence[int]) -> tuple[str, Event | None]:
    """The nearest miss: an event that all but one condition would take, in words too."""
    missed = [frame for frame in statement.at or () if frame not in frames]
    extra = [frame for frame in frames if statement.at is not None and frame not in statement.at]
    if extra and not missed:
        return f"; not expected: {_list(extra)}", None
    best: tuple[int, bool, float, str] | None = None
    nearest: Event | None = None
    expected = set(frames if statement.at is None else statement.at)
    for condition in ("", "event", *statement.wanted.columns):
        for event in ledger.events:
            if not statement.wanted.takes(event, without=condition) or (event.frame in frames and not missed):
                continue
            inside = statement.frames.takes(event.frame)
            if condition == "" and inside and event.frame in expected:
                continue
            goal = min(missed, key=lambda frame: abs(frame - event.frame)) if missed else event.frame
            apart = abs(goal - event.frame) if missed else statement.frames.away(event.frame)
            text = f"{_described(event, condition)} in {event.frame}"
            rank = (int(bool(condition)) + int(not inside), bool(condition), apart, text)
            if best is None or rank < best:
                best, nearest = rank, event
    return f"; nearest miss: {best[3]}" if best is not None else "", nearest


def _described(event: Event, condition: str) -> str:
    name = event.outcome or event.event
    value = getattr(event, condition) if condition in COLUMNS and condition != "event" else None
    return name if value is None else f"{name} with {condition} {written(value)}"


PLACE = 0.5  # units by which a position may be off a number; a range says itself how far


def _state(state: State, course: Timeline, judged: Recording | None) -> Failure | None:
    actor = course.courses.get(state.id)
    if actor is None:
        return _failure(state, f"an actor {state.id}", "no such actor")
    if not course.first <= state.frame <= course.last:
        return _failure(state, f"frame {state.frame}", f"the recording has frames {course.first} to {course.last}")
    for name in ("health", "lives"):
        wanted: Range | None = getattr(state, name)
        value = getattr(actor, name).now(state.frame)
        if wanted is not None and (value is None or not wanted.takes(value)):
            found = "none" if value is None else str(written(float(value)))
            steps: Steps = getattr(actor, name)
            fitting = [frame for frame, other in zip(steps.frames, steps.values, strict=True) if wanted.takes(other)]
            near = min(fitting, key=lambda frame: abs(frame - state.frame), default=None)
            text = "" if near is None else f"; nearest miss: {name} {written(steps.now(near))} from {near} on"
            return _failure(state, f"{name} {wanted} after frame {state.frame}", f"{name} {found}{text}")
    if not state.places:
        return None
    row = None if judged is None else judged.row(state.id, state.frame)
    for name in ("x", "y"):
        wanted = getattr(state, name)
        slack = PLACE if wanted is not None and wanted.low == wanted.high else TOLERANCE
        if wanted is not None and (row is None or wanted.away(_place(judged, name, row)) > slack):
            found = "not there" if row is None else f"{name} {written(_place(judged, name, row))}"
            return _failure(state, f"{name} {wanted} in frame {state.frame}", found)
    return None


def _place(judged: Recording | None, name: str, row: int) -> float:
    return float(getattr(judged.poses, name)[row]) if judged is not None else math.nan


def _list(frames: Sequence[int]) -> str:
    text = ", ".join(map(str, frames[:SHOWN]))
    return f"{text}, … ({len(frames)})" if len(frames) > SHOWN else text or "no frame"
