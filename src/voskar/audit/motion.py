"""Checks of driven actors: ends, paces, limits, triggers, and how many there may be."""

from __future__ import annotations

import math
from collections.abc import Iterator

from voskar.audit.findings import AuditedBook, AuditFinding, Check, KeyPath
from voskar.audit.played import thinnest
from voskar.core.rules import Emitter, Fan, Kind
from voskar.core.views.summary import broods


def _spawners(audit: AuditedBook) -> Iterator[tuple[Kind, Fan, KeyPath, Emitter | None]]:
    """Every kind that spawns another: the kind, the fan, and its place in the rulebook."""
    for kind in audit.rules.kinds.values():
        for emitter in kind.emitters:
            yield kind, emitter.fan, ("kinds", kind.name, "emitters", emitter.name), emitter
        for index, fan in enumerate(kind.down.spawn):
            yield kind, fan, ("kinds", kind.name, "down", "spawn", index), None


def endless(audit: AuditedBook) -> Iterator[AuditFinding]:
    """Spawned kinds that no time, edge or solid ends, and that the recording does not show."""
    names = set()
    for _, fan, _, emitter in _spawners(audit):
        motion = audit.rules.kinds[fan.kind].motion
        # An edge ends only in a space that has edges.
        bounded = audit.rules.space.bounds is not None
        ends = motion.life is not None or (motion.edge_ends and bounded)
        ends |= motion.solid_ends and bool(audit.rules.space.solids)
        ends |= audit.shows(fan.kind) or (emitter is not None and emitter.limit is not None)
        if emitter is not None and not ends and fan.kind not in names:
            names.add(fan.kind)
            reason = f"a {fan.kind} that hits nothing stays for ever: no life, no edge and no solid removes it"
            where = ("kinds", fan.kind, "motion")
            yield audit.finding(
                "endless", where, reason, 'give it a life, or at_edge = "remove", or its emitter a limit'
            )


def pace(audit: AuditedBook, fan: Fan) -> float:
    """The speed in units a second at which something sets off, as far as the rulebook says."""
    motion = audit.rules.kinds[fan.kind].motion
    # Without a speed of its own a fan uses that of its kind; of a drawn speed the largest counts.
    speed = fan.speeds[1] if fan.speed is not None else 0.0 if fan.inherit is not None else math.hypot(*motion.velocity)
    return min(abs(speed), math.inf if motion.max_speed is None else motion.max_speed)


