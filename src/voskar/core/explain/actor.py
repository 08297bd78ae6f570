"""The state of one actor in a frame: health, lives, i-frames, down, and the events that led to it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from voskar.core.ledger import Ledger
from voskar.core.ledger.event import number
from voskar.core.ledger.events import (
    COUNTER,
    AdoptedEvent,
    CounterEvent,
    DownEvent,
    HealthEvent,
    LifeEvent,
    RespawnEvent,
)
from voskar.core.recording import Recording
from voskar.core.views.course import Change, Course, ResetMark
from voskar.core.views.steps import Span
from voskar.core.views.timeline import Timeline


def standing(course: Timeline, ledger: Ledger, judged: Recording, name: str, frame: int) -> list[tuple[str, str]]:
    """(topic, sentence) of everything that rules know of an actor after a frame, then what happened to it in that
    frame.

    `judged` has the poses of that frame as they were judged. Raises KeyError for an actor that never was there.
    """
    timeline = course.courses[name]
    there = _in(timeline.present, frame)
    lines = [
        ("present", f"from {there.first} to {there.last}" if there else f"not in this frame{_nearest(timeline, frame)}")
    ]
    row = judged.row(name, frame)
    if row is not None:
        lines.append(("place", f"({number(judged.poses.x[row])}, {number(judged.poses.y[row])})"))
    for topic in ("health", "lives"):
        value = getattr(timeline, topic).now(frame)
        if value is not None:
            lines.append((topic, f"{number(value)}: {last_change(timeline, topic, frame, taken_over=True)}"))
    immune = _in(timeline.immune, frame)
    if immune is not None:
        left = immune.last - frame + 1
        lines.append(
            ("immune", f"{immune.first} to {immune.last}, from {immune.cause}: {left} left, this one included")
        )
    stunned = _in(timeline.stunned, frame)
    if stunned is not None:
        lines.append(("stunned", f"{stunned.first} to {stunned.last}, by {stunned.cause}"))
    fallen = _in(timeline.down, frame)
    if fallen is not None:
        lines.append(("down", f"since {fallen.first - 1}, by {fallen.cause}; {_way_back(timeline, frame)}"))
    held = _in(timeline.waiting, frame)
    if held is not None:
        lines.append(("held", f"since {held.first}: {held.cause} would meet it where it comes back"))
    lines += [("in this frame", text) for text in befell(ledger, name, frame)]
    return lines


def befell(ledger: Ledger, name: str, frame: int) -> Iterator[str]:
    """The events of a frame for one actor, with the hits that it deals and takes, in the order in which they happen."""
    for event in ledger.events:
        if event.frame == frame and name in (event.id, event.attacker, event.target, event.owner):
            yield event.words()


def last_change(course: Course, column: str, frame: int, *, taken_over: bool = False) -> str:
    """The last event that explains a value, in words: one of the rules' own, unless what was `taken_over` counts."""
    types: dict[str, tuple[type[Change], ...]] = {
        "health": (HealthEvent, DownEvent, RespawnEvent, ResetMark),
        "lives": (LifeEvent, DownEvent, RespawnEvent, ResetMark),
    }
    counter = column.removeprefix(COUNTER) if column.startswith(COUNTER) else None
    past = [
        change
        for change in course.changes
        if change.frame <= frame
        and isinstance(change, types.get(column, (CounterEvent, ResetMark)))
        and (counter is None or not isinstance(change, CounterEvent) or change.counter == counter)
    ]
    taken = [
        change
        for change in course.changes
        if isinstance(change, AdoptedEvent) and change.detail == column and change.frame <= frame
    ]
    if taken_over and taken and (not past or past[-1].frame <= taken[-1].frame):
        return f"as the game has it, since {taken[-1].frame}"
    if column == "lives" and not (course.kind.respawn and course.kind.respawn.resets == "run"):
        # its own return gives it no life
        if course.kind.down.life_after:
            past = [event for event in past if not isinstance(event, DownEvent)]
        past = [
            event
            for event in past
            if not isinstance(event, RespawnEvent) or event.detail or event.id != course.actor.id
        ]
    if not past:
        return "nothing has changed it yet"
    match past[-1]:
        case HealthEvent(before=before, after=after, by=by, frame=at):
            return f"{by} {'took' if after < before else 'gave'} {number(abs(after - before))} in {at}"
        case CounterEvent(before=before, after=after, by=by, frame=at):
            return f"{by or 'itself'} changed it by {number(after - before)} in {at}"
        case LifeEvent(frame=at, by=str() as by):
            return f"lives by {by} in {at}"
        case LifeEvent(frame=at):
            return f"a life taken in {at}"
        case DownEvent(by=by, frame=at):
            return f"down in {at}, by {by}"
        case ResetMark(what="another", frame=at):
            return f"its id is used again from {at} on"
        case ResetMark(what=what, frame=at):
            return f"the {what} began again in {at}"
        case RespawnEvent(detail=str() as former, frame=at):
            return f"took the place of {former} in {at}"
        case other:
            back = (
                "back"
                if isinstance(other, RespawnEvent) and other.id == course.actor.id
                else f"the return of {other.id}"
            )
            return f"{back} in {other.frame}"


def _in(spans: Sequence[Span], frame: int) -> Span | None:
    return next((span for span in reversed(spans) if span.first <= frame <= span.last), None)


def _nearest(course: Course, frame: int) -> str:
    if not course.present:
        return ""
    span = min(course.present, key=lambda stretch: min(abs(stretch.first - frame), abs(stretch.last - frame)))
    return f": it was there from {span.first} to {span.last}"


def _way_back(course: Course, frame: int) -> str:
    back = next((event for event in course.returns if event.frame > frame), None)
    if back is not None:
        return f"back in {back.frame} at ({number(back.x)}, {number(back.y)})"
    if any(out <= frame for out in course.outs):
        return "out for good"
    out = min((out for out in course.outs if out > frame), default=None)
    return "it does not come back" + ("" if out is None else f", and is out in {out}")
