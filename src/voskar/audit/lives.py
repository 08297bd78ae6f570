"""Checks of health, death, lives and coming back."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from voskar.audit.findings import AuditedBook, AuditFinding, Check, KeyPath
from voskar.core.posing import Bounds, Posed
from voskar.core.rules import Attack, Consequences, Kind, Respawn, Role

REACH = 2.0
"""Least distance of an enemy's reach from a place of return without i-frames, in sizes of the actor."""

Stand = tuple[str, float, float, float, float]
"""Kind, x, y, facing, angle."""


def _hits(audit: AuditedBook, kind: Kind) -> Iterator[tuple[Kind, Attack, float]]:
    """Every attack of another kind that can land on a kind, and the least damage it does there."""
    catalog = audit.catalog
    for attacker, box, _ in audit.boxes("hitbox"):
        attack = audit.rules.attacks[box.attack or ""]
        if attacker.side is not None and attacker.side == kind.side and not attack.friendly:
            continue
        hit = next(formed for formed in catalog.by_kind[attacker.name] if formed.box is box)
        hurts = [box for box in catalog.by_kind[kind.name] if box.box.role == "hurtbox" and catalog.meets(hit, box)]
        # The same attack may meet several hurtboxes; the least damage decides whether one hit is enough.
        scales = [hurt.box.damage_scale for hurt in hurts]
        if scales:
            yield attacker, attack, attack.damage * min(scales)


def _returning(audit: AuditedBook) -> Iterator[tuple[Kind, Respawn, KeyPath]]:
    for kind in audit.rules.kinds.values():
        if kind.respawn is not None and kind.health is not None:
            yield kind, kind.respawn, ("kinds", kind.name, "respawn")


def _standing(audit: AuditedBook) -> list[tuple[str, Stand, bool]]:
    """Where everyone is at the start: id, where, and whether it stays there forever."""
    found = []
    for fixture in audit.rules.fixtures:
        motion = audit.rules.kinds[fixture.kind].motion
        # An actor that moves, spins or ends may leave the place before anything returns to it.
        moves = any(motion.velocity if fixture.velocity is None else fixture.velocity) or any(motion.acceleration)
        moves |= bool(motion.gravity and audit.rules.space.gravity) or bool(motion.spin) or motion.life is not None
        stand = (fixture.kind, *fixture.at, float(fixture.facing), fixture.angle)
        found.append((fixture.id, stand, not moves))
    played = audit.recording
    for number, actor in enumerate(played.actors if played is not None else ()):
        assert played is not None
        if actor.logged_kind in audit.rules.bred:
            continue  # a shot is not where it was fired for long
        row = int(played.poses.rows_of(number)[0])
        columns = (played.poses.x, played.poses.y, played.poses.facing, played.poses.angle)
        x, y, facing, angle = (float(column[row]) for column in columns)
        found.append((actor.id, (actor.kind, x, y, facing, angle), False))
    return found


def _places(audit: AuditedBook, kind: Kind, respawn: Respawn) -> list[Stand]:
    """Where actors of a kind come back, as far as that is known before they do."""
    if isinstance(respawn.at, tuple):
        return [(kind.name, *respawn.at, 1.0, 0.0)]
    starts = [stand for _, stand, _ in _standing(audit) if stand[0] == kind.name]
    # A place of "here" is known only when the actor goes down.
    return starts if respawn.at in ("start", "checkpoint") else []


def _posed(audit: AuditedBook, stands: Sequence[Stand]) -> Posed:
    """Actors that stand somewhere, without a clip."""
    posed = Posed(audit.catalog, (), len(stands))
    for row, stand in enumerate(stands):
        posed.put(row, *stand)
    return posed


def _met(audit: AuditedBook, kind: Kind, where: Stand) -> Iterator[tuple[str, bool]]:
    """The actors with a harmful hitbox at their start that meets an actor at a place, and whether they stay there."""
    # The actor itself stands at its own start.
    others = [entry for entry in _standing(audit) if entry[1] != where]
    if not others:
        return
    for touch in _posed(audit, [where, *(stand for _, stand, _ in others)]).touches():
        if touch.target == 0:
            name, stand, stays = others[touch.attacker - 1]
            attack, side = touch.hitbox.attack, audit.rules.kinds[stand[0]].side
            if attack.harms and (side is None or side != kind.side or attack.friendly):
                yield name, stays


