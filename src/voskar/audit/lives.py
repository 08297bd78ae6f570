"""Checks of health, death, lives and coming back."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from voskar.audit.findings import Case, Check, Finding, KeyPath
from voskar.core.placing import Cast, Wardrobe, place
from voskar.core.recording import Poses
from voskar.core.rules import Attack, Kind
from voskar.core.rules_life import Respawn
from voskar.core.touching import find_touches

REACH = 2.0
"""How near an enemy's reach may be to a place of return without i-frames, in sizes of who returns there."""

Stand = tuple[str, float, float, float, float]
"""Kind, x, y, facing, angle."""


def _blows(case: Case, kind: Kind) -> Iterator[tuple[Kind, Attack, float]]:
    """Every attack of another kind that can land on a kind, and the least damage it does there."""
    wardrobe = case.wardrobe
    for striker, box, _ in case.boxes("hitbox"):
        attack = case.rules.attacks[box.attack or ""]
        if striker.side is not None and striker.side == kind.side and not attack.friendly:
            continue
        number = next(one.number for one in wardrobe.by_kind[striker.name] if one.box is box)
        scales = [one.box.damage_scale for one in wardrobe.by_kind[kind.name] if wardrobe.meets[number, one.number]]
        if scales:
            yield striker, attack, attack.damage * min(scales)


def _returning(case: Case) -> Iterator[tuple[Kind, Respawn, KeyPath]]:
    for kind in case.rules.kinds.values():
        if kind.respawn is not None and kind.health is not None:
            yield kind, kind.respawn, ("kinds", kind.name, "respawn")


def _standing(case: Case) -> list[tuple[str, Stand, bool]]:
    """Where everyone is at the start: id, where, and whether it stays there for ever."""
    found = []
    for fixture in case.rules.fixtures:
        motion = case.rules.kinds[fixture.kind].motion
        moves = any(motion.velocity if fixture.velocity is None else fixture.velocity) or any(motion.acceleration)
        moves |= bool(motion.gravity and case.rules.space.gravity) or bool(motion.spin) or motion.life is not None
        stand = (fixture.kind, *fixture.at, float(fixture.facing), fixture.angle)
        found.append((fixture.id, stand, not moves))
    played = case.recording
    for number, actor in enumerate(played.actors if played is not None else ()):
        assert played is not None
        row = int(played.poses.rows_of(number)[0])
        columns = (played.poses.x, played.poses.y, played.poses.facing, played.poses.angle)
        x, y, facing, angle = (float(column[row]) for column in columns)
        found.append((actor.id, (actor.kind, x, y, facing, angle), False))
    return found


def _places(case: Case, kind: Kind, respawn: Respawn) -> list[Stand]:
    """Where actors of a kind come back, as far as that is known before they do."""
    if isinstance(respawn.at, tuple):
        return [(kind.name, *respawn.at, 1.0, 0.0)]
    starts = [stand for _, stand, _ in _standing(case) if stand[0] == kind.name]
    return starts if respawn.at in ("start", "checkpoint") else []


def _poses(wardrobe: Wardrobe, stands: Sequence[Stand]) -> tuple[Poses, Cast]:
    """One frame of actors that stand somewhere, without a clip."""
    count = len(stands)
    x, y, facing, angle = (np.array([stand[column] for stand in stands]) for column in (1, 2, 3, 4))
    none, never, nan = np.full(count, -1), np.zeros(count, dtype=np.bool_), np.full(count, np.nan)
    zero, one = np.zeros(count, dtype=np.int64), np.ones(count)
    poses = Poses(
        frame=zero, actor=np.arange(count), x=x, y=y, facing=facing, angle=angle, scale=one, clip=none, tick=none,
        cell=none, vx=nan, vy=nan, health=nan, lives=nan, cut=never, hidden=never, lingering=never,
    )  # fmt: skip
    kinds = np.array([wardrobe.kinds.index(stand[0]) for stand in stands], dtype=np.int64)
    return poses, Cast(kinds, none, never, ())


