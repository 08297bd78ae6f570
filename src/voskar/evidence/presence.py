"""Actors that the game shows although they are consumed or out, and actors that it should show but does not."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from voskar.core.views.meters import frame_after
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held, span_words
from voskar.evidence.lives import is_last, lasting_words


def presence(held: Held) -> Iterator[Finding]:
    """Poses in play of actors that are consumed or out; bodies that are gone too early; returns that are due and not
    seen."""
    # a raw recording does not show what hits do
    if held.recording.reactions == "raw":
        return
    for event in held.ledger.of("removed"):
        number = held.recording.numbers.get(event.id or "")
        if number is not None and event.detail == "consumed":
            yield from _goes_on(held, event.id or "", event.frame, f"consumed in {event.frame}")
    for event in held.of("out"):
        if event.id in held.recording.numbers:
            yield from _goes_on(held, event.id or "", event.frame, f"out since {event.frame}")
    for event in held.ledger.of("down"):
        if event.id in held.recording.numbers:
            yield from _gone(held, event.id or "", event.frame)
            yield from _back(held, event.id or "", event.frame)


def _rows(held: Held, name: str, first: int, last: int) -> np.ndarray:
    """Its logged poses in some frames."""
    poses = held.recording.poses
    rows = poses.between(held.recording.numbers[name], first, last)
    return rows[~poses.lingering[rows]]


def _goes_on(held: Held, name: str, since: int, rule: str) -> Iterator[Finding]:
    """Shown in play beyond a frame, without a break."""
    poses = held.recording.poses
    rows = _rows(held, name, since + 1, held.marks_after(since) - 1)
    frames = poses.frame[rows]
    # only an unbroken stretch is the same appearance; a later one may be another actor of a pool
    unbroken = rows[(frames - since - 1) == np.arange(len(frames))]
    seen = unbroken[~poses.hidden[unbroken]]
    late = seen[poses.frame[seen] > since + held.within("poses")]
    if len(late) and (poses.frame[seen[0]] <= since + 1 + held.within("poses")):
        first, last = int(poses.frame[seen[0]]), int(poses.frame[seen[-1]])
        count = last - first + 1
        text = f"is still in play {span_words(first, last, held.recording.last)}, for {count} frame{'s' * (count > 1)}"
        yield of_actor("still-active", first, name, text, rule)


def _gone(held: Held, name: str, since: int) -> Iterator[Finding]:
    """A body should be visible for as long as it lasts, unless it is hidden at once or back before."""
    course = held.course.courses[name]
    kind = course.kind
    if not kind.down.lasts or kind.down.hide:
        return
    back = next((event.frame for event in course.returns if event.frame > since), None)
    ends = course.after(since, kind.down.lasts)
    # a mark or a return ends the body early
    out = next((frame for frame in course.outs if frame > since), ends)  # an actor that is out may be gone
    until = min(ends, out, held.marks_after(since) - 1, *([] if back is None else [back - 1]))
    poses = held.recording.poses
    rows = _rows(held, name, since + 1, until)
    seen = set(poses.frame[rows[~poses.hidden[rows]]].tolist())
    missing = next((frame for frame in range(since + 1, until + 1) if frame not in seen), None)
    # games that take bodies away late or early by their `linger` are right
    early = max(held.within("poses"), kind.linger)
    if missing is not None and missing <= until - early:
        shown = missing - since - 1
        lasting = lasting_words(kind.down.lasts, ends - since)
        text = f"is gone in {missing}, after {shown} of {lasting}"
        yield of_actor("down-short", missing, name, text, f"down since {since}, and seen for {lasting}")


def _back(held: Held, name: str, since: int) -> Iterator[Finding]:
    """Due back by a clock alone, and not seen there."""
    course = held.course.courses[name]
    kind, respawn = course.kind, course.kind.respawn
    # nothing but a clock says when it is due; all else is found by claims
    if respawn is None or respawn.needs is not None or kind.succession:
        return
    down = next((span for span in course.down if span.first == since + 1), None)
    held_up = any(since < span.first for span in course.waiting if span.first <= (down.last + 1 if down else since))
    last = any(is_last(course, event) for event in held.ledger.about(name, "down") if event.frame == since)
    consumed = any(event.frame == since and event.detail == "consumed" for event in held.ledger.about(name, "removed"))
    if held_up or last or consumed:
        return
    due = frame_after(held.frozen(name), since, max(respawn.after, 1))
    # an actor that comes back in the last frame of a run is not seen
    if due >= held.marks_after(since) or held.ended_before(due) is not None or held.ended_before(due + 1) is not None:
        return
    poses = held.recording.poses
    rows = _rows(held, name, due, held.marks_after(since) - 1)
    seen = poses.frame[rows[~poses.hidden[rows]]]
    first = int(seen[0]) if len(seen) else None
    if first is not None and first <= due + held.within("poses"):
        return
    row = held.recording.row(name, due)
    if row is not None and poses.hidden[row]:
        return  # the row of lives reports bodies that stay hidden
    text = "is never back" if first is None else f"is back in {first}, {first - due} frames late"
    yield of_actor("respawn-late", due, name, f"has no pose in {due}, and {text}", f"down since {since}, back in {due}")
