"""Leaps that a recording does not mark as such."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator

import numpy as np

from voskar.core.recording.lingering import shorter, spans
from voskar.core.rules import Kind
from voskar.core.rules.shapes import Ints
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held

LEAST, TIMES = 8.0, 4.0
"""A leap is a step of more than so many units, of more than the actor's body, and of more than so many times the
largest other step that it makes within a second."""
MANY = 3
"""So many that leap in one frame are a formation, or a screen that scrolls: not each of them has a `cut` forgotten."""


def jumps(held: Held, compared: Collection[str]) -> Iterator[Finding]:
    """Uncut steps far beyond an actor's own pace, with no order, mark or button; in a space that wraps, the shorter
    way. The first step that it makes is none. `compared` are those whose way has been looked at otherwise."""
    recording, poses = held.recording, held.recording.poses
    if recording.reactions == "raw" or len(poses) == 0:
        return
    orders: dict[str, list[tuple[int, int]]] = {}
    for name in ("knockback", "launch", "home", "respawn", "down"):
        for event in held.ledger.of(name):
            orders.setdefault(event.id or "", []).append((event.frame, (event.until or event.frame) + 2))
    previous = poses.previous
    known = (previous >= 0) & ~poses.cut & ~poses.hidden & ~poses.hidden[previous] & ~poses.lingering
    width, height = spans(held.rules, recording)[poses.actor].T
    ways = shorter(poses.x - poses.x[previous], width), shorter(poses.y - poses.y[previous], height)
    step = np.where(known, np.hypot(*ways), np.nan)
    bodies = {name: _extent(kind) for name, kind in held.rules.kinds.items()}
    body = np.array([bodies[actor.kind] for actor in recording.actors])[poses.actor]
    earlier = np.where(previous >= 0, previous[previous], -1)
    before = np.where(earlier >= 0, step[earlier], np.nan)  # two steps before: most that fly on are sorted out by it
    with np.errstate(invalid="ignore"):
        far = np.flatnonzero((step > np.maximum(body, LEAST)) & (step > TIMES * before) & ~np.isnan(step[previous]))
    leaps = []
    for row in far.tolist():
        actor, frame = recording.actors[poses.actor[row]], int(poses.frame[row])
        if actor.id not in compared and not recording.presses(actor.id, frame - 1, frame):
            pace = _pace(ways, step, poses.frame, poses.rows_of(int(poses.actor[row])), row, round(held.recording.rate))
            if pace is not None and step[row] > TIMES * pace:
                leaps.append((row, pace))
    together = Counter(int(poses.frame[row]) for row, _ in leaps)
    for row, pace in leaps:
        actor, frame = recording.actors[poses.actor[row]], int(poses.frame[row])
        ordered = any(first <= frame <= last for first, last in orders.get(actor.id, ()))
        ordered |= held.course.courses[actor.id].is_down(frame)  # what a body does is told otherwise
        if not ordered and together[frame] < MANY:
            told = f"leaps {float(step[row]):.1f} units in {frame}, and steps {pace:.1f} at most within a second of it"
            yield of_actor("teleport", frame, actor.id, told, "nothing sends it there: mark it `cut` if it is meant")


def _pace(
    ways: tuple[np.ndarray, np.ndarray], step: np.ndarray, frames: Ints, rows: Ints, row: int, second: int
) -> float | None:
    """The largest other step of an actor within a second of a pose, but for one right beside it that leads back: that
    is a leap out and back. None if it makes no other step there."""
    frame = frames[row]
    near = rows[slice(*np.searchsorted(frames[rows], [frame - second, frame + second + 1]))]
    near = near[(near != row) & ~np.isnan(step[near])]
    both = np.hypot(ways[0][near] + ways[0][row], ways[1][near] + ways[1][row])
    others = step[near[(np.abs(frames[near] - frame) > 1) | (both > step[row] / 2)]]
    return float(others.max()) if len(others) else None


def _extent(kind: Kind) -> float:
    """How far an actor of a kind reaches across, by its largest box."""
    sizes = [0.0]
    for box in kind.boxes:
        points = np.concatenate(box.outline.parts)
        sizes.append(float(np.ptp(points, axis=0).max()) + 2 * (box.outline.radius + max(box.outline.grow, 0.0)))
    return max(sizes)
