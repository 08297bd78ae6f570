"""Leaps that a recording does not mark as such."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator
from typing import NamedTuple

import numpy as np

from voskar.core.recording.lingering import shorter, spans
from voskar.core.recording.poses import Poses
from voskar.core.rules import Kind
from voskar.core.rules.shapes import Floats, Ints
from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held

LEAST, TIMES = 8.0, 4.0
"""A leap is a step of more than so many units, of more than the actor's body, and of more than so many times the
largest other step that it makes within a second."""
AT_ONCE = 1 << 20
"""Poses that are compared together; bounds memory."""
MANY = 3
"""So many that leap in one frame are a formation, or a screen that scrolls: not each of them has a `cut` forgotten."""


def jumps(held: Held, compared: Collection[str]) -> Iterator[Finding]:
    """Uncut steps far beyond an actor's own pace, with no order, mark or button; in a space that wraps, the shorter
    way. The first step that it makes is none. `compared` are those whose way has been looked at otherwise."""
    recording, poses = held.recording, held.recording.poses
    if recording.reactions == "raw" or len(poses) == 0:
        return
    orders: dict[str, list[tuple[int, int]]] = {}
    for name in ("knockback", "launch", "reflect", "home", "respawn", "down"):
        for event in held.ledger.of(name):
            orders.setdefault(event.id or "", []).append((event.frame, held.last_of(event) + 2))
    across = spans(held.rules, recording)
    bodies = {name: max(_extent(kind), LEAST) for name, kind in held.rules.kinds.items()}
    least = np.array([bodies[actor.kind] for actor in recording.actors])
    leaps = []
    for rows in poses.pieces(AT_ONCE):
        steps = _steps_of(poses, rows, across)
        for row, place in _far(poses, rows, steps.length, least):
            actor, frame = recording.actors[poses.actor[row]], int(poses.frame[row])
            # a button may be a dash or a teleport
            if actor.id not in compared and not recording.inputs.presses(actor.id, frame - 1, frame):
                pace = _pace(steps, poses, rows, place, round(held.recording.rate))
                if pace is not None and steps.length[place] > TIMES * pace:
                    leaps.append((row, float(steps.length[place]), pace))
    # in the order of rows, which is that of frames
    leaps.sort()
    together = Counter(int(poses.frame[row]) for row, *_ in leaps)
    for row, length, pace in leaps:
        actor, frame = recording.actors[poses.actor[row]], int(poses.frame[row])
        ordered = any(first <= frame <= last for first, last in orders.get(actor.id, ()))
        ordered |= held.course.courses[actor.id].is_down(frame)  # the row of lives compares what a body does
        if not ordered and together[frame] < MANY:
            text = f"leaps {length:.1f} units in {frame}, and steps {pace:.1f} at most within a second of it"
            yield of_actor("teleport", frame, actor.id, text, "nothing sends it there: mark it `cut` if it is meant")


class _Strides(NamedTuple):
    """Ways (n,) from the pose before, and how long each is: NaN where there is none to compare."""

    x: Floats
    y: Floats
    length: Floats


def _steps_of(poses: Poses, rows: Ints, across: Floats) -> _Strides:
    previous = poses.previous[rows]
    known = (previous >= 0) & ~poses.cut[rows] & ~poses.hidden[rows] & ~poses.hidden[previous] & ~poses.lingering[rows]
    width, height = across[poses.actor[rows]].T
    ways = shorter(poses.x[rows] - poses.x[previous], width), shorter(poses.y[rows] - poses.y[previous], height)
    return _Strides(*ways, np.where(known, np.hypot(*ways), np.nan))


def _far(poses: Poses, rows: Ints, length: Floats, least: Floats) -> list[tuple[int, int]]:
    """Steps that may be leaps: their rows, and their places among some rows, which are by actor and frame."""
    linked = poses.previous[rows] >= 0
    values = np.where(linked, np.roll(length, 1), np.nan)
    two = np.where(linked & np.roll(linked, 1), np.roll(length, 2), np.nan)  # most that fly on are sorted out by it
    with np.errstate(invalid="ignore"):
        far = np.flatnonzero((length > least[poses.actor[rows]]) & (length > TIMES * two) & ~np.isnan(values))
    return list(zip(rows[far].tolist(), far.tolist(), strict=True))


def _pace(steps: _Strides, poses: Poses, rows: Ints, place: int, second: int) -> float | None:
    """The largest other step of an actor within a second of a pose, but for one right next to it that leads back: that
    is a leap out and back. None if it makes no other step there."""
    around = np.arange(max(place - second, 0), min(place + second + 1, len(rows)))
    apart = np.abs(poses.frame[rows[around]] - poses.frame[rows[place]])
    mine = poses.actor[rows[around]] == poses.actor[rows[place]]
    is_near = mine & (apart <= second) & (around != place) & ~np.isnan(steps.length[around])
    near, apart = around[is_near], apart[is_near]
    both = np.hypot(steps.x[near] + steps.x[place], steps.y[near] + steps.y[place])
    others = steps.length[near[(apart > 1) | (both > steps.length[place] / 2)]]
    return float(others.max()) if len(others) else None


def _extent(kind: Kind) -> float:
    """How far an actor of a kind reaches across, by its largest box."""
    sizes = [0.0]
    for box in kind.boxes:
        points = np.concatenate(box.outline.parts)
        sizes.append(float(np.ptp(points, axis=0).max()) + 2 * (box.outline.radius + max(box.outline.grow, 0.0)))
    return max(sizes)
