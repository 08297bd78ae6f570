"""How one actor stands in a frame: health, lives, i-frames, down, and the events that brought it there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Literal

from voskar.core.ledger import Event, Ledger, written
from voskar.core.recording import Recording
from voskar.core.timeline import Course, Span, Timeline


def standing(course: Timeline, ledger: Ledger, judged: Recording, name: str, frame: int) -> list[tuple[str, str]]:
    """(topic, sentence) of everything that rules know of an actor after a frame, then what befell it in that frame.

    `judged` has the poses of that frame as they were judged. Raises KeyError for an actor that never was there.
    """
    one = course.courses[name]
    there = _in(one.present, frame)
    lines = [
        ("present", f"from {there.first} to {there.last}" if there else f"not in this frame{_nearest(one, frame)}")
    ]
    row = judged.row(name, frame)
    if row is not None:
        lines.append(("place", f"({plain_number(judged.poses.x[row])}, {plain_number(judged.poses.y[row])})"))
    for topic in ("health", "lives"):
        value = getattr(one, topic).now(frame)
        if value is not None:
            lines.append((topic, f"{plain_number(value)}: {last_change(one, topic, frame)}"))
    immune = _in(one.immune, frame)
    if immune is not None:
        left = immune.last - frame + 1
        lines.append(
            ("immune", f"{immune.first} to {immune.last}, from {immune.cause}: {left} left, this one included")
        )
    stunned = _in(one.stunned, frame)
    if stunned is not None:
        lines.append(("stunned", f"{stunned.first} to {stunned.last}, by {stunned.cause}"))
    fallen = _in(one.down, frame)
    if fallen is not None:
        lines.append(("down", f"since {fallen.first - 1}, by {fallen.cause}; {_way_back(one, frame)}"))
    held = _in(one.waiting, frame)
    if held is not None:
        lines.append(("held", f"since {held.first}: {held.cause} would meet it where it comes back"))
    lines += [("in this frame", text) for text in befell(ledger, name, frame)]
    return lines


def befell(ledger: Ledger, name: str, frame: int) -> Iterator[str]:
    """What a frame does to one actor, and the blows it deals and takes, in the order in which they come about."""
    for event in ledger.events:
        if event.frame == frame and name in (event.id, event.striker, event.target, event.owner):
            yield words(event)


def words(event: Event) -> str:
    """An event of one actor in words, without its frame."""
    by = f" by {event.by}" if event.by else ""
    match event.event:
        case "contact":
            boxes = f"{event.hitbox} on {event.hurtbox}"
            told = f", damage {plain_number(event.damage)}" if event.damage is not None else ""
            return f"{event.striker} on {event.target}: {boxes}, {event.outcome}{told}"
        case "health":
            return f"{event.id}: health {plain_number(event.before)} → {plain_number(event.after)}{by}"
        case "iframes":
            return f"{event.id}: i-frames to {event.until}, from {event.cause}"
        case "stun":
            return f"{event.id}: stunned to {event.until}{by}"
        case "knockback":
            return f"{event.id}: pushed by ({plain_number(event.dx)}, {plain_number(event.dy)}) to {event.until}{by}"
        case "rebound":
            return f"{event.id}: sent off at ({plain_number(event.vx)}, {plain_number(event.vy)}) a second{by}"
        case "spawn":
            source = f" by {event.owner or ''}{'/' + event.emitter if event.emitter else ''}" if event.owner else ""
            return f"{event.id}: spawned at ({plain_number(event.x)}, {plain_number(event.y)}){source}"
        case "home" | "respawn" | "checkpoint":
            return f"{event.id}: {event.event} at ({plain_number(event.x)}, {plain_number(event.y)})"
        case "down":
            left = f", {plain_number(event.lives)} lives left" if event.lives is not None else ""
            return f"{event.id}: down{by}{left}"
        case "respawn_held":
            return f"{event.id}: return held, {event.detail} is in the way"
        case "denied":
            return f"{event.id}: {event.emitter} fires nothing, {event.detail}"
    return f"{event.id}: {event.event}" + (f", {event.detail}" if event.detail else "")


def last_change(course: Course, column: Literal["health", "lives"] | str, frame: int) -> str:
    """The last event that explains a value, in words."""
    wanted = {"health": ("health", "down", "respawn", "reset"), "lives": ("down", "respawn", "reset")}[column]
    past = [event for event in course.changes if event.event in wanted and event.frame <= frame]
    if column == "lives" and not (course.kind.respawn and course.kind.respawn.resets == "run"):
        # its own return gives it no life
        past = [event for event in past if event.event != "respawn" or event.detail or event.id != course.actor.id]
    if not past:
        return "nothing has changed it yet"
    event = past[-1]
    if event.event == "health":
        change = (event.after or 0.0) - (event.before or 0.0)
        return f"{event.by} {'took' if change < 0 else 'gave'} {plain_number(abs(change))} in {event.frame}"
    if event.event == "down":
        return f"down in {event.frame}, by {event.by}"
    if event.event == "reset":
        return f"the {event.detail} began again in {event.frame}"
    if event.detail:
        return f"took the place of {event.detail} in {event.frame}"
    return f"{'back' if event.id == course.actor.id else f'the return of {event.id}'} in {event.frame}"


def _in(spans: Sequence[Span], frame: int) -> Span | None:
    return next((span for span in reversed(spans) if span.first <= frame <= span.last), None)


def _nearest(course: Course, frame: int) -> str:
    if not course.present:
        return ""
    span = min(course.present, key=lambda one: min(abs(one.first - frame), abs(one.last - frame)))
    return f": it was there from {span.first} to {span.last}"


def _way_back(course: Course, frame: int) -> str:
    back = next((event for event in course.returns if event.frame > frame), None)
    if back is not None:
        return f"back in {back.frame} at ({plain_number(back.x)}, {plain_number(back.y)})"
    return "out for good" if any(out <= frame for out in course.outs) else "it does not come back"


def plain_number(value: float | None) -> str:
    """A number as ledgers write it, in words for None."""
    return "none" if value is None else str(written(float(value)))