def _met(case: Case, kind: Kind, where: Stand) -> Iterator[tuple[str, bool]]:
    """Whose harmful hitbox, where it starts, meets one that stands somewhere, and whether it stays there."""
    others = [one for one in _standing(case) if one[1] != where]
    if not others:
        return
    poses, cast = _poses(case.wardrobe, [where, *(stand for _, stand, _ in others)])
    touches = find_touches(poses, cast, case.wardrobe, 0, np.array([0]))
    for row in np.flatnonzero(touches.target == 0).tolist():
        name, stand, stays = others[int(touches.striker[row]) - 1]
        attack = case.rules.attacks[case.wardrobe.fitted[int(touches.hitbox[row])].box.attack or ""]
        side = case.rules.kinds[stand[0]].side
        if attack.harms and (side is None or side != kind.side or attack.friendly):
            yield name, stays


def respawn_hazard(case: Case) -> Iterator[Finding]:
    """A place of return inside a hazard or where an enemy starts; one that is never free cannot be waited for."""
    for kind, respawn, where in _returning(case):
        for stand in _places(case, kind, respawn):
            met = sorted(set(_met(case, kind, stand)))
            place_of = f"({stand[1]:g}, {stand[2]:g})"
            for name, stays in met[:1]:
                if respawn.waits and stays:
                    reason = f"it waits until {place_of} is safe, and {name} stands there for ever: it never comes back"
                    remedy = 'move one of them, or if_unsafe = "appear"'
                    yield case.finding("respawn-hazard", (*where, "if_unsafe"), reason, remedy)
                elif not respawn.waits:
                    reason = f"{kind.name} comes back at {place_of}, where {name} meets it at once"
                    remedy = 'move one of them, or if_unsafe = "wait"'
                    yield case.finding("respawn-hazard", (*where, "at"), reason, remedy)


def wait_idle(case: Case) -> Iterator[Finding]:
    """A wait for a safe place, though nothing can ever make it unsafe."""
    for kind, respawn, where in _returning(case):
        if respawn.waits and not any(attack.harms for _, attack, _ in _blows(case, kind)):
            reason = f"no hitbox can do {kind.name} any harm, so that its place is always safe"
            yield case.finding("wait-idle", (*where, "if_unsafe"), reason, "leave out if_unsafe, or check the masks")


def respawn_naked(case: Case) -> Iterator[Finding]:
    """No i-frames after a return, with the reach of an enemy near."""
    for kind, respawn, where in _returning(case):
        if respawn.iframes:
            continue
        for stand in _places(case, kind, respawn):
            others = [one for one in _standing(case) if one[1] != stand]
            near = _nearest(case, kind, stand, others)
            if near is not None:
                name, gap = near
                reason = f"{kind.name} comes back without i-frames, and the reach of {name} begins {gap:.0f} units away"
                yield case.finding("respawn-naked", where, reason, 'give it i-frames: iframes = "60f"')
                break


def _nearest(
    case: Case, kind: Kind, stand: Stand, others: Sequence[tuple[str, Stand, bool]]
) -> tuple[str, float] | None:
    """The nearest enemy whose hitbox is within reach of one that stands somewhere, and how far away."""
    foes = {striker.name for striker, attack, _ in _blows(case, kind) if attack.harms}
    others = [one for one in others if one[1][0] in foes]
    if not others:
        return None
    poses, cast = _poses(case.wardrobe, [stand, *(one[1] for one in others)])
    hurts = place(poses, cast, case.wardrobe, "hurtbox", 0)
    hits = place(poses, cast, case.wardrobe, "hitbox", 0)
    own, theirs = hurts.take(hurts.actor == 0), hits.take(hits.actor > 0)
    if not len(own) or not len(theirs):
        return None
    a, b = own.bounds, theirs.bounds
    size = max(float(a[2].max() - a[0].min()), float(a[3].max() - a[1].min()))
    dx = np.maximum(np.maximum(b[0][None] - a[2][:, None], a[0][:, None] - b[2][None]), 0.0)
    dy = np.maximum(np.maximum(b[1][None] - a[3][:, None], a[1][:, None] - b[3][None]), 0.0)
    gaps = np.hypot(dx, dy).min(axis=0)
    best = int(gaps.argmin())
    return (others[int(theirs.actor[best]) - 1][0], float(gaps[best])) if gaps[best] <= REACH * size else None


def down_outlasts(case: Case) -> Iterator[Finding]:
    """A death that is to be seen for longer than the return waits."""
    for kind, respawn, where in _returning(case):
        if kind.down.lasts > max(respawn.after, 1) and respawn.needs is None:
            reason = f"it lies there for {kind.down.lasts} frames, and is back after {max(respawn.after, 1)}"
            remedy = f'after = "{kind.down.lasts}f" or more, or a shorter `down.lasts`'
            yield case.finding("down-outlasts", (*where, "after"), reason, remedy)