def skips(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A spawned hitbox that says it is not swept and flies further in a frame than a target is thick."""
    for _, fan, where, _ in _spawners(audit):
        step = pace(audit, fan) / float(audit.rules.rate)
        for box in audit.catalog.by_kind[fan.kind]:
            if box.box.role != "hitbox" or box.box.swept is not False:
                continue
            found = thinnest(audit, box)
            if found is not None and step > found[0]:
                thick, other = found
                reason = (
                    f"{fan.kind}.{box.box.name} moves {step:.1f} units a frame and is not swept; "
                    f"{other.kind.name}.{other.name} is {thick:.1f} thick: it may pass through unseen"
                )
                yield audit.finding("skips", where, reason, "take `swept = false` away")


def limit_idle(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A limit that life and pace never let an emitter reach, or that no fan fits under."""
    for _, fan, where, emitter in _spawners(audit):
        if emitter is None or emitter.limit is None:
            continue
        if fan.count > emitter.limit:
            reason = f"a fan of {fan.count} never fits under a limit of {emitter.limit}: it never fires"
            yield audit.finding("limit-idle", (*where, "limit"), reason, "raise the limit to the count or more")
        life = audit.rules.kinds[fan.kind].motion.life
        beat = max(emitter.cooldown, emitter.when.every if emitter.when.on == "every" else 0)
        alone = emitter.limit_group is None
        # Rounded up: a shot may be fired in the frame in which the oldest ends.
        if alone and life is not None and beat and (most := -(-life // beat) * fan.count) <= emitter.limit:
            reason = f"at one shot in {beat} frames and a life of {life} no more than {most} are ever there at once"
            yield audit.finding(
                "limit-idle", (*where, "limit"), reason, "lower the limit, shorten the pace, or leave the limit out"
            )


def input_unseen(audit: AuditedBook) -> Iterator[AuditFinding]:
    """An emitter with a button that no actor of its kind ever logs in the recording."""
    if audit.recording is None:
        return
    kinds = {actor.id: actor.kind for actor in audit.recording.actors} | {
        fixture.id: fixture.kind for fixture in audit.rules.fixtures
    }
    for kind, _, where, emitter in _spawners(audit):
        if emitter is None or emitter.when.on not in ("press", "release", "hold") or kind.name not in kinds.values():
            continue
        # Buttons belong to ids in the log, and to kinds in the rules.
        button, inputs = emitter.when.name, audit.recording.inputs
        if not any(kinds.get(name) == kind.name for name in inputs.who(button)):
            own = sorted(
                {button for button in inputs.buttons if any(kinds.get(who) == kind.name for who in inputs.who(button))}
            )
            reason = f"no {kind.name} logs the button {button} in the recording; logged buttons: "
            reason += ", ".join(own) or "none"
            yield audit.finding("input-unseen", (*where, "when"), reason, "check the button's name in both, or log it")


def over_budget(audit: AuditedBook) -> Iterator[AuditFinding]:
    """More alive at once of what one emitter or parent spawns than the budget allows."""
    if audit.recording is None:
        return
    total = sum(brood.most for brood in broods(audit.ledger).values())
    for brood in broods(audit.ledger).values():
        if brood.most > audit.budget and brood.kind:
            reason = f"{brood.most} of {brood.name} are there at once, the budget is {audit.budget}; "
            reason += f"{total} of all together"
            yield audit.finding(
                "over-budget", ("kinds", brood.kind, "motion"), reason, "a limit, a longer cooldown or a shorter life"
            )


def multiplies(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A kind that spawns itself, in however many steps, by emitters without a limit or as children."""
    spawns: dict[str, set[str]] = {}
    for kind, fan, _, _ in _spawners(audit):
        spawns.setdefault(kind.name, set()).add(fan.kind)
    for kind, fan, where, emitter in _spawners(audit):
        # Searched along the kinds, as a ring may pass through several of them.
        way = _way(spawns, fan.kind, kind.name)
        if way is not None and (emitter is None or emitter.limit is None):
            chain = " → ".join([kind.name, *way])
            reason = f"{chain}: spawned actors spawn more of the same, without end"
            yield audit.finding("multiplies", where, reason, "let the last of the line spawn nothing of it")


def _way(spawns: dict[str, set[str]], start: str, goal: str) -> list[str] | None:
    """A shortest way along spawns from one kind to another."""
    ways, seen = [[start]], {start}
    while ways:
        way = ways.pop(0)
        if way[-1] == goal:
            return way
        for spawn in sorted(spawns.get(way[-1], set()) - seen):
            seen.add(spawn)
            ways.append([*way, spawn])
    return None


def unbounded(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A motion with rules for edges or solids that do not exist, or with a body that collides with no solid."""
    rules = audit.rules
    for kind in rules.kinds.values():
        where, motion = ("kinds", kind.name, "motion"), kind.motion
        if motion.at_edge != "none" and rules.space.bounds is None:
            reason = f'at_edge = "{motion.at_edge}", and the space has no bounds'
            yield audit.finding("unbounded", (*where, "at_edge"), reason, "[space] bounds = [x0, y0, x1, y1]")
        bodies = [box for box in kind.boxes if box.role == "body"]
        solids = rules.space.solids
        seen = any(not solid.layer or not bodies or any(box.mask & solid.layer for box in bodies) for solid in solids)
        if motion.on_solid != "pass" and not seen:
            what = "its body looks for none of their layers" if solids else "there are none"
            reason = f'on_solid = "{motion.on_solid}", and no solid will stop it: {what}'
            yield audit.finding("unbounded", (*where, "on_solid"), reason, "add solids, or a layer to the body's mask")


def doubled(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A fan all the way round: its first and its last shot fly the same way."""
    for _, fan, where, _ in _spawners(audit):
        if fan.count > 1 and fan.spread >= 360 and fan.spread % 360 == 0:
            # The fan covers both ends of its spread, and at a full turn these are one direction.
            step = fan.spread / (fan.count - 1)
            even = 360 * (fan.count - 1) / fan.count
            reason = f"over {fan.spread:g} degrees the first and the last fly the same way, {step:g} degrees apart"
            yield audit.finding("doubled", (*where, "spread"), reason, f"spread = {even:g} spaces {fan.count} evenly")


CHECKS: dict[str, Check] = {
    "endless": endless,
    "skips": skips,
    "limit-idle": limit_idle,
    "multiplies": multiplies,
    "unbounded": unbounded,
    "doubled": doubled,
    "input-unseen": input_unseen,
    "over-budget": over_budget,
}
