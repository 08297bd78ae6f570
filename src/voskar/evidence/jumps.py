"""Leaps that a recording does not mark as such."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator

import numpy as np

from voskar.evidence.finding import Finding, of_actor
from voskar.evidence.held import Held

LEAST, TIMES = 8.0, 4.0
"""A jump is a step of more than so many units, and so many times the steps before and after it."""
MANY = 3
"""So many that leap in one frame are a formation, or a screen that scrolls: not each of them has a `cut` forgotten."""


def jumps(held: Held, compared: Collection[str]) -> Iterator[Finding]:
    """Uncut steps far beyond those beside them, with no order, mark or wrap; `compared` are those whose way has been
    looked at otherwise."""
    recording, poses = held.recording, held.recording.poses
    if recording.reactions == "raw" or len(poses) == 0:
        return
    orders: dict[str, list[tuple[int, int]]] = {}
    for name in ("knockback", "launch", "home", "respawn", "down"):
        for event in held.ledger.of(name):
            orders.setdefault(event.id or "", []).append((event.frame, (event.until or event.frame) + 2))
    previous = poses.previous
    known = (previous >= 0) & ~poses.cut & ~poses.hidden & ~poses.hidden[previous] & ~poses.lingering
    step = np.where(known, np.hypot(poses.x - poses.x[previous], poses.y - poses.y[previous]), np.nan)
    following = np.full(len(poses), -1, dtype=np.int64)
    following[previous[previous >= 0]] = np.flatnonzero(previous >= 0)
    before, after = step[previous], np.where(following >= 0, step[following], np.nan)
    with np.errstate(invalid="ignore"):
        big = known & (step > LEAST) & (step > TIMES * before) & (step > TIMES * after)
    leaps = np.flatnonzero(big)
    together = {frame for frame, count in Counter(poses.frame[leaps].tolist()).items() if count >= MANY}
    for row in leaps.tolist():
        actor, frame = recording.actors[poses.actor[row]], int(poses.frame[row])
        kind = held.rules.kinds[actor.kind]
        ordered = any(first <= frame <= last for first, last in orders.get(actor.id, ()))
        if not ordered and actor.id not in compared and not kind.wraps and frame not in together:
            told = f"leaps {float(step[row]):.1f} units in {frame}, after steps of {float(before[row]):.1f}"
            yield of_actor("teleport", frame, actor.id, told, "nothing sends it there: mark it `cut` if it is meant")