def lives_idle(case: Case) -> Iterator[Finding]:
    """Lives that nobody can lose one by one, a return without end, and what goes with health without it."""
    attacks = case.rules.attacks.values()
    wins = case.rules.goal.survive is not None or bool(case.rules.goal.clear)
    wins = wins or any(attack.striker.goal or attack.target.goal for attack in attacks)
    counted = any(kind.lives is not None for kind in case.rules.kinds.values())
    for kind in case.rules.kinds.values():
        where: KeyPath = ("kinds", kind.name)
        if kind.health is None:
            for key in ("lives", "respawn"):
                if getattr(kind, key) is not None:
                    reason = f"{kind.name} has no health, so that it never goes down"
                    yield case.finding("lives-idle", (*where, key), reason, "give it health, or leave this out")
        elif (kind.lives or 0) > 1 and kind.respawn is None and not kind.succession:
            reason = f"it has {kind.lives} lives and no way to come back: the first death is its last"
            yield case.finding("lives-idle", (*where, "lives"), reason, "give it a `respawn`, or succession = true")
        elif kind.respawn is not None and not counted and not wins:
            reason = "it comes back without end: nobody has lives, and there is no goal"
            yield case.finding("lives-idle", (*where, "respawn"), reason, "give it lives, or the run a [goal]")


def health_idle(case: Case) -> Iterator[Finding]:
    """Health that no attack can take, or that the weakest blow always empties."""
    for kind in case.rules.kinds.values():
        if kind.health is None:
            continue
        damages = [(damage, attack.name) for _, attack, damage in _blows(case, kind) if attack.damage > 0]
        where = ("kinds", kind.name, "health")
        if not damages:
            reason = f"no attack that hurts can land on {kind.name}"
            yield case.finding("health-idle", where, reason, "check layers and masks, or leave out the health")
        elif kind.health > 1 and min(damages)[0] >= kind.health:
            damage, name = min(damages)
            reason = f"its {kind.health:g} health is gone at any blow: the weakest, {name}, takes {damage:g}"
            yield case.finding("health-idle", where, reason, "health = 1 says the same, or check the damages")


def doubles(case: Case) -> Iterator[Finding]:
    """A reset that puts a pick-up back on the ground and leaves what it gave in the bag, once for every death."""
    placed = {fixture.kind for fixture in case.rules.fixtures}
    for kind, respawn, where in _returning(case):
        if respawn.resets not in ("room", "run"):
            continue
        for striker, attack, _ in _blows(case, kind):
            left = set(attack.target.gives)
            if respawn.resets == "run":
                left &= respawn.keeps
            if striker.name in placed and attack.striker.remove and left:
                names = ", ".join(sorted(left))
                reason = (
                    f"a return puts every {striker.name} back, and {kind.name} keeps its {names}: once for each death"
                )
                remedy = 'resets = "self", or reset the counter with it: resets = "run" without it in `keeps`'
                yield case.finding("doubles", (*where, "resets"), reason, remedy)


def trap(case: Case) -> Iterator[Finding]:
    """Deaths within a second of a return, by what was waiting there."""
    if case.recording is None:
        return
    rate = float(case.recording.rate)
    returned: dict[str, int] = {}
    told: set[str] = set()
    for event in case.ledger.events:
        name = event.id or ""
        if event.event == "respawn":
            returned[name] = event.frame
        elif event.event == "down" and name in returned and event.frame - returned[name] < rate:
            number = case.recording.numbers.get(name)
            if number is None or case.recording.actors[number].kind in told:
                continue
            kind = case.recording.actors[number].kind
            told.add(kind)
            after = event.frame - returned[name]
            reason = f"{name} is back in {returned[name]} and down again after {after} frames, by {event.by}"
            remedy = 'if_unsafe = "wait", more i-frames after the return, or another place'
            yield case.finding("trap", ("kinds", kind, "respawn"), reason, remedy)


CHECKS: dict[str, Check] = {
    "respawn-hazard": respawn_hazard,
    "wait-idle": wait_idle,
    "respawn-naked": respawn_naked,
    "down-outlasts": down_outlasts,
    "lives-idle": lives_idle,
    "health-idle": health_idle,
    "doubles": doubles,
    "trap": trap,
}
