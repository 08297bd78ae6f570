"""How much of its past a frame needs to be judged well."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import numpy as np

from voskar.core.recording import Recording
from voskar.core.rules import Kind, Rules

FLIGHT = 4
"""Seconds that a shot without a `life` is taken to fly."""
SPARE = 1
"""Seconds more than the rules say, for what follows from each other in other ways."""


def past_of(rules: Rules, recording: Recording) -> int | None:
    """Frames after which hits and states hardly depend any more on what came before: a shot flies, it takes a life, and
    the i-frames of the return pass, all as long as the rules let them. None if something depends on all that came
    before, since no log says what became of it."""
    if any(_changes(rules, rules.kinds[fixture.kind]) for fixture in rules.fixtures):
        return None
    if not _is_logged(rules, recording):
        return None
    motions = [rules.kinds[name].motion for name in rules.spawned]
    shot = max((round(FLIGHT * rules.rate) if motion.life is None else motion.life for motion in motions), default=0)
    death = max((_death(kind) for kind in rules.kinds.values()), default=0)
    effect = max(_effects(rules), default=0)
    frozen = max(_hitstops(rules), default=0)
    # one freeze may delay the hit, another one its consequences
    return shot + death + effect + 2 * frozen + round(SPARE * rules.rate)


def _changes(rules: Rules, kind: Kind) -> bool:
    """Whether a fixture of this kind moves, may disappear, or fires."""
    motion, own = kind.motion, {box.attack for box in kind.boxes}
    moves = any((*motion.velocity, *motion.acceleration, motion.gravity, motion.spin))
    tables = [table for name in own if name for table in rules.attacks[name].tables]
    tables += [attack.target for attack in rules.attacks.values()]
    tables += [case.target for case in rules.cases if case.target is not None]
    removed = kind.health is not None or any(table.remove for table in tables)
    return moves or removed or bool(kind.emitters)


def _is_logged(rules: Rules, recording: Recording) -> bool:
    """Whether the recording shows all spawned actors, and health, lives and counters of all that have them."""
    shown = {actor.kind for actor in recording.actors}
    counters = {name for kind in shown for name in rules.kinds[kind].counters}
    # a shot that the log does not show may have been fired any time ago
    if not (rules.spawned <= shown and counters <= {*recording.counters.names}):
        return False
    poses = recording.poses
    for name in ("health", "lives"):
        logs = np.unique(poses.actor[~np.isnan(getattr(poses, name))])
        logging = {recording.actors[number].kind for number in logs}
        # without a logged value, the value depends on the whole past
        if any(getattr(rules.kinds[kind], name) is not None and kind not in logging for kind in shown):
            return False
    return True


def any_remains(recording: Recording, first: int, since: int) -> bool:
    """Whether an actor is dead in both of two frames: it may have died long before."""
    before, after = (
        recording.poses.actor[rows][recording.poses.health[rows] <= 0]
        for rows in (recording.block(frame, frame + 1) for frame in (first, since))
    )
    return bool(np.isin(before, after).any())


def _death(kind: Kind) -> int:
    """Frames from a death to the last frame in which it is felt."""
    back = kind.respawn.after + kind.respawn.iframes if kind.respawn is not None else 0
    return max(kind.down.lasts, kind.down.life_after) + back


def _effects(rules: Rules) -> Iterator[int]:
    """Frames for which something lasts that a hit or a beginning has brought."""
    for kind in rules.kinds.values():
        yield from (kind.iframes, kind.start_iframes, kind.linger)
        for counter in kind.counters.values():
            if counter.regen is not None and counter.regen.amount and counter.max is not None:
                ticks = Fraction(abs(counter.max - counter.min)) / abs(Fraction(counter.regen.amount))
                yield counter.regen.after + round(ticks * counter.regen.every)
    for attack in rules.attacks.values():
        yield attack.rehit.frames if attack.rehit is not None else 0
    for table in rules.tables:
        yield from (table.iframes or 0, table.stun)
        yield table.knockback.over if table.knockback is not None else 0
        yield table.over_time.every * table.over_time.times if table.over_time is not None else 0


def _hitstops(rules: Rules) -> Iterator[int]:
    """The frames for which hits and clashes freeze."""
    for attack in rules.attacks.values():
        yield from (attack.hitstop, attack.clash.hitstop)
    yield from (case.hitstop or 0 for case in rules.cases)