def respawn_hazard(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A place of return inside a hazard or where an enemy starts; with a place that is never free, an actor waits
    forever."""
    for kind, respawn, where in _returning(audit):
        for stand in _places(audit, kind, respawn):
            met = sorted(set(_met(audit, kind, stand)))
            place_of = f"({stand[1]:g}, {stand[2]:g})"
            # One enemy is enough for a finding.
            for name, stays in met[:1]:
                if respawn.if_unsafe == "wait" and stays:
                    reason = f"it waits until {place_of} is safe, and {name} stands there for ever: it never comes back"
                    remedy = 'move one of them, or if_unsafe = "appear"'
                    yield audit.finding("respawn-hazard", (*where, "if_unsafe"), reason, remedy)
                elif respawn.if_unsafe == "appear":
                    reason = f"{kind.name} comes back at {place_of}, where {name} meets it at once"
                    remedy = 'move one of them, or if_unsafe = "wait"'
                    yield audit.finding("respawn-hazard", (*where, "at"), reason, remedy)


def wait_idle(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A wait for a safe place, though nothing can ever make it unsafe."""
    for kind, respawn, where in _returning(audit):
        if respawn.if_unsafe == "wait" and not any(attack.harms for _, attack, _ in _hits(audit, kind)):
            reason = f"no hitbox can do {kind.name} any harm, so that its place is always safe"
            yield audit.finding("wait-idle", (*where, "if_unsafe"), reason, "leave out if_unsafe, or check the masks")


def respawn_naked(audit: AuditedBook) -> Iterator[AuditFinding]:
    """No i-frames after a return, with the reach of an enemy near."""
    for kind, respawn, where in _returning(audit):
        if respawn.iframes:
            continue
        for stand in _places(audit, kind, respawn):
            others = [entry for entry in _standing(audit) if entry[1] != stand]
            near = _nearest(audit, kind, stand, others)
            if near is not None:
                name, gap = near
                reason = f"{kind.name} comes back without i-frames, and the reach of {name} begins {gap:.0f} units away"
                yield audit.finding("respawn-naked", where, reason, 'give it i-frames: iframes = "60f"')
                break


def _nearest(
    audit: AuditedBook, kind: Kind, stand: Stand, others: Sequence[tuple[str, Stand, bool]]
) -> tuple[str, float] | None:
    """The nearest enemy with a hitbox within reach of an actor at a place, and its distance."""
    foes = {attacker.name for attacker, attack, _ in _hits(audit, kind) if attack.harms}
    others = [other for other in others if other[1][0] in foes]
    if not others:
        return None
    posed = _posed(audit, [stand, *(other[1] for other in others)])
    own = _bounds(posed, 0, "hurtbox")
    size = max((max(x1 - x0, y1 - y0) for x0, y0, x1, y1 in own), default=0.0)
    best: tuple[float, int] | None = None
    for row in range(1, posed.rows):
        for b in _bounds(posed, row, "hitbox"):
            for a in own:
                # The distance between two rectangles: 0 along an axis on which they overlap.
                gap = math.hypot(max(b[0] - a[2], a[0] - b[2], 0.0), max(b[1] - a[3], a[1] - b[3], 0.0))
                best = min(best or (gap, row), (gap, row))
    return (others[best[1] - 1][0], best[0]) if best is not None and best[0] <= REACH * size else None


def _bounds(posed: Posed, row: int, role: Role) -> list[Bounds]:
    """Bounds of the open boxes of one role."""
    return [posed.bounds(row, box) for box in posed.boxes(row) if box.box.role == role and posed.is_open(row, box)]


def down_outlasts(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A body that would be visible for longer than the return waits."""
    for kind, respawn, where in _returning(audit):
        # A return in the same frame counts as after one frame.
        if kind.down.lasts > max(respawn.after, 1) and respawn.needs is None:
            reason = f"it lies there for {kind.down.lasts} frames, and is back after {max(respawn.after, 1)}"
            remedy = f'after = "{kind.down.lasts}f" or more, or a shorter `down.lasts`'
            yield audit.finding("down-outlasts", (*where, "after"), reason, remedy)


def lives_idle(audit: AuditedBook) -> Iterator[AuditFinding]:
    """Lives that no actor can lose one by one, and what goes with health without it."""
    for kind in audit.rules.kinds.values():
        where: KeyPath = ("kinds", kind.name)
        if kind.health is None:
            for key in ("lives", "respawn"):
                if getattr(kind, key) is not None:
                    reason = f"{kind.name} has no health, so that it never goes down"
                    yield audit.finding("lives-idle", (*where, key), reason, "give it health, or leave this out")
        elif (kind.lives or 0) > 1 and kind.respawn is None and not kind.succession:
            reason = f"it has {kind.lives} lives and no way to come back: the first death is its last"
            yield audit.finding("lives-idle", (*where, "lives"), reason, "give it a `respawn`, or succession = true")


def health_idle(audit: AuditedBook) -> Iterator[AuditFinding]:
    """Health that no attack can take, or that the weakest hit always empties."""
    for kind in audit.rules.kinds.values():
        if kind.health is None:
            continue
        landing = list(_hits(audit, kind))
        damages = [(damage, attack.name) for _, attack, damage in landing if attack.damage > 0]
        others = any(table.takes_health for table in _tables_on(audit, kind, [attack for _, attack, _ in landing]))
        cases = [*kind.cases, *(case for _, attack, _ in landing for case in attack.cases)]
        where = ("kinds", kind.name, "health")
        if not damages and not others and not any((case.damage or 0.0) > 0 for case in cases):
            reason = f"no attack that hurts can land on {kind.name}"
            yield audit.finding("health-idle", where, reason, "check layers and masks, or leave out the health")
        elif damages and kind.health > 1 and min(damages)[0] >= kind.health:
            absorbs = any(rule.absorbs for rule in kind.counters.values())
            varies = any(attack.by_counter or attack.damage_type or attack.least_damage for _, attack, _ in landing)
            # the amount matters if anything else takes health, or if a hit may take less
            if not (varies or others or cases or absorbs):
                damage, name = min(damages)
                reason = f"its {kind.health:g} health is gone at any hit: the weakest, {name}, takes {damage:g}"
                yield audit.finding("health-idle", where, reason, "health = 1 says the same, or check the damages")


def _tables_on(audit: AuditedBook, kind: Kind, landing: Sequence[Attack]) -> list[Consequences]:
    """The tables that may be done to a kind: by attacks that land on it, by its own, and by its counters."""
    own = [audit.rules.attacks[box.attack] for box in kind.boxes if box.attack]
    found = [attack.target for attack in landing] + [attack.attacker for attack in own]
    found += [table for attack in own for table in (attack.clash.attacker, attack.clash.winner) if table is not None]
    cases = [*kind.cases, *(case for attack in landing for case in attack.cases)]
    found += [case.target for case in cases if case.target is not None]
    found += [case.attacker for attack in own for case in attack.cases if case.attacker is not None]
    # a block may hurt the attacker
    found += [
        case.attacker for other in audit.rules.kinds.values() for case in other.cases if case.attacker is not None
    ]
    found += [table for rule in kind.counters.values() for table in (rule.on_min, rule.on_max) if table is not None]
    return found


def doubles(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A reset that puts a pick-up back on the ground and leaves what it gave in the bag, once for every death."""
    placed = {fixture.kind for fixture in audit.rules.fixtures}
    for kind, respawn, where in _returning(audit):
        if respawn.resets not in ("room", "run"):
            continue
        for attacker, attack, _ in _hits(audit, kind):
            # What the pick-up gives is what doubles.
            left = set(attack.target.gives)
            if respawn.resets == "run":
                left &= respawn.keeps
            if attacker.name in placed and attack.attacker.remove and left:
                names = ", ".join(sorted(left))
                reason = (
                    f"a return puts every {attacker.name} back, and {kind.name} keeps its {names}: once for each death"
                )
                remedy = 'resets = "self", or reset the counter with it: resets = "run" without it in `keeps`'
                yield audit.finding("doubles", (*where, "resets"), reason, remedy)


def trap(audit: AuditedBook) -> Iterator[AuditFinding]:
    """Deaths within a second of a return, by a danger at the place of return."""
    if audit.recording is None:
        return
    rate = float(audit.recording.rate)
    returned: dict[str, int] = {}
    names: set[str] = set()
    for event in audit.ledger.events:
        name = event.id or ""
        if event.event == "respawn":
            returned[name] = event.frame
        elif event.event == "down" and name in returned and event.frame - returned[name] < rate:
            # A second is too short to walk into a new danger.
            number = audit.recording.numbers.get(name)
            if number is None or audit.recording.actors[number].kind in names:
                continue
            kind = audit.recording.actors[number].kind
            names.add(kind)
            after = event.frame - returned[name]
            reason = f"{name} is back in {returned[name]} and down again after {after} frames, by {event.by}"
            remedy = 'if_unsafe = "wait", more i-frames after the return, or another place'
            yield audit.finding("trap", ("kinds", kind, "respawn"), reason, remedy)


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
